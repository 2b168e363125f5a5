"""Recipes are kept, written, read and applied to other pictures; series go through, stop, go on, and fail apart."""

import io
import json
import zipfile
from unittest import mock

import numpy as np
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from huey.contrib.djhuey import HUEY

from relief.errors import Cancelled
from relief.recipe.migrations import VERSION
from relief.tests.height_fields import rough
from relief.tests.tags import long
from studio.background.models import Work
from studio.bench.models import Revision
from studio.bench.tests.case import StudioTestCase, png
from studio.deliveries.models import Job
from studio.deliveries.unused import find_unused
from studio.middleware import the_artist
from studio.recipes import matching, tasks
from studio.recipes.models import KeptRecipe, Series, SeriesItem, SeriesRun
from studio.recipes.shelf import list_shipped
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece, source_path


def heights(seed: int) -> bytes:
    return png(np.rint(rough(24, 32, seed) * 65535).astype(np.uint16))


class RecipesTestCase(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True
        self.begun = self.piece()
        Revision.objects.change(
            self.begun, 1, {"amplitude": 7.5, "delivery.mesh": "none", "delivery.proof_sheet": False}
        )
        self.begun.refresh_from_db()

    def keep(self, **values) -> KeptRecipe:
        answer = self.client.post(reverse("recipes:keep", args=[self.begun.pk]), values)
        self.assertEqual(answer.status_code, 200)
        return KeptRecipe.objects.order_by("pk").last()

    def sources(self, many: int) -> list[int]:
        return [keep_source(the_artist(), f"slate-{n}-height.png", heights(n)).pk for n in range(1, many + 1)]

    def start(self, recipe, sources, **values) -> Series:
        asked = {"recipe": recipe.pk, "source": sources, **values}
        answer = self.client.post(reverse("recipes:start"), asked)
        self.assertEqual(answer.status_code, 204, answer.content[:300])
        return Series.objects.first()

    def ask(self, name: str, row, **values):
        return self.client.post(reverse(f"recipes:{name}", args=[row.pk]), values)


class ShelfTests(RecipesTestCase):
    def test_a_recipe_is_kept_and_two_of_one_name_are_told_apart(self):
        self.assertEqual([self.keep(name="Slate").name, self.keep(name=" Slate ").name], ["Slate", "Slate 2"])
        page = self.client.get(reverse("recipes:recipes"))
        self.assertContains(page, "Slate 2")
        picture = self.client.get(reverse("recipes:recipe-picture", args=[KeptRecipe.objects.first().pk]))
        self.assertTrue(picture.content.startswith(b"\x89PNG"))
        self.assertContains(page, "needs a height image")

    def test_it_is_written_to_a_file_and_read_again_the_same(self):
        kept = self.keep()
        text = self.client.get(reverse("recipes:download-recipe", args=[kept.pk])).content
        file = SimpleUploadedFile("again.json", text)
        answer = self.client.post(reverse("recipes:bring-file"), {"file": file})
        self.assertEqual(answer["HX-Redirect"], reverse("recipes:recipes"))
        again = KeptRecipe.objects.get(name="again")
        self.assertEqual(again.read(), kept.read())

    def test_files_that_are_no_recipe_are_refused_in_a_sentence(self):
        newer = json.dumps(self.keep().recipe | {"version": VERSION + 1}).encode()
        for data, words in (
            (b"", "not a recipe"), (b"{", "not a recipe"), (b"[]", "not a recipe"), (b"\xff\xd8\xff", "not a recipe"),
            (b'{"version": "six"}', ""), (newer, f"version {VERSION + 1}"), (b"[" * 100_000, "not a recipe"),
        ):  # fmt: skip
            answer = self.client.post(reverse("recipes:bring-file"), {"file": SimpleUploadedFile("a.json", data)})
            self.assertEqual(answer.status_code, 422, data[:20])
            self.assertIn(words, answer.content.decode())
        self.assertEqual(self.client.post(reverse("recipes:bring-file")).status_code, 422)

    def test_every_recipe_that_ships_is_read(self):
        self.assertGreaterEqual(len(list_shipped()), 3)
        page = self.client.get(reverse("recipes:recipes"))
        for number, name in enumerate(list_shipped()):
            self.assertContains(page, name)
            self.assertEqual(self.client.get(reverse("recipes:shipped-picture", args=[number])).status_code, 200)
        self.assertEqual(self.client.get(reverse("recipes:shipped-picture", args=[99])).status_code, 404)

    def test_pieces_are_begun_by_it(self):
        kept, (one, other) = self.keep(), self.sources(2)
        answer = self.client.post(reverse("recipes:begin-pieces"), {"recipe": kept.pk, "source": [one]})
        piece = Piece.objects.get(title="slate-1-height")
        self.assertEqual(answer["HX-Redirect"], reverse("bench:step", args=[piece.pk, "relief"]))
        self.assertEqual(self.recipe(piece).main.amplitude, 7.5)
        self.assertEqual([source.pk for source in piece.sources.all()], [one])
        for nonsense in ([], ["abc"], [10**17], [other + 1000]):
            answer = self.client.post(reverse("recipes:begin-pieces"), {"recipe": kept.pk, "source": nonsense})
            self.assertEqual(answer.status_code, 422, nonsense)
        answer = self.client.post(reverse("recipes:begin-pieces"), {"recipe": "none such", "source": [one]})
        self.assertEqual(answer.status_code, 422)

    def test_a_recipe_of_a_set_says_what_is_missing(self):
        asked = {"recipe": "Texture set", "source": self.sources(1)}
        answer = self.client.post(reverse("recipes:begin-pieces"), asked)
        self.assertContains(answer, "There is no file for", status_code=422)

    def test_nobody_else_sees_or_changes_it(self):
        kept = self.keep()
        other = get_user_model().objects.create(username="somebody else")
        KeptRecipe.objects.update(owner=other)
        self.assertEqual(self.client.get(reverse("recipes:download-recipe", args=[kept.pk])).status_code, 404)
        self.assertEqual(self.ask("remove-recipe", kept).status_code, 404)
        answer = self.client.post(reverse("recipes:begin-pieces"), {"recipe": kept.pk, "source": self.sources(1)})
        self.assertEqual(answer.status_code, 422)

    def test_what_it_names_is_not_cleared(self):
        """A stroke that only a kept recipe names, and a picture that only a series does."""
        kept = self.keep()
        digest = next(iter(kept.read().sources.values())).digest
        Piece.objects.all().delete()
        self.begun.owner.source_set.all().delete()
        with mock.patch("studio.deliveries.unused.FRESH", mock.Mock(total_seconds=lambda: -1)):
            self.assertNotIn(digest, [each.name for each in find_unused(0)])
            kept.delete()
            self.assertIn(digest, [each.name for each in find_unused(0)])


class SeriesTests(RecipesTestCase):
    @long
    def test_it_delivers_each_picture_and_one_that_fails_fails_alone(self):
        kept, sources = self.keep(), self.sources(4)
        broken = keep_source(the_artist(), "slate-0-height.png", heights(9))
        source_path(broken.digest).unlink()
        series = self.start(kept, [*sources, broken.pk], profile="Game tile")
        counts = series.count()
        self.assertEqual((counts["done"], counts["failed"], counts["planned"]), (4, 1, 0))
        page = self.client.get(reverse("recipes:series", args=[series.pk]))
        self.assertContains(page, "4 of 5 ready")
        self.assertContains(page, "missing from the data folder")
        item = series.items.filter(state="done").first()
        answer = self.client.get(reverse("recipes:download", args=[item.pk]))
        with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as bundle:
            recipe = json.loads(bundle.read("recipe.json"))
            self.assertTrue(any(name.endswith("_normal.png") or "normal" in name for name in bundle.namelist()))
        self.assertEqual(recipe["reliefs"]["main"]["amplitude"], 7.5)
        self.assertEqual(next(iter(recipe["sources"].values()))["filename"], "slate-1-height.png")
        picture = self.client.get(reverse("recipes:picture", args=[item.pk]))
        self.assertTrue(b"".join(picture.streaming_content).startswith(b"\x89PNG"))

        source_path(broken.digest).parent.mkdir(parents=True, exist_ok=True)
        source_path(broken.digest).write_bytes(heights(9))
        made = {each.pk: each.path.stat().st_mtime_ns for each in series.items.filter(state="done")}
        self.ask("again", series)
        self.assertEqual(series.count()["done"], 5)
        for each in series.items.filter(pk__in=made):
            self.assertEqual(each.path.stat().st_mtime_ns, made[each.pk], "what was ready is not made again")
        item.path.unlink()
        self.assertContains(self.client.get(reverse("recipes:series", args=[series.pk])), "Not on the disk")
        self.ask("go-on", series)
        self.assertTrue(SeriesItem.objects.get(pk=item.pk).is_there, "what is gone is made again")

    @long
    def test_it_is_stopped_goes_on_and_leaves_one_out(self):
        kept, sources = self.keep(), self.sources(4)
        HUEY.immediate = False
        series = self.start(kept, sources)
        self.assertContains(self.client.get(reverse("recipes:state", args=[series.pk])), "Waiting for the worker")
        self.ask("stop", series)
        self.assertIsNone(series.run)
        third = series.items.get(number=2)
        self.assertContains(self.ask("leave-out", third), "Take it in")
        HUEY.immediate = True
        whole, made = tasks.deliver_item, []

        def stop_at_the_second(*arguments):
            if made:
                raise Cancelled
            made.append(arguments)
            return whole(*arguments)

        with mock.patch.object(tasks, "deliver_item", stop_at_the_second):
            self.ask("go-on", series)
        self.assertEqual(series.count(), {"planned": 2, "done": 1, "failed": 0, "out": 1})
        SeriesRun.objects.filter(state="running").update(state="cancelled")
        self.ask("go-on", series)
        self.assertEqual(series.count(), {"planned": 0, "done": 3, "failed": 0, "out": 1})
        self.assertFalse(third.path.exists())
        self.ask("remove-series", series)
        self.assertEqual((Series.objects.count(), series.folder.exists()), (0, False))

    def test_other_heavy_work_goes_first_in_between(self):
        kept, sources = self.keep(), self.sources(3)
        HUEY.immediate = False
        series = self.start(kept, sources)
        run = series.run
        Job.objects.create(owner=self.begun.owner, revision=self.begun.revisions.first())
        facts = {"findings": [], "sha256": "", "size": 1, "seconds": 2.0}
        HUEY.immediate = True
        SeriesRun.objects.update(state=Work.State.RUNNING)
        with mock.patch.multiple(tasks, deliver_item=lambda *_: facts, _forecast=lambda _: 1, begin=mock.DEFAULT):
            tasks.run_series(run, mock.Mock(cancelled=lambda: False))
        self.assertEqual(series.count()["done"], 1, "one, and then the delivery has its turn")
        self.assertEqual(series.runs.filter(state=Work.State.WAITING).count(), 1, "the rest waits behind it")

    def test_a_broken_item_and_a_full_disk(self):
        kept, sources = self.keep(), self.sources(2)
        HUEY.immediate = False
        series = self.start(kept, sources)
        SeriesItem.objects.filter(series=series, number=0).update(sources={"picture": "odd"})
        HUEY.immediate = True
        full = OSError(28, "No space left on device")
        with mock.patch.object(tasks, "deliver_item", side_effect=full), self.assertLogs("studio.background"):
            self.ask("stop", series)
            self.ask("go-on", series)
        counts = series.count()
        self.assertEqual((counts["failed"], counts["planned"]), (1, 1), "the odd one failed, the other is to do")
        self.assertContains(self.client.get(reverse("recipes:series", args=[series.pk])), "disk is full")

    def test_what_cannot_be_begun_is_said(self):
        kept, sources = self.keep(), self.sources(3)
        for values, words in (
            ({"source": []}, "at least one picture"), ({"recipe": ""}, "Choose a recipe"),
            ({"profile": "none such"}, "no such profile"), ({"recipe": "Texture set"}, "no file"),
        ):  # fmt: skip
            answer = self.client.post(reverse("recipes:start"), {"recipe": kept.pk, "source": sources, **values})
            self.assertContains(answer, words, status_code=422)
        with mock.patch.object(matching, "MOST_ITEMS", 2):
            answer = self.client.post(reverse("recipes:start"), {"recipe": kept.pk, "source": sources})
            self.assertContains(answer, "at most 2 items", status_code=422)
        self.assertEqual(Series.objects.count(), 0)

    def test_a_thousand_rows_are_listed_in_pages_with_few_queries(self):
        kept = self.keep()
        series = Series.objects.create(owner=self.begun.owner, name="Many", recipe=kept.recipe)
        SeriesItem.objects.bulk_create(
            SeriesItem(series=series, number=number, name=f"item-{number}", state="done", facts=facts)
            for number, facts in enumerate([{"seconds": 1.0, "size": 5, "findings": [["A", "b"], "odd"]}] * 999 + [{}])
        )
        with self.assertNumQueries(8):
            page = self.client.get(reverse("recipes:series", args=[series.pk]))
        self.assertContains(page, "Page 1 of 20")
        for odd in ("999", "-1", "abc", ""):
            self.assertEqual(
                self.client.get(reverse("recipes:series", args=[series.pk]), {"page": odd}).status_code, 200
            )
        self.assertContains(self.client.get(reverse("recipes:series", args=[series.pk]), {"page": "20"}), "item-999")

    def test_odd_rows_break_no_page(self):
        kept = self.keep()
        series = Series.objects.create(owner=self.begun.owner, name="Odd", recipe={"version": 99})
        for number, facts in enumerate(({}, [], None, "x", {"seconds": "a", "size": None, "findings": 3})):
            SeriesItem.objects.create(
                series=series, number=number, name="..", state="done", facts=facts or {}, sources=[1]
            )
            SeriesItem.objects.filter(number=number).update(facts=facts if facts is not None else 7)
        KeptRecipe.objects.filter(pk=kept.pk).update(recipe={"version": 99}, picture=b"cut")
        self.assertEqual(self.client.get(reverse("recipes:series", args=[series.pk])).status_code, 200)
        self.assertContains(self.client.get(reverse("recipes:recipes")), "version 99")
        self.assertEqual(self.client.get(reverse("recipes:download-recipe", args=[kept.pk])).status_code, 422)
        self.ask("go-on", series)
        self.assertEqual(set(series.items.values_list("state", flat=True)), {"failed"})

    def test_nobody_else_sees_it(self):
        kept, sources = self.keep(), self.sources(1)
        HUEY.immediate = False
        series = self.start(kept, sources)
        item = series.items.first()
        Series.objects.update(owner=get_user_model().objects.create(username="somebody else"))
        for name in ("series", "state"):
            self.assertEqual(self.client.get(reverse(f"recipes:{name}", args=[series.pk])).status_code, 404)
        for name in ("stop", "go-on", "again", "remove-series"):
            self.assertEqual(self.ask(name, series).status_code, 404, name)
        self.assertEqual(self.ask("leave-out", item).status_code, 404)
        for name in ("download", "picture"):
            self.assertEqual(self.client.get(reverse(f"recipes:{name}", args=[item.pk])).status_code, 404)

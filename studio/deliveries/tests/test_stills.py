"""Stills are ordered with their time stated before, drawn by the worker, watched, cancelled, downloaded and cleared."""

import io
import json
import zipfile
from unittest import mock

from django.contrib.auth import get_user_model
from django.urls import reverse
from huey.contrib.djhuey import HUEY
from PIL import Image

from relief.deliver import stills as drawing
from relief.progress import Progress
from relief.tests.tags import long
from studio.bench.models import KeptView, Revision
from studio.bench.requests import point_in
from studio.bench.tests.case import StudioTestCase
from studio.deliveries import clearing, stills
from studio.deliveries.models import Job, Still, stills_for
from studio.shelf.models import source_folder

DRAFT = {"width": "640", "ratio": "16:10", "quality": "draft", "seen": "front", "look": "colour"}


class StillTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True
        # the size proves nothing here
        self.enterContext(mock.patch.object(stills, "WIDTHS", (64, 640)))
        self.enterContext(mock.patch.object(stills, "SAMPLES", {"draft": 2, "final": 3}))

    def order(self, piece, **values):
        piece.refresh_from_db()
        return self.client.post(
            reverse("deliveries:start-still", args=[piece.pk]),
            {"base": piece.position, **DRAFT, "width": "64", **values},
        )

    def test_its_time_is_told_before(self):
        piece = self.piece()
        page = self.get("deliveries:stills", piece, base=piece.position)
        for words in ("Draw the still", "640 px", "2560 px", "As on the stage"):
            self.assertContains(page, words)
        self.assertNotContains(page, "still-ground", msg_prefix="a plane lies on nothing")

    @long
    def test_it_is_drawn_looked_at_and_downloaded_and_not_drawn_twice(self):
        piece = self.piece()
        self.assertContains(self.order(piece), "Download PNG")
        still = Still.objects.get()
        self.assertEqual((still.state, still.draft.exists()), ("done", False))
        late = self.client.get(reverse("deliveries:still-draft", args=[still.pk]))
        self.assertEqual(b"".join(late.streaming_content), still.path.read_bytes(), "asked for just when it was done")
        self.assertGreater(still.facts["faces"], 0)
        answer = self.client.get(reverse("deliveries:download-still", args=[still.pk]))
        picture = Image.open(io.BytesIO(b"".join(answer.streaming_content)))
        self.assertEqual(picture.size, (64, 40))
        self.assertEqual(json.loads(picture.text["Comment"])["samples"], 2)
        self.order(piece)
        self.assertEqual(Still.objects.count(), 1)
        self.order(piece, look="flat")
        self.assertEqual(Still.objects.count(), 2, "another look is another still")

    @long
    def test_it_is_seen_from_where_the_stage_stands_and_lit_from_there(self):
        piece = self.piece()
        self.order(piece, seen="stage", camera="10,-20,300", look_at="1,2,3", towards="0,0.6,0.8")
        made = json.loads(Image.open(Still.objects.get().path).text["Comment"])
        self.assertEqual((made["camera"]["position"], made["camera"]["look_at"]), ([10, -20, 300], [1, 2, 3]))
        self.assertAlmostEqual(made["light"]["azimuth"], 90, delta=0.1)
        self.assertAlmostEqual(made["light"]["elevation"], 53.13, delta=0.1)

    def test_what_is_not_offered_is_refused(self):
        piece = self.piece()
        for values in (
            {"width": "100000"}, {"width": "-1"}, {"width": ""}, {"ratio": "1:9"}, {"quality": "best"},
            {"seen": "inside"}, {"look": "glass"}, {"opening": "0.001"}, {"opening": "nan"}, {"sweep": "moon"},
        ):  # fmt: skip
            self.assertEqual(self.order(piece, **values).status_code, 422, values)
        self.assertEqual(Still.objects.count(), 0)
        for nonsense in ("", "1,2", "nan,0,1", "a,b,c", "1e99,0,0"):
            self.assertIsNone(point_in(nonsense))

    def test_one_that_is_waited_for_is_cancelled_and_nobody_else_sees_it(self):
        piece = self.piece()
        HUEY.immediate = False
        self.order(piece)
        still = Still.objects.get()
        self.assertTrue(still.active)
        self.client.post(reverse("deliveries:cancel-still", args=[still.pk]))
        still.refresh_from_db()
        self.assertEqual(still.state, "cancelled")
        for name in ("still-picture", "download-still", "compare-stills"):
            self.assertEqual(self.client.get(reverse(f"deliveries:{name}", args=[still.pk])).status_code, 404)
        draft = reverse("deliveries:still-draft", args=[still.pk])
        self.assertEqual(self.client.get(draft).status_code, 204, "a page that still shows it is not at fault")
        Still.objects.update(owner=get_user_model().objects.create(username="somebody else"))
        self.assertEqual(self.client.post(reverse("deliveries:cancel-still", args=[still.pk])).status_code, 404)

    def test_older_ones_are_cleared_away_and_said(self):
        piece = self.piece()
        made = [
            Still.objects.create(owner=piece.owner, revision=piece.revisions.first(), state="done") for _ in range(3)
        ]
        for each in made:
            each.path.parent.mkdir(parents=True, exist_ok=True)
            each.path.write_bytes(b"png")
        with mock.patch.object(clearing, "KEPT_STILLS", 2):
            clearing.clear_stills(made[-1])
        self.assertEqual([each.path.exists() for each in made], [False, True, True])
        Still.objects.filter(pk=made[2].pk).update(asked={"width": 7, "of an odd row": 1})
        self.assertContains(self.get("deliveries:list-stills", piece), "deleted to make room")

    def test_a_proof_keeps_the_stills_of_its_state(self):
        piece = self.piece()
        revision = piece.revisions.first()
        made = [Still.objects.create(owner=piece.owner, revision=revision, state="done") for _ in range(3)]
        for each in made:
            each.path.parent.mkdir(parents=True, exist_ok=True)
            Image.new("RGB", (8, 5)).save(each.path)
        self.assertContains(self.get("deliveries:list-stills", piece), "Keep as proof")
        shown = self.client.post(reverse("bench:keep-proof", args=[piece.pk]), {"base": revision.number})
        self.assertContains(shown, reverse("deliveries:still-picture", args=[made[0].pk]))
        with mock.patch.object(clearing, "KEPT_STILLS", 1):
            clearing.clear_stills(made[-1])
        self.assertTrue(all(each.path.exists() for each in made), "a proof keeps them")

    @long
    def test_a_delivery_has_the_stills_of_its_state_where_its_profile_asks_for_them(self):
        piece = self.piece()
        revision = piece.revisions.first()
        still = Still.objects.create(owner=piece.owner, revision=revision, state="done", asked={"name": "Gate"})
        still.path.parent.mkdir(parents=True, exist_ok=True)
        Image.new("RGB", (64, 40), "#b04020").save(still.path)
        self.assertEqual(stills_for(revision), {}, "nobody asked for it")
        changes = {"delivery.stills": True, "delivery.mesh": "none"}
        asking = Revision.objects.edit(
            piece, revision.number, lambda recipe: (recipe.with_changes(changes), "Stills along")
        )
        self.assertEqual(stills_for(asking), {"Gate": still.path}, "only how it is delivered has changed")
        self.assertContains(self.get("deliveries:panel", piece), "_still_Gate.png")
        self.post("deliveries:start", piece, asking.number)
        with zipfile.ZipFile(Job.objects.get().path) as archive:
            name = next(name for name in archive.namelist() if name.endswith("_still_Gate.png"))
            self.assertEqual(archive.read(name), still.path.read_bytes())
        self.post("deliveries:start", piece, asking.number)
        self.assertEqual(Job.objects.count(), 1, "it is there already")
        other = Still.objects.create(owner=piece.owner, revision=asking, state="done", asked={"name": "Quay"})
        Image.new("RGB", (64, 40), "#2040b0").save(other.path)
        self.post("deliveries:start", piece, asking.number)
        self.assertEqual(Job.objects.count(), 2, "one still more")
        still.path.unlink()
        other.path.unlink()
        self.assertContains(self.get("deliveries:panel", piece), "No still of this state is drawn yet")

    def test_every_kept_view_is_ordered_at_once_under_its_name(self):
        piece = self.piece()
        self.assertContains(self.order(piece, seen="every"), "No view is kept", status_code=422)
        for name, x in (("Gate", 10), ("Quay, east", -40)):
            KeptView.objects.create(piece=piece, name=name, camera=[x, -200, 300], towards=[0, 0.6, 0.8])
        self.assertContains(self.get("deliveries:stills", piece, base=1), "Every kept view (2)")
        HUEY.immediate = False
        self.assertContains(self.order(piece, seen="every"), "Quay, east")
        first = Still.objects.order_by("pk").first().order
        self.assertEqual((first.name, first.camera), ("Gate", (10, -200, 300)))
        self.order(piece, seen="every")
        self.assertEqual(Still.objects.count(), 2, "none is drawn twice")

    def test_a_rectangle_is_named_that_goes_first(self):
        piece = self.piece()
        HUEY.immediate = False
        self.order(piece)
        still = Still.objects.get()
        first = reverse("deliveries:draw-first", args=[still.pk])
        self.client.post(first, {"rectangle": "0.5,0.25,0.25,0.5"})
        self.assertEqual(drawing.read_first(still.path), (32, 10, 16, 20))
        for nonsense in ("", "0,0,0,0", "nan,0,1,1", "0,0,2,1", "-1,0,1,1", "a,b,c,d", "0,0,1"):
            self.assertEqual(self.client.post(first, {"rectangle": nonsense}).status_code, 422, nonsense)
        for cut in (b"", b"[1,2", b"{}", b"[1,2,3]", b"[1,2,3,null]", b"\xff"):
            drawing.first_of(still.path).write_bytes(cut)
            self.assertIsNone(drawing.read_first(still.path), cut)
        still.cancel()
        drawing.first_of(still.path).unlink()
        self.client.post(first, {"rectangle": "0,0,1,1"})
        self.assertFalse(drawing.first_of(still.path).exists(), "it is no longer drawn")

    @long
    def test_two_of_one_size_are_compared_and_others_are_not(self):
        piece = self.piece()
        self.order(piece)
        one = Still.objects.get()
        self.assertContains(self.client.get(reverse("deliveries:compare-stills", args=[one.pk])), "No other still")
        self.order(piece, look="clay")
        self.order(piece, look="flat", ratio="1:1")
        page = self.client.get(reverse("deliveries:compare-stills", args=[one.pk]))
        self.assertContains(page, "<option", count=1)
        self.assertContains(self.get("deliveries:list-stills", piece), "Compare", count=2)
        page = self.client.get(reverse("deliveries:compare-stills", args=[one.pk]), {"with": "9999"})
        self.assertContains(page, "Wipe")

    @long
    def test_a_sweep_is_an_animation(self):
        piece = self.piece()
        self.enterContext(mock.patch.object(drawing, "FRAMES", 24))
        self.assertContains(self.order(piece, sweep="view"), "Download WEBP")
        still = Still.objects.get()
        with Image.open(still.path) as moving:
            self.assertEqual((moving.n_frames, moving.size), (24, (64, 40)))
        answer = self.client.get(reverse("deliveries:still-picture", args=[still.pk]))
        self.assertEqual(answer["Content-Type"], "image/webp")
        self.assertFalse(still.draft.exists())

    @long
    def test_a_draft_lies_beside_it_while_it_is_drawn(self):
        seen = []
        piece = self.piece()
        place = drawing.draft_of
        with (
            mock.patch.object(drawing, "DRAFT_EVERY", 0),
            mock.patch.object(drawing, "draft_of", lambda path: seen.append(path) or place(path)),
        ):
            recipe = piece.revisions.first().read()
            still = Still.objects.create(owner=piece.owner, revision=piece.revisions.first())
            still.path.parent.mkdir(parents=True, exist_ok=True)
            order = drawing.Order(40, 30, 2, "front", plain=True)
            drawing.draw_order(still.path, order, recipe, source_folder(), still.path.parent, Progress())
        self.assertGreater(len(seen), 2)
        self.assertTrue(still.path.exists() and not still.draft.exists())

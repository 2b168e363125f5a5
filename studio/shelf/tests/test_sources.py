"""Sources are kept once, as they came in; the demo is laid on the shelf once."""

import hashlib
import io
import tempfile
from pathlib import Path
from unittest import mock

import numpy as np
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.test import TestCase, override_settings
from django.urls import reverse

from relief.errors import PictureError
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.decode import decode
from relief.sources.facts import facts, seam_ratios
from relief.sources.picture import Picture
from relief.tests.tags import long
from studio.bench.models import Revision
from studio.bench.tests.case import HEIGHTS, png
from studio.middleware import the_artist
from studio.shelf.intake import keep_source, measure_anew
from studio.shelf.models import Piece, Source, TextureSet, read_source, source_path
from studio.shelf.sets import findings_of
from studio.shelf.tests.case import ShelfTestCase, grey


class SourceTests(ShelfTestCase):
    def test_a_source_whose_file_is_gone_cut_short_or_spoilt_is_there_again_when_it_is_brought_in_again(self):
        data = grey()
        source = keep_source(the_artist(), "a.png", data)
        place = source_path(source.digest)
        for spoil in (place.unlink, lambda: place.write_bytes(data[:50]), lambda: place.write_bytes(bytes(len(data)))):
            spoil()
            self.assertEqual(keep_source(the_artist(), "a.png", data), source)
            self.assertEqual(read_source(source.digest), data)

    def test_bytes_are_kept_under_their_hash_and_never_altered(self):
        data = grey()
        source = keep_source(the_artist(), "a.png", data)
        self.assertEqual(source.digest, hashlib.sha256(data).hexdigest())
        self.assertEqual(read_source(source.digest), data)
        self.assertEqual((source.facts.columns, source.facts.rows, source.facts.bits), (6, 4, 8))

    def test_the_same_picture_is_one_source_for_each_artist(self):
        other = get_user_model().objects.create(username="somebody-else")
        first = keep_source(the_artist(), "a.png", grey())
        self.assertEqual(keep_source(the_artist(), "b.png", grey()), first)
        self.assertNotEqual(keep_source(other, "a.png", grey()), first)
        self.assertEqual(Source.objects.count(), 2)

    def test_what_is_no_picture_leaves_neither_row_nor_file(self):
        with self.assertRaises(PictureError):
            keep_source(the_artist(), "a.png", b"no picture")
        self.assertEqual(Source.objects.count(), 0)
        self.assertFalse(source_path(hashlib.sha256(b"no picture").hexdigest()).exists())


@long
class LoadedDemoTests(TestCase):
    """The demo pieces, made once for all tests here."""

    @classmethod
    def setUpClass(cls):
        folder = cls.enterClassContext(tempfile.TemporaryDirectory())
        cls.enterClassContext(override_settings(MEDIA_ROOT=Path(folder)))
        super().setUpClass()

    @classmethod
    def setUpTestData(cls):
        call_command("load_demo", stdout=io.StringIO())

    def test_the_demo_is_loaded_once_and_what_was_changed_stays(self):
        count = Piece.objects.count()
        piece = Piece.objects.get(demo="scallop-tile-north-wall")
        piece.title = "My tile"
        piece.save()
        call_command("load_demo", stdout=io.StringIO())
        self.assertEqual(Piece.objects.count(), count)
        self.assertTrue(Piece.objects.filter(title="My tile").exists())

    def test_the_green_of_the_plaster_is_wrong_and_found(self):
        self.assertEqual([finding.kind for finding in findings_of(TextureSet.objects.get())], ["green"])

    def test_the_ceiling_goes_from_photo_to_a_tile_that_can_be_undone_step_by_step(self):
        piece = Piece.objects.get(demo="pressed-tin-ceiling")
        recipe = Revision.objects.now(piece).read()
        self.assertEqual(
            [treatment.kind for treatment in recipe.main.layers[0].treatments],
            ["crop", "even_light", "levels", "soften", "close_seam"],
        )
        height = Engine().run(Pipeline.of(recipe, read_source).height())
        self.assertEqual(height.edges.wraps, (True, True))
        self.assertLess(max(seam_ratios(height.samples)), 1.25)
        quarters = [part.mean() for half in np.array_split(height.samples, 2) for part in np.array_split(half, 2, 1)]
        self.assertLess(np.ptp(quarters), 0.05, "the light is even")
        self.assertEqual(piece.position, 4)

    def test_the_scallop_scan_tiles_and_uses_its_sixteen_bits(self):
        picture = picture_of("scallop-tile-north-wall")
        self.assertEqual(picture.bits, 16)
        self.assertLess(max(seam_ratios(picture.pixels.astype(np.float32))), 1.5)
        self.assertGreater(len(np.unique(picture.pixels)), 10_000)

    def test_the_ceiling_is_lit_unevenly_on_purpose(self):
        grey = picture_of("pressed-tin-ceiling").pixels.mean(axis=2)
        row, column = len(grey) // 2, grey.shape[1] // 2
        self.assertGreater(grey[:row, :column].mean(), grey[row:, column:].mean() * 1.1)


def picture_of(demo: str) -> Picture:
    """The one picture of a demo piece."""
    (source,) = Revision.objects.now(Piece.objects.get(demo=demo)).read().sources.values()
    return decode(read_source(source.digest), source.filename)


class EarlierVersionTests(ShelfTestCase):
    def test_a_source_that_an_earlier_version_knew_less_of_is_measured_once_more(self):
        source = keep_source(the_artist(), "dunes-height.png", png(HEIGHTS))
        source.refresh_from_db()
        whole = source.measured
        source.measured = {name: value for name, value in whole.items() if name != "lightness"}
        source.save()
        with mock.patch("studio.shelf.intake.facts", side_effect=facts) as measured:
            self.assertEqual((measure_anew(), measure_anew()), ([], []))
        self.assertEqual(measured.call_count, 1)
        source.refresh_from_db()
        self.assertEqual(source.measured, whole)

    def test_a_start_looks_past_what_it_cannot_read_and_the_shelf_says_it(self):
        gone, kept = (keep_source(the_artist(), f"{name}.png", png(HEIGHTS // (n + 1))) for n, name in enumerate("ab"))
        Source.objects.update(measured={"columns": 64, "rows": 48})
        source_path(gone.digest).unlink()
        self.assertEqual(measure_anew(), [gone])
        kept.refresh_from_db()
        self.assertEqual((kept.facts.columns, kept.problem), (64, ""))
        page = self.client.get(reverse("shelf:shelf"))
        self.assertContains(page, "missing from the data folder")
        for name, values in (("source", {}), ("swatch", {}), ("pixels", {}), ("assign", {"role": "mask"})):
            address = reverse(f"shelf:{name}", args=[gone.pk])
            answer = self.client.post(address, values) if values else self.client.get(address)
            self.assertLess(answer.status_code, 500, name)
        for look in ({"size": 1024}, {"colour": "red"}, {"role": "mask"}):
            self.assertEqual(self.client.get(reverse("shelf:shelf"), look).status_code, 200)
        again = keep_source(the_artist(), "a.png", png(HEIGHTS))
        self.assertEqual((again.pk, again.problem, again.facts.rows), (gone.pk, "", 48))

    def test_a_picture_is_never_called_a_mesh_nor_a_mesh_a_picture(self):
        picture = keep_source(the_artist(), "a.png", png(HEIGHTS))
        mesh = keep_source(the_artist(), "a.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
        for source, role, word in ((picture, "mesh", "not a mesh"), (mesh, "height", "not a picture")):
            answer = self.client.post(reverse("shelf:assign", args=[source.pk]), {"role": role})
            self.assertContains(answer, word, status_code=422)
            self.assertEqual(self.client.get(reverse("shelf:source", args=[source.pk])).status_code, 200)
        self.assertEqual(measure_anew(), [])

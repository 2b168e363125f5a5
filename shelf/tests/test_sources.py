"""Sources are kept once, as they came in; the demo is laid on the shelf once."""

import hashlib
import io
import tempfile

import numpy as np
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.test import TestCase, override_settings
from PIL import Image

from relief.errors import PictureError
from relief.sources.decode import decode
from relief.sources.facts import seam_ratios
from shelf.demo import scallops, tin_ceiling
from shelf.models import Piece, Source, read_source, source_path
from studio.middleware import the_artist


def png(value: int = 0) -> bytes:
    data = io.BytesIO()
    Image.fromarray(np.full((4, 6), value, np.uint8)).save(data, "PNG")
    return data.getvalue()


class ShelfTestCase(TestCase):
    def setUp(self):
        self.enterContext(override_settings(MEDIA_ROOT=self.enterContext(tempfile.TemporaryDirectory())))


class SourceTests(ShelfTestCase):
    def test_bytes_are_kept_under_their_hash_and_never_altered(self):
        data = png()
        source = Source.objects.keep(the_artist(), "a.png", data)
        self.assertEqual(source.digest, hashlib.sha256(data).hexdigest())
        self.assertEqual(read_source(source.digest), data)
        self.assertEqual((source.facts.columns, source.facts.rows, source.facts.bits), (6, 4, 8))

    def test_the_same_picture_is_one_source_for_each_artist(self):
        other = get_user_model().objects.create(username="somebody-else")
        first = Source.objects.keep(the_artist(), "a.png", png())
        self.assertEqual(Source.objects.keep(the_artist(), "b.png", png()), first)
        self.assertNotEqual(Source.objects.keep(other, "a.png", png()), first)
        self.assertEqual(Source.objects.count(), 2)

    def test_what_is_no_picture_leaves_neither_row_nor_file(self):
        with self.assertRaises(PictureError):
            Source.objects.keep(the_artist(), "a.png", b"no picture")
        self.assertEqual(Source.objects.count(), 0)
        self.assertFalse(source_path(hashlib.sha256(b"no picture").hexdigest()).exists())


class ShelfPageTests(ShelfTestCase):
    def test_an_empty_shelf_says_what_to_do_first(self):
        self.assertContains(self.client.get("/"), "Drop a picture on this page")


class DemoTests(ShelfTestCase):
    def test_the_demo_is_loaded_once_and_what_was_changed_stays(self):
        call_command("load_demo", stdout=io.StringIO())
        self.assertEqual(Piece.objects.count(), 2)
        piece = Piece.objects.get(demo="scallop-tile-north-wall")
        piece.title = "My tile"
        piece.save()
        call_command("load_demo", stdout=io.StringIO())
        self.assertEqual(Piece.objects.count(), 2)
        self.assertTrue(Piece.objects.filter(title="My tile").exists())

    def test_the_scallop_scan_tiles_and_uses_its_sixteen_bits(self):
        picture = decode(scallops.picture())
        self.assertEqual(picture.bits, 16)
        self.assertLess(max(seam_ratios(picture.pixels.astype(np.float32))), 1.5)
        self.assertGreater(len(np.unique(picture.pixels)), 10_000)

    def test_the_ceiling_is_lit_unevenly_on_purpose(self):
        grey = decode(tin_ceiling.picture()).pixels.mean(axis=2)
        row, column = len(grey) // 2, grey.shape[1] // 2
        self.assertGreater(grey[:row, :column].mean(), grey[row:, column:].mean() * 1.1)

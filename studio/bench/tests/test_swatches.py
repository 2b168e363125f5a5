"""Swatches of pieces: flat ones in relief, others on their own shape, drawn once and kept."""

import io
from functools import partial
from unittest import mock

import numpy as np
from django.urls import reverse
from PIL import Image

from relief.errors import ReliefError
from relief.recipe import surface_edits
from studio.bench.models import Revision
from studio.bench.pixels import swatches
from studio.bench.tests.case import StudioTestCase
from studio.shelf.looks import swatches_folder


class SwatchTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.object(swatches, "ON_SHAPE", 96))  # the size proves nothing
        self.flat = self.piece()
        self.round = self.piece()
        Revision.objects.edit(
            self.round, self.round.position, partial(surface_edits.choose_shape, kind="sphere", diameter=200)
        )
        self.round.refresh_from_db()

    def swatch(self, piece, **values) -> np.ndarray:
        answer = self.client.get(reverse("bench:swatch", args=[piece.pk, piece.position]), values)
        self.assertEqual(answer.status_code, 200)
        return np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"))

    def test_a_sphere_stands_as_a_sphere_before_its_ground(self):
        """A white ball of 200 mm fills most of the picture; its corners show what lies behind it."""
        seen = self.swatch(self.round).astype(float)
        self.assertEqual(seen.shape[:2], (swatches.ON_SHAPE,) * 2)
        bright = seen.mean(axis=2) > 1.25 * seen[:8, :8].mean()
        self.assertTrue(0.15 < bright.mean() < 0.8, bright.mean())
        rows, columns = np.nonzero(bright)
        self.assertLess(abs(np.ptp(rows) - np.ptp(columns)), 0.35 * np.ptp(columns), "it is round")
        np.testing.assert_array_equal(self.swatch(self.round, side="48"), self.swatch(self.flat, side="48"))

    def test_it_is_drawn_once_and_again_where_its_file_is_broken(self):
        seen = self.swatch(self.round)
        with mock.patch.object(swatches, "draw_on_shape", side_effect=AssertionError("drawn again")):
            np.testing.assert_array_equal(self.swatch(self.round), seen)
        (kept,) = swatches_folder().rglob("pieces/*.png")
        for broken in (b"", kept.read_bytes()[:200]):
            kept.write_bytes(broken)
            np.testing.assert_array_equal(self.swatch(self.round), seen)

    def test_where_it_cannot_be_drawn_it_is_flat(self):
        with mock.patch.object(swatches, "draw_on_shape", side_effect=ReliefError("no Embree")):
            np.testing.assert_array_equal(self.swatch(self.round), self.swatch(self.flat))

"""Treatments that place a picture: crop, straighten, turn, shift; and how its seam is closed."""

import math
from unittest import TestCase

import cv2
import numpy as np
import skimage.data
import skimage.filters
import skimage.transform

from relief.errors import RecipeError
from relief.sources.facts import seam_ratios
from relief.tests.height_fields import WRAP, field, rough
from relief.treat.close_seam import WAY_NAMES, CloseSeam
from relief.treat.crop import Crop
from relief.treat.shift import Shift
from relief.treat.straighten import Straighten
from relief.treat.turn import Turn, find_kept_part


class PlaceTests(TestCase):
    def test_crop_keeps_samples_and_scale(self):
        here = field(rough(80, 100), width=200)
        out = Crop(left=10, top=25, width=50, height=50).treat(here)
        np.testing.assert_array_equal(out.samples, here.samples[20:60, 10:60])
        self.assertEqual((out.footprint.width, out.footprint.height), (100, 80))
        self.assertEqual(out.spacing, here.spacing)

    def test_what_was_cut_no_longer_wraps_unless_it_meets(self):
        here = field(rough(40, 40), edges=WRAP)
        self.assertEqual(Crop(width=50).treat(here).edges.wraps, (False, True))
        photo = field(rough(233, 337), width=337)
        for left, top in ((0, 0), (11.3, 7.9), (33.33, 21.7), (59.1, 40.1)):
            square = Crop(left=left, top=top, width=100 * 101 / 337, height=100 * 101 / 233).treat(photo)
            self.assertEqual(square.samples.shape, (101, 101))
        self.assertEqual(Crop(width=50, height=50, meets=True).treat(here).edges.wraps, (True, True))
        beyond = Crop(left=60, width=50).treat(here)
        self.assertEqual(
            (beyond.samples.shape, beyond.footprint.width), ((40, 16), 40), "beyond the picture is nothing"
        )

    def test_a_photo_taken_at_an_angle_is_straightened(self):
        """The perspective is made by scikit-image `ProjectiveTransform` and `warp`, and undone here."""
        x, y = np.meshgrid(np.arange(200), np.arange(160))
        board = 0.5 + 0.25 * np.sin(x / 9) + 0.25 * np.cos(y / 7)
        corners = np.array([[22, 15], [180, 34], [168, 150], [8, 120]], float)
        square = np.array([[0, 0], [200, 0], [200, 160], [0, 160]], float)
        perspective = skimage.transform.ProjectiveTransform.from_estimate(corners - 0.5, square - 0.5)
        taken = skimage.transform.warp(board, perspective, order=3, cval=0.5)
        straight = Straighten(corners=tuple(map(tuple, corners / (200, 160))), ratio=200 / 160)
        out = straight.treat(field(taken, width=200))
        self.assertAlmostEqual(out.footprint.width / out.footprint.height, 1.25)
        expected = cv2.resize(board, out.samples.shape[::-1], interpolation=cv2.INTER_AREA)
        inside = np.s_[6:-6, 6:-6]
        self.assertLess(np.abs(out.samples - expected)[inside].mean(), 0.02)

    def test_corners_that_cross_are_refused_and_the_whole_changes_nothing(self):
        for corners in ("[[0,0],[1,1],[1,0],[0,1]]", "[[0,0],[1,0],[0.2,0.2],[0,1]]", "[[0,0],[1,0],[1,1]]"):
            with self.assertRaises(RecipeError):
                Straighten.create(corners=corners)
        here = field(rough(30, 40))
        np.testing.assert_allclose(Straighten().treat(here).samples, here.samples, atol=1e-6)

    def test_quarter_turns_are_numpys_and_four_are_none(self):
        here = field(rough(30, 40), width=80)
        turned = Turn(quarters=1).treat(here)
        np.testing.assert_array_equal(turned.samples, np.rot90(here.samples))
        self.assertEqual((turned.footprint.width, turned.footprint.height), (60, 80))
        for _ in range(3):
            turned = Turn(quarters=1).treat(turned)
        np.testing.assert_array_equal(turned.samples, here.samples)

    def test_a_small_turn_takes_each_place_from_where_it_was_before(self):
        """The rotation matrix, counter-clockwise with y up, on a surface given by its formula."""

        def height(x, y):
            return 0.5 + 0.3 * np.sin(x / 9) * np.cos(y / 13)

        x, y = np.meshgrid(np.arange(160) - 79.5, 59.5 - np.arange(120))
        out = Turn(angle=12).treat(field(height(x, y), width=160))
        rows, columns = out.samples.shape
        part = find_kept_part(160, 120, math.radians(12))
        self.assertEqual((rows, columns), (round(120 * part), round(160 * part)))
        x = (np.arange(columns) - (columns - 1) / 2) * out.footprint.width / columns
        y = ((rows - 1) / 2 - np.arange(rows)) * out.footprint.height / rows
        x, y = np.meshgrid(x, y)
        cosine, sine = math.cos(math.radians(12)), math.sin(math.radians(12))
        np.testing.assert_allclose(out.samples, height(cosine * x + sine * y, cosine * y - sine * x), atol=2.5e-3)
        self.assertAlmostEqual(find_kept_part(100, 100, math.radians(45)), 1 / math.sqrt(2), places=6)

    def test_a_turned_ramp_keeps_its_slope_in_mm(self):
        """On texels that are not square, of an odd number; within 1e-4 by the footprint it states."""
        x, y = np.meshgrid((np.arange(257) + 0.5) * 2, 95 - (np.arange(191) + 0.5) * 0.5)
        out = Turn(angle=7).treat(field(0.001 * x + 0.003 * y, width=514, height=95.5))
        down, across = np.gradient(out.samples[8:-8, 8:-8].astype(float))
        across /= out.footprint.width / out.samples.shape[1]
        down /= out.footprint.height / out.samples.shape[0]
        cosine, sine = math.cos(math.radians(7)), math.sin(math.radians(7))
        self.assertAlmostEqual(across.mean() / (0.001 * cosine - 0.003 * sine), 1, places=4)
        self.assertAlmostEqual(-down.mean() / (0.003 * cosine + 0.001 * sine), 1, places=4)

    def test_shift_by_half_shows_the_seam_in_the_middle_and_twice_is_nothing(self):
        here = field(rough(40, 60))
        once = Shift().treat(here)
        np.testing.assert_array_equal(once.samples, np.roll(here.samples, (20, 30), (0, 1)))
        np.testing.assert_array_equal(Shift().treat(once).samples, here.samples)
        self.assertEqual(once.edges.wraps, (True, True))


class SeamTests(TestCase):
    def test_every_way_closes_the_seam_of_real_photos(self):
        """scikit-image's `grass`, `gravel` and `brick` (CC0); a seam ratio of 1 is invisible."""
        for name in ("grass", "gravel", "brick"):
            photo = field(getattr(skimage.data, name)() / 255, width=512)
            before = max(seam_ratios(photo.samples))
            for way in WAY_NAMES:
                out = CloseSeam(way=way, band=60).treat(photo)
                self.assertLess(max(seam_ratios(out.samples)), 1.25, (name, way, before))
                self.assertEqual(out.edges.wraps, (True, True))
                size = 512 if way == "mirror" else 452
                self.assertEqual(out.samples.shape, (size, size))
                self.assertEqual(out.footprint.width, size, "the scale is kept")

    def test_no_line_shows_where_the_band_was_laid(self):
        """Shifted by half, the steps along the old seam are no larger than elsewhere."""
        photo = field(skimage.data.gravel() / 255, width=512)
        for way in WAY_NAMES:
            shifted = Shift().treat(CloseSeam(way=way, band=60).treat(photo)).samples
            steps = np.abs(np.diff(shifted, axis=1)).mean(axis=0)
            self.assertLess(steps.max(), 1.6 * np.median(steps), way)

    def test_contrast_is_kept_where_a_fade_goes_flat(self):
        """Heitz & Neyret 2018: mixing half and half leaves 1 / sqrt 2 of the standard deviation; theirs keeps all."""
        noise = np.random.default_rng(5).random((256, 256))
        inside = noise.std()
        spread = {}
        for way in ("fade", "contrast"):
            out = CloseSeam(way=way, band=64, directions="across").treat(field(noise, width=256)).samples
            spread[way] = out[:, 28:36].std() / inside
        self.assertAlmostEqual(spread["fade"], 1 / math.sqrt(2), delta=0.03)
        self.assertAlmostEqual(spread["contrast"], 1, delta=0.05)

    def test_a_cut_takes_the_way_that_costs_nothing(self):
        """Efros & Freeman 2001: where both bands agree along a path, the cut follows it."""
        from relief.treat.close_seam import cut_weight

        rows, columns = 40, 21
        path = 10 + np.rint(6 * np.sin(np.arange(rows) / 6)).astype(int)
        left = np.random.default_rng(0).random((rows, columns)).astype(np.float32)
        right = left + 0.5
        for step in (-1, 0, 1):
            right[np.arange(rows), path + step] = left[np.arange(rows), path + step]
        weight = cut_weight(left, right, wraps_down=False)
        crossing = np.abs(weight - 0.5).argmin(axis=1)
        self.assertLessEqual(np.abs(crossing - path).max(), 2)

    def test_one_direction_leaves_the_other_alone(self):
        here = field(rough(64, 64), width=64)
        out = CloseSeam(directions="down", band=10).treat(here)
        self.assertEqual((out.samples.shape, out.edges.wraps), ((54, 64), (False, True)))

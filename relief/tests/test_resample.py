"""Another number of texels: what is even stays even, a ramp stays a ramp, and nothing is gained or lost."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from relief.compose.layout import Layout
from relief.filters.resample import resample, resample_by_area, resample_field, shrink
from relief.generate.generator import Grid
from relief.height import Footprint
from relief.maps.slopes import slopes, steepness
from relief.tests.height_fields import CLAMP, WRAP, centres, field, rough

WRAPS, CLAMPS = (True, True), (False, False)


class ShrinkingTests(TestCase):
    def test_a_ramp_keeps_one_step_at_an_odd_ratio(self):
        small = resample(np.tile(np.arange(1200, dtype=np.float32), (4, 1)), 4, 1024, "area", CLAMPS)
        np.testing.assert_allclose(np.diff(small[1]), 1200 / 1024, atol=2e-4)
        np.testing.assert_allclose(small[1], (np.arange(1024) + 0.5) * 1200 / 1024 - 0.5, atol=1e-4)

    @given(st.integers(1, 70), st.integers(1, 70), st.integers(1, 70), st.integers(1, 70), st.booleans(), st.booleans())
    def test_constants_planes_and_the_mean_come_through(self, rows, columns, fewer_rows, fewer_columns, across, down):
        """A plane's mean over a texel is its height at the texel's middle."""
        fewer_rows, fewer_columns = min(rows, fewer_rows), min(columns, fewer_columns)
        even = np.full((rows, columns), 0.3, np.float32)
        self.assertEqual(
            set(resample_by_area(even, fewer_rows, fewer_columns, (across, down)).ravel()), {np.float32(0.3)}
        )
        noise = np.random.default_rng(rows * 71 + columns).random((rows, columns), np.float32)
        small = resample_by_area(noise, fewer_rows, fewer_columns, (across, down))
        self.assertAlmostEqual(float(small.mean(dtype=float)), float(noise.mean(dtype=float)), places=6)
        plane = 0.2 + centres(columns)[None, :] * 0.7 - centres(rows)[:, None] * 0.4
        expected = 0.2 + centres(fewer_columns)[None, :] * 0.7 - centres(fewer_rows)[:, None] * 0.4
        if columns > 1 and rows > 1:  # one texel does not say how steep the plane was
            np.testing.assert_allclose(resample_by_area(plane, fewer_rows, fewer_columns), expected, atol=2e-7)

    def test_whole_ratios_are_plain_means(self):
        noise = np.random.default_rng(2).random((12, 35), np.float32)
        expected = noise.reshape(4, 3, 7, 5).mean(axis=(1, 3))
        np.testing.assert_allclose(resample(noise, 4, 7, "area", WRAPS), expected, atol=1e-7)

    def test_a_wave_is_averaged_as_its_integral_says(self):
        """The mean of cos over (a, b) is (sin b - sin a) / (b - a)."""
        old, new = 1500, 1024
        ends = 2 * np.pi * 7 * np.arange(old + 1) / old
        wave = np.diff(np.sin(ends)) / np.diff(ends)
        ends = 2 * np.pi * 7 * np.arange(new + 1) / new
        small = resample_by_area(np.tile(wave, (3, 1)), 3, new, WRAPS)
        np.testing.assert_allclose(small[1], np.diff(np.sin(ends)) / np.diff(ends), atol=2e-5)

    def test_normals_carry_no_grid_at_odd_ratios(self):
        """Slopes of a product of waves against the closed form, on texels twice as wide as high."""
        for old in (1500, 2000, 1111):
            y, x = 2 * np.pi * centres(old // 2)[:, None], 2 * np.pi * centres(old)[None, :]
            heights = 0.5 + 0.25 * np.sin(5 * x) * np.cos(3 * y)
            small = resample_field(field(heights, 300, 300, WRAP), 512, 1024, "area")
            y, x = 2 * np.pi * centres(512)[:, None], 2 * np.pi * centres(1024)[None, :]
            right = 0.25 * 5 * np.cos(5 * x) * np.cos(3 * y) * 2 * np.pi / 300 * 20
            up = 0.25 * 3 * np.sin(5 * x) * np.sin(3 * y) * 2 * np.pi / 300 * 20
            found = slopes(small, 20)
            apart = np.hypot(np.arctan(found[..., 0]) - np.arctan(right), np.arctan(found[..., 1]) - np.arctan(up))
            self.assertLess(np.degrees(apart.max()), 0.05, old)

    def test_whole_numbers_stay_in_their_type_and_range(self):
        rng = np.random.default_rng(3)
        for dtype in (np.uint8, np.uint16, np.uint32):
            picture = rng.choice(np.array([0, np.iinfo(dtype).max], dtype), (41, 67, 3))
            small = shrink(picture, 50)
            self.assertEqual((small.dtype, small.shape), (dtype, (31, 50, 3)))
            apart = np.abs(small.mean(axis=(0, 1)) - picture.mean(axis=(0, 1))) / np.iinfo(dtype).max
            self.assertLess(apart.max(), 0.01)


class EnlargingTests(TestCase):
    def test_a_smooth_layer_is_not_laid_as_flat_texels(self):
        smooth = rough(128, 128, seed=4)
        layer = field(smooth, 300, edges=WRAP)
        grid = Grid(1024, 1024, Footprint(width=300, height=300))
        laid = field(Layout().repeat(resample_field(layer, 1024, 1024, "area").samples, grid), 300, edges=WRAP)
        flat = np.mean(np.hypot(*np.moveaxis(slopes(laid, 20), -1, 0)) == 0)
        self.assertLess(flat, 0.001)
        steep, before = (np.percentile(steepness(here, 20), 95) for here in (laid, layer))
        self.assertAlmostEqual(steep, before, delta=2)

    def test_one_side_grows_while_the_other_shrinks(self):
        plane = centres(90)[None, :] * 0.5 + centres(40)[:, None] * 0.25
        turned = resample(plane, 130, 37, "area", CLAMPS)
        expected = centres(37)[None, :] * 0.5 + centres(130)[:, None] * 0.25
        np.testing.assert_allclose(turned, expected, atol=1e-6)

    def test_averages_stay_within_what_is_averaged(self):
        """Pictures of two levels, checks and noise, at ratios near 1 and far from it; the mean of all stays."""
        rng = np.random.default_rng(6)
        for rows, columns, new_rows, new_columns in (
            (120, 131, 102, 130), (97, 64, 96, 33), (60, 60, 51, 59), (33, 200, 32, 7), (40, 41, 13, 40)
        ):  # fmt: skip
            for samples in (
                (rng.random((rows, columns)) > 0.5).astype(np.float32), rng.random((rows, columns), np.float32),
                (np.indices((rows, columns)).sum(axis=0) % 2).astype(np.float32),
            ):  # fmt: skip
                for wraps in ((False, False), (True, False), (True, True)):
                    small = resample_by_area(samples, new_rows, new_columns, wraps)
                    self.assertGreaterEqual(small.min(), samples.min())
                    self.assertLessEqual(small.max(), samples.max())
                    self.assertAlmostEqual(float(small.mean(dtype=float)), float(samples.mean(dtype=float)), places=6)
        coloured = (rng.random((50, 44, 3)) > 0.3).astype(np.uint8) * 255
        each = [resample_by_area(coloured[..., part], 43, 41) for part in range(3)]
        np.testing.assert_array_equal(resample_by_area(coloured, 43, 41), np.dstack(each))

    def test_a_ramp_keeps_its_slope_up_to_an_edge_that_does_not_wrap(self):
        ramp = np.tile(centres(40), (30, 1))
        for method in ("area", "bicubic", "bilinear", "lanczos"):
            large = resample_field(field(ramp, 100, 75, CLAMP), 171, 203, method).samples
            np.testing.assert_allclose(large[0], centres(203), atol=2e-3 if method == "lanczos" else 1e-6)

    def test_what_tiles_goes_on_tiling(self):
        """Laid beside itself and then enlarged it is the same as enlarged and then laid beside itself."""
        tile = rough(33, 48, seed=6)
        for rows, columns in ((100, 131), (20, 131), (20, 31)):
            once = resample(tile, rows, columns, "area", WRAPS)
            twice = resample(np.tile(tile, (2, 2)), 2 * rows, 2 * columns, "area", WRAPS)
            np.testing.assert_allclose(twice, np.tile(once, (2, 2)), atol=1e-5)

"""Treatments against their references, and what they do where a field wraps."""

from unittest import TestCase

import numpy as np
import scipy.ndimage

from relief.sources.facts import seam_ratios
from relief.tests.fields import CLAMP, WRAP, field, rough
from relief.treat import TREATMENTS
from relief.treat.invert import Invert
from relief.treat.levels import Levels, levels
from relief.treat.soften import Soften, gaussian


class LevelsTests(TestCase):
    def test_ends_middle_and_what_lies_beyond(self):
        samples = np.array([0, 0.2, 0.5, 0.8, 1], np.float32)
        np.testing.assert_allclose(levels(samples, 0.2, 0.8, 1), [0, 0, 0.5, 1, 1], atol=1e-6)

    def test_gamma_is_a_plain_power(self):
        """Common practice, no source: 2.2 on mid grey gives 0.5 ** (1 / 2.2) = 0.7297."""
        np.testing.assert_allclose(levels(np.float32([0, 0.5, 1]), 0, 1, 2.2), [0, 0.72974, 1], atol=1e-5)

    def test_the_plain_setting_changes_nothing(self):
        samples = rough(20, 20).astype(np.float32)
        np.testing.assert_array_equal(levels(samples, 0, 1, 1), samples)


class SoftenTests(TestCase):
    def test_against_scipy(self):
        """`scipy.ndimage.gaussian_filter`, modes `wrap` and `nearest`, with different widths across and down."""
        samples = rough(50, 70, seed=2).astype(np.float32)
        for sigma in ((0.6, 0.6), (3, 1.5), (9, 0)):
            for wraps, mode in (((True, True), "wrap"), ((False, False), "nearest")):
                expected = scipy.ndimage.gaussian_filter(samples, sigma[::-1], mode=mode)
                np.testing.assert_allclose(gaussian(samples, sigma, wraps), expected, atol=2e-6)

    def test_a_radius_in_mm_looks_the_same_at_every_resolution(self):
        fine = field(rough(512, 512, seed=3), width=100, edges=WRAP)
        coarse = field(fine.samples.reshape(256, 2, 256, 2).mean(axis=(1, 3)), width=100, edges=WRAP)
        softened = Soften(radius=2).treat(fine).samples.reshape(256, 2, 256, 2).mean(axis=(1, 3))
        np.testing.assert_allclose(Soften(radius=2).treat(coarse).samples, softened, atol=2e-3)

    def test_a_radius_wider_than_the_footprint_levels_all(self):
        softened = Soften(radius=1000).treat(field(rough(24, 24), width=10, edges=WRAP)).samples
        self.assertLess(np.ptp(softened), 1e-3)


class EveryTreatmentTests(TestCase):
    def test_the_files_of_the_folder_are_found(self):
        self.assertEqual(set(TREATMENTS), {"levels", "soften", "invert"})

    def test_what_tiles_keeps_tiling_and_keeps_its_shape_and_type(self):
        samples = rough(64, 96, seed=5)
        for treatment in (Levels(black=0.1, white=0.9, gamma=0.7), Soften(radius=3), Invert()):
            here = field(samples, width=96, edges=WRAP)
            treated = treatment.treat(here).samples
            self.assertEqual((treated.shape, treated.dtype), ((64, 96), np.float32))
            moved = treatment.treat(here.with_samples(np.roll(samples, (20, 33), (0, 1)))).samples
            np.testing.assert_allclose(moved, np.roll(treated, (20, 33), (0, 1)), atol=1e-6)
            self.assertLess(max(seam_ratios(treated)), 1.4)

    def test_invert_twice_is_nothing(self):
        here = field(rough(10, 10), edges=CLAMP)
        np.testing.assert_allclose(Invert().treat(Invert().treat(here)).samples, here.samples, atol=1e-6)

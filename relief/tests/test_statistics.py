"""Figures of very many samples: all of them count, wherever stripes fall."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from relief.filters.statistics import deviations, draw_some, percentiles
from relief.inspect.readings import readings
from relief.tests.height_fields import field
from relief.tests.tags import long
from relief.treat.normalise import Normalise


class PercentileTests(TestCase):
    def test_percentiles_are_numpys(self):
        rng = np.random.default_rng(1)
        for samples in (
            rng.random(300_001), rng.normal(5, 1e-3, 700_000), np.rint(rng.random(500_000) * 255) / 255,
            np.append(rng.random(400_000), [1e9, -1e9]), np.full(300_000, 0.3), rng.random(1000),
        ):  # fmt: skip
            samples = samples.astype(np.float32)
            shares = (0, 0.5, 25, 50, 95, 99.5, 100)
            expected = np.percentile(samples, shares, method="linear" if samples.size < 2000 else "closest_observation")
            inner = np.ptp(np.percentile(samples, (0.5, 99.5)))
            np.testing.assert_allclose(percentiles(samples, *shares)[1:-1], expected[1:-1], atol=2e-5 * inner + 1e-7)
            np.testing.assert_allclose(
                percentiles(samples, 0, 100), [samples.min(), samples.max()], rtol=1e-6, atol=1e-8
            )

    def test_deviations_are_what_they_are_in_double_precision(self):
        samples = np.random.default_rng(2).normal(100, 0.01, (700, 901)).astype(np.float32)
        found, double = deviations(samples), samples.astype(float)
        self.assertAlmostEqual(found.mean, double.mean(), places=9)
        self.assertAlmostEqual(found.root_mean_square, double.std(), places=9)
        self.assertAlmostEqual(found.mean_distance, np.abs(double - double.mean()).mean(), places=9)
        self.assertEqual(found.at_ends, 2 / samples.size)

    def test_a_handful_is_fair(self):
        stripes = np.tile(np.arange(16) < 3, (512, 128))
        self.assertAlmostEqual(draw_some(stripes, 10_000).mean(), 3 / 16, delta=0.01)


class StripeTests(TestCase):
    """Stripes of 16 texels: any sample of n that keeps step with them sees one place of each only."""

    @long
    def test_readings_of_stripes(self):
        """ISO 25178-2: Sq of a square wave of heights 0 and 1 is half, of unequal parts sqrt(p (1 - p))."""
        for high in (8, 2):
            stripes = field(np.tile((np.arange(16) < high).astype(float), (4096, 256)), 4096, 4096)
            taken = readings(stripes, amplitude=5, midlevel=0.5)
            part = high / 16
            self.assertAlmostEqual(taken.sq, 5 * np.sqrt(part * (1 - part)), places=4)
            self.assertAlmostEqual(taken.sa, 5 * 2 * part * (1 - part), places=4)
            self.assertEqual(taken.clipped, 1)

    def test_normalise_sees_every_stripe(self):
        ramp = np.tile(np.arange(16) / 16, (2048, 128))
        out = Normalise(low=0, high=0).treat(field(ramp, 100)).samples
        self.assertAlmostEqual(float(out.min()), 0, places=5)
        self.assertAlmostEqual(float(out.max()), 1, places=5)

"""The made-up world that the network is taught on: that its photos show what its truth says."""

from unittest import TestCase

import numpy as np

from relief.tests.tags import long
from tools.learn.ground import FAMILIES, SIDE
from tools.learn.photo import SHOWN, make_example, paint


class WorldTests(TestCase):
    @long
    def test_every_family_is_a_relief_without_holes(self):
        for name, family in FAMILIES.items():
            for seed in range(3):
                ground = family(np.random.default_rng(seed))
                self.assertEqual(ground.height.shape, (SIDE, SIDE), name)
                self.assertTrue(np.isfinite(ground.height).all(), name)
                self.assertGreater(np.ptp(ground.height), 0, name)
                colours = paint(ground, np.random.default_rng(seed))
                self.assertTrue(colours.min() >= 0.02 and colours.max() <= 0.97, name)

    def test_a_seed_gives_the_same_example_and_another_gives_another(self):
        one, same, other = (make_example(seed) for seed in (5, 5, 6))
        for field, again in zip(one, same, strict=True):
            np.testing.assert_array_equal(field, again)
        self.assertGreater(np.abs(one.photo.astype(float) - other.photo).mean(), 1)

    @long
    def test_what_faces_the_light_is_brighter_and_the_colour_is_the_photo_without_its_light(self):
        """In the mean of many: the light comes from the right, so that a slope down to the right is lit; and a photo is
        its colour times a light that depends on the slope, which two examples of one colour would show.
        """
        alike, even = [], []
        for seed in range(36):
            example = make_example(seed)
            self.assertEqual(example.photo.shape, (SHOWN, SHOWN, 3))
            self.assertTrue(np.isfinite(example.slopes.astype(float)).all())
            light = (example.photo.mean(axis=2) / 255 + 0.02) ** 2.2 / (
                example.colour.astype(float).mean(axis=2) + 0.02
            )
            across = example.slopes[..., 0].astype(float)
            if across.std() > 0.02:
                (alike if example.sun else even).append(np.corrcoef(light.ravel(), -across.ravel())[0, 1])
        self.assertGreater(np.mean(alike), 0.5)
        self.assertLess(abs(np.mean(even)), 0.2)

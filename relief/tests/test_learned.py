"""The network that reads one photo, on surfaces and by a renderer that it was not taught with."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

import cv2
import numpy as np

from relief.depth import learned
from relief.depth.learned import WEIGHTS, features, read_photo
from relief.depth.light import Light
from relief.depth.series import photos_of
from relief.errors import ReliefError
from relief.made.rendering import true_normals
from relief.made.surfaces import ELEVATION, surface_called
from relief.sources.decode import decode
from relief.tests.long import long


def apart(one: np.ndarray, other: np.ndarray) -> float:
    """The mean angle between two fields of normals, degrees."""
    return float(np.degrees(np.arccos(np.clip((one * other).sum(axis=2), -1, 1))).mean())


def noise_photo(rows: int = 150, columns: int = 97) -> np.ndarray:
    """A soft photo of nothing, in linear light."""
    grey = cv2.GaussianBlur(np.random.default_rng(3).random((rows, columns), np.float32), (0, 0), 3)
    return np.dstack([0.2 + 2 * (grey - 0.4)] * 3).clip(0, 1)


class LearnedTests(TestCase):
    def tearDown(self):
        learned._network.cache_clear()

    @long
    def test_surfaces_that_it_was_not_taught_are_read_better_than_flat(self):
        off, flat = [], []
        for number, key in enumerate(("fender-rope-mat", "slipway-cobble", "tide-flat", "oyster-plaster")):
            made = surface_called(key).make(256)
            azimuth = (20, 135, 250, 70)[number]
            photo = photos_of([decode(made.photo(azimuth, number), "photo.jpg")])[0]
            truth = true_normals(made.height, made.texel)
            off.append(apart(read_photo(photo, Light(azimuth, ELEVATION)).normals, truth))
            flat.append(apart(np.broadcast_to([0, 0, 1.0], truth.shape), truth))
        self.assertLess(np.mean(off), 0.8 * np.mean(flat))

    def test_a_photo_that_is_turned_gives_normals_that_are_turned(self):
        photo = noise_photo()
        for turns in (1, 2, 3):
            straight = read_photo(photo, Light(30, 40)).slopes
            turned = read_photo(np.rot90(photo, turns).copy(), Light((30 + 90 * turns) % 360, 40)).slopes
            angle = np.pi / 2 * turns
            across, up = np.rot90(straight[..., 0], turns), np.rot90(straight[..., 1], turns)
            expected = np.dstack(
                [across * np.cos(angle) - up * np.sin(angle), across * np.sin(angle) + up * np.cos(angle)]
            )
            middle = np.s_[24:-24, 24:-24]
            self.assertLess(np.abs(turned - expected)[middle].mean(), 0.02)

    def test_what_is_mirrored_about_the_light_gives_the_mirrored_surface(self):
        photo = noise_photo(96, 96)
        one = read_photo(photo, Light(0, 35))
        other = read_photo(photo[::-1].copy(), Light(0, 35))
        np.testing.assert_allclose(one.slopes, other.slopes[::-1] * [1, -1], atol=1e-4)

    def test_the_same_photo_gives_the_same_numbers(self):
        photo = noise_photo()
        np.testing.assert_array_equal(read_photo(photo, Light(75, 30)).slopes, read_photo(photo, Light(75, 30)).slopes)

    def test_photos_of_any_shape_and_of_nothing(self):
        for photo in (
            np.full((1, 1, 3), 0.5, np.float32),
            np.full((2, 700, 3), 0.1, np.float32),
            np.zeros((33, 47, 3), np.float32),
            np.ones((64, 64, 3), np.float32),
            np.random.default_rng(1).random((70, 50, 3), np.float32),
        ):
            told = read_photo(photo, Light(210, 20))
            self.assertEqual(told.slopes.shape, (*photo.shape[:2], 2))
            self.assertTrue(all(np.isfinite(field).all() for field in told))
            np.testing.assert_allclose(np.linalg.norm(told.normals, axis=2), 1, atol=1e-5)

    def test_features_of_two_tones_by_hand(self):
        photo = np.full((2, 2, 3), 0.2, np.float32)
        photo[:, 1] = 0.6
        level, logarithm, red, blue, flat, spread = features(photo, 45)
        np.testing.assert_allclose(level, [[-0.5, 0.5]] * 2, atol=1e-3)
        np.testing.assert_allclose(logarithm[0], np.log([0.21 / 0.41, 0.61 / 0.41]), atol=1e-5)
        np.testing.assert_allclose(np.stack([red, blue]), 12 * np.array([[[-0.0051, 0.0051]] * 2] * 2), atol=0.06)
        np.testing.assert_allclose(flat, 0, atol=1e-6)
        np.testing.assert_allclose(spread, 2 * 0.2001 / 0.41 - 1, atol=1e-3)

    def test_weights_that_are_missing_or_cut_are_said(self):
        with TemporaryDirectory() as folder:
            cut = Path(folder, "cut.onnx")
            cut.write_bytes(WEIGHTS.read_bytes()[:5000])
            for path in (Path(folder, "missing.onnx"), cut):
                learned._network.cache_clear()
                with mock.patch("relief.depth.learned.WEIGHTS", path), self.assertRaisesRegex(ReliefError, "missing"):
                    read_photo(noise_photo(), Light(0, 45))

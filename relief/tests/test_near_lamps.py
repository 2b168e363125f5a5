"""Lamps that stand near, against a renderer of point lamps that shares no code with what is measured."""

from __future__ import annotations

import json
from functools import cache

import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter

from relief.depth.light import Ball, Light
from relief.depth.series import Measured, measure_series, photos_of
from relief.sources.decode import decode
from relief.synthetic.rendering import how_open, photograph, photograph_ball, photograph_near
from relief.synthetic.surfaces import find_surface
from relief.tests.command import CommandTestCase
from relief.tests.tags import long

LIGHTS = tuple(Light(20 + 60 * number, 40 + 14 * (number % 2)) for number in range(6))
TEXEL = 1.5
WIDTH = 240.0


@cache
def plate() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A hilly plate 240 mm wide, its paint in two colours, and how open it lies."""
    rng = np.random.default_rng(11)
    height = gaussian_filter(rng.random((111, 160)), 4)
    height = (height - height.mean()) / height.std() * 1.1
    paint = 0.25 + 0.5 * (gaussian_filter(rng.random((111, 160)), 5) > 0.5)
    return height, paint[..., None], how_open(height, TEXEL)


def photos(distance: float | None, lights: tuple[Light, ...] = LIGHTS, seed: int = 1) -> list[np.ndarray]:
    """Its photos with some light from everywhere and grain, from a lamp at a distance in mm or far away."""
    height, paint, openness = plate()
    rng, taken = np.random.default_rng(seed), []
    for light in lights:
        if distance is None:
            photo = photograph(height, TEXEL, light.azimuth, light.elevation, paint, 0.15, openness=openness)
        else:
            lamp = tuple(light.direction * distance)
            photo = photograph_near(height, TEXEL, lamp, paint, 0.15, openness=openness)
        taken.append((photo + rng.normal(0, 0.003, photo.shape)).astype(np.float32))
    return taken


def error(found: Measured) -> float:
    """Of the height, RMS in mm."""
    return float((found.height - plate()[0]).std())


class NearLampTests(CommandTestCase):
    def test_the_renderer_shades_a_plane_as_the_inverse_square_says(self):
        """E = I cos / r^2 (Lambert's cosine law and the inverse square law), on a level plane in closed form."""
        plane = photograph_near(np.zeros((5, 9)), 10, (30.0, -20.0, 60.0), 1.0)[..., 0]
        x, y = (np.arange(9) - 4) * 10.0, (2 - np.arange(5)) * 10.0
        square = (30 - x[None, :]) ** 2 + (-20 - y[:, None]) ** 2 + 60**2
        np.testing.assert_allclose(plane, 60 / square**1.5 * (30**2 + 20**2 + 60**2), rtol=1e-5)

    @long
    def test_a_near_lamp_is_found_and_corrected(self):
        """The height is within 1.5 times the error of lamps far away, which are not taken for near ones."""
        far = measure_series(photos(None), LIGHTS, (TEXEL, TEXEL))
        self.assertTrue(np.isinf(far.distance.best))
        self.assertEqual(far.distance.remark, "")
        for distance in (350.0, 700.0):
            uncorrected = measure_series(photos(distance), LIGHTS, (TEXEL, TEXEL), distance=np.inf)
            found = measure_series(photos(distance), LIGHTS, (TEXEL, TEXEL))
            self.assertAlmostEqual(found.distance.best, distance, delta=0.03 * distance)
            self.assertLessEqual(found.distance.least, distance)
            self.assertGreaterEqual(found.distance.most, distance)
            self.assertLess(error(found), 1.5 * error(far))
            self.assertGreater(error(uncorrected), 20 * error(far), "without it the whole is bowed")
            self.assertIn("were near", found.distance.remark)

    @long
    def test_far_lamps_are_not_taken_for_near_ones(self):
        """Four photos of surfaces that are nearly flat, as JPEG: what is left unexplained is grain."""
        for key in ("ticket-hall-floor", "limewash", "pavilion-shingle", "deckchair-canvas"):
            made = find_surface(key).make(160)
            lights = [Light(11 + 90 * number, 40 if number % 2 else 55) for number in range(4)]
            files = [made.photo(light.azimuth, seed, light.elevation) for seed, light in enumerate(lights)]
            taken = photos_of([decode(file, "photo.jpg") for file in files])
            found = measure_series(taken, lights, (made.texel, made.texel))
            self.assertTrue(np.isinf(found.distance.best), key)

    @long
    def test_directions_that_were_seen_at_a_ball_in_a_corner(self):
        """Lamps at known places; each direction is that from the ball, as a mirrored ball tells it."""
        distance, ball = 450.0, np.array([95.0, -60.0, 0.0])
        towards = [distance * light.direction - ball for light in LIGHTS]
        seen = [Light.towards(way) for way in towards]
        found = measure_series(photos(distance), seen, (TEXEL, TEXEL), distance=distance, seen_from=(95.0, -60.0))
        astray = measure_series(photos(distance), seen, (TEXEL, TEXEL), distance=distance)
        self.assertLess(error(found), 0.1)
        self.assertGreater(error(astray), 10 * error(found))

    def test_strengths_of_near_lamps(self):
        """As one that was held nearer by hand, or a camera that exposes by itself."""
        strengths = np.array([1, 0.7, 1.2, 0.8, 1.3, 1.0])
        taken = [photo * np.float32(each) for photo, each in zip(photos(400.0), strengths, strict=True)]
        found = measure_series(taken, LIGHTS, (TEXEL, TEXEL), distance=400.0)
        np.testing.assert_allclose(found.strengths, strengths / strengths.mean(), rtol=0.02)
        self.assertLess(error(found), 0.2)

    def test_three_photos_do_not_tell(self):
        found = measure_series(photos(400.0)[::2], LIGHTS[::2], (TEXEL, TEXEL))
        self.assertTrue(np.isinf(found.distance.best))
        self.assertIn("Three photos", found.distance.remark)
        told = measure_series(photos(400.0)[::2], LIGHTS[::2], (TEXEL, TEXEL), distance=400.0)
        self.assertEqual(told.distance.remark, "")
        self.assertLess(error(told), 0.5 * error(found))

    @long
    def test_the_command_says_how_far_the_lamps_stood(self):
        ball, distance = Ball(133, 84, 24), 500.0
        place = np.array([*ball.place(111, 160, (TEXEL, TEXEL)), 0.0])
        names = []
        for number, (light, photo) in enumerate(zip(LIGHTS, photos(distance), strict=True)):
            way = distance * light.direction - place
            mirrored = photograph_ball(111, 160, (ball.x, ball.y, ball.radius), way / np.linalg.norm(way))
            shown = np.where(ball.texels(111, 160)[..., None], mirrored[..., None], photo)
            encoded = np.where(shown <= 0.0031308, 12.92 * shown, 1.055 * np.maximum(shown, 0) ** (1 / 2.4) - 0.055)
            names.append(self.folder / f"plate-{number}.png")
            Image.fromarray(np.rint(np.clip(encoded, 0, 1) * 255).astype(np.uint8)).save(names[-1])
        options = ("--ball", ball.x, ball.y, ball.radius, "--footprint", WIDTH, TEXEL * 111, "--out", self.folder)
        code, out, _ = self.run_command("lights", *names, *options)
        told = json.loads(out)
        self.assertEqual(code, 0)
        least, most = told["lamp_distance_between_mm"]
        self.assertTrue(least <= distance <= most < 1.4 * distance, told)
        self.assertIn("were near", told["remarks"][0])
        given = json.loads(self.run_command("lights", *names, *options, "--lamp-distance", 480)[1])
        self.assertEqual((given["lamp_distance_mm"], given["remarks"]), (480, []))
        far = json.loads(self.run_command("lights", *names, *options, "--far")[1])
        self.assertIsNone(far["lamp_distance_mm"])
        for wrong in (3, -5, "nan", 0):
            code, _, complaint = self.run_command("lights", *names, *options, "--lamp-distance", wrong)
            self.assertEqual((code != 0, "Traceback" in complaint), (True, False))

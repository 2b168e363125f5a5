"""Depth from the light in one photo: against closed forms, and against a renderer that shares no code with it."""

from __future__ import annotations

import io
import json
import math
from unittest import TestCase

import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter

from relief.depth.light import Light
from relief.depth.shading import (
    AROUND,
    Parted,
    certainty,
    estimate_light,
    height_of_waves,
    log_of_light,
    make_waves,
    part_paint,
)
from relief.inspect.start import set_from_statistics, suggest_start
from relief.recipe.relief import CONTENT_PATH
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.synthetic.rendering import photograph, true_normals
from relief.synthetic.truth import angle_to
from relief.tests.command import CommandTestCase
from relief.tests.height_fields import rough
from relief.tests.tags import long


def lit_by_hand(slope: np.ndarray, elevation: float) -> np.ndarray:
    """How brightly slopes along the light are lit, level ground being 1: the dull law with light from everywhere."""
    up = np.radians(elevation)
    facing = np.sin(up - np.arctan(slope))
    return ((1 - AROUND) * np.maximum(facing, 0) + AROUND) / ((1 - AROUND) * np.sin(up) + AROUND)


def unpainted(lit: np.ndarray) -> Parted:
    """How brightly a surface of one paint is lit."""
    return Parted(lit, np.zeros_like(lit))


def encoded(light: np.ndarray, form: str = "PNG") -> bytes:
    """sRGB with 8 bits (IEC 61966-2-1)."""
    light = np.clip(light, 0, 1)
    shown = np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)
    data = io.BytesIO()
    Image.fromarray(np.rint(shown * 255).astype(np.uint8)).save(data, form, quality=93)
    return data.getvalue()


class ClosedFormTests(TestCase):
    def test_a_wave_across_which_the_light_runs_has_its_own_height(self):
        """A sinusoid h = a cos(2 pi f x) has the slope -2 pi f a sin(2 pi f x); along the light its height is found but
        for what is damped: the signal over signal and damping, 1 / 1.5, and the share of waves so wide.

        On texels of 0.5 x 0.8 mm, from both sides, and from the upper right on a wave that runs along it.
        """
        rows, columns, width, height = 96, 120, 0.5, 0.8
        across, down = np.meshgrid((np.arange(columns) + 0.5) * width, (np.arange(rows) + 0.5) * height)
        for turns_across, turns_up in ((9, 0), (0, 9), (8, 7)):
            along = np.array([turns_across / (columns * width), turns_up / (rows * height)])
            cycles = np.hypot(*along)
            phase = 2 * np.pi * (along[0] * across - along[1] * down)
            rise = 0.3 / (2 * np.pi * cycles)
            azimuth = np.degrees(np.arctan2(along[1], along[0]))
            on_side = cycles * max(columns * width, rows * height)
            for turned in (0, 180):
                slope = -0.3 * np.sin(phase) * (1 if turned == 0 else -1)
                lit = lit_by_hand(slope, 40).astype(np.float32)
                waves = make_waves(unpainted(lit), (width, height), (True, True))
                found = height_of_waves(waves, Light(azimuth + turned, 40), 0)
                expected = rise * np.cos(phase) / 1.5 / (1 + (4 / on_side) ** 2)
                self.assertLess(np.abs(found - expected).max(), 0.02 * rise)

    def test_light_tells_nothing_of_waves_across_it(self):
        phase = 2 * np.pi * 6 * (np.arange(100) + 0.5) / 100
        lit = np.tile(lit_by_hand(-0.3 * np.sin(phase), 40), (100, 1)).astype(np.float32)
        found = height_of_waves(make_waves(unpainted(lit), (1, 1), (True, True)), Light(90, 40), 0)
        self.assertLess(np.abs(found).max(), 1e-4)

    def test_dark_is_deep_fills_in_and_edges_that_do_not_wrap_change_little(self):
        lit = np.exp(0.4 * (gaussian_filter(np.random.default_rng(3).random((90, 130)), 4) - 0.5) * 10).astype(
            np.float32
        )
        waves = make_waves(unpainted(lit), (1, 1), (False, False))
        found = height_of_waves(waves, Light(30, 40), 1)
        self.assertGreater(np.corrcoef(found.ravel(), np.log(lit).ravel())[0, 1], 0.8)
        self.assertEqual(found.shape, (90, 130))
        inside = np.s_[30:60, 40:90]
        wrapped = height_of_waves(make_waves(unpainted(lit), (1, 1), (True, True)), Light(30, 40), 0.5)
        open_ = height_of_waves(waves, Light(30, 40), 0.5)
        self.assertGreater(np.corrcoef(wrapped[inside].ravel(), open_[inside].ravel())[0, 1], 0.98)

    def test_from_darkness_alone_it_does_not_matter_where_the_light_stood(self):
        lit = np.exp(gaussian_filter(np.random.default_rng(5).random((70, 91)), 3) - 0.5).astype(np.float32)
        waves = make_waves(unpainted(lit), (1, 1.5), (True, False))
        one, other = (height_of_waves(waves, light, 1) for light in (Light(30, 40), Light(120, 70)))
        np.testing.assert_allclose(one, other, atol=1e-5)
        self.assertGreater(np.ptp(one), 0.1)

    def test_light_on_a_slope_is_lamberts_with_a_sky(self):
        """J. H. Lambert 1760, Photometria: as the cosine; three tenths come from everywhere."""
        slopes = np.array([[[0, 0], [-1, 0], [1, 0], [0, -1], [30, 0]]], np.float32)
        found = np.exp(log_of_light(slopes, Light(0, 45)))[0]
        np.testing.assert_allclose(found, [1, 0.3 + 0.7 * math.sqrt(2), 0.3, 0.3 + 0.7 / math.sqrt(2), 0.3], atol=1e-5)

    def test_dark_paint_is_taken_for_a_little_deep(self):
        """Joints are often of another colour (common practice, no source): evenly lit, narrow dark paint lies lower."""
        paint = np.zeros((90, 130), np.float32)
        paint[:, 62:67] = -1
        lit = np.ones_like(paint)
        found = height_of_waves(make_waves(Parted(lit, paint), (1, 1), (False, False)), Light(30, 40), 0.5)
        self.assertLess(found[45, 64], found[45, 30] - 3 * found[:, :40].std())
        alone = height_of_waves(make_waves(Parted(lit, paint), (1, 1), (False, False)), Light(30, 40), 0)
        np.testing.assert_allclose(alone, 0, atol=1e-5)


class PaintTests(TestCase):
    def setUp(self):
        rng = np.random.default_rng(11)
        self.height = 14 * gaussian_filter(rng.random((200, 260)), 5)
        self.height = (self.height - self.height.min()) * 4
        spots = (gaussian_filter(rng.random((200, 260)), 9) > 0.5)[..., None]
        self.paint = np.where(spots, [0.75, 0.55, 0.35], [0.25, 0.22, 0.3])
        light = photograph(self.height, 1, 120, 40, self.paint, sky=0.3)
        self.photo = np.clip(light + rng.normal(0, 0.004, light.shape), 0, 1).astype(np.float32)

    def test_paint_of_another_hue_is_taken_off(self):
        """The brightness of two paints, known here, is found within a few hundredths of a logarithm."""
        parted = part_paint(self.photo)
        truth = np.log(self.paint @ [0.2126, 0.7152, 0.0722])
        truth -= truth.mean()
        self.assertLess((parted.paint - truth).std(), 0.25 * truth.std())
        np.testing.assert_allclose(part_paint(self.photo, 0).paint, 0)

    def test_normals_are_nearer_to_the_truth_than_those_of_brightness_and_of_a_level_plate(self):
        truth = true_normals(self.height, 1)
        parted = part_paint(self.photo)
        read = height_of_waves(make_waves(parted, (1, 1), (False, False)), Light(120, 40))
        level = angle_to(truth, np.broadcast_to([0, 0, 1.0], truth.shape))
        self.assertLess(angle_to(truth, true_normals(read, 1)), 0.8 * level)
        data = encoded(self.photo)
        recipe = suggest_start("0" * 64, "spots.png", "photo", lambda _: data, Engine())
        relief = recipe.main
        bright = Engine().run(Pipeline.of(recipe, lambda _: data).height()).samples * relief.amplitude
        self.assertLess(angle_to(truth, true_normals(read, 1)), angle_to(truth, true_normals(bright * 260 / 300, 1)))

    def test_where_the_light_stood_is_found_and_what_is_dark_is_uncertain(self):
        light, sure = estimate_light(part_paint(self.photo))
        self.assertLess(abs((light.azimuth - 120 + 180) % 360 - 180), 20)
        self.assertTrue(0 <= sure <= 1)
        parted = part_paint(self.photo)
        told = certainty(0.5, parted)
        self.assertLess(told[parted.light < 0.3].mean(initial=0, where=True) if (parted.light < 0.3).any() else 0, 0.1)
        self.assertGreater(told.mean(), 0.5)


class RouteTests(CommandTestCase):
    """From a file to maps, in mm."""

    def write(self) -> tuple[np.ndarray, bytes]:
        across, down = np.meshgrid(np.linspace(-1, 1, 240), np.linspace(-1, 1, 180))
        height = 6 * sum(
            np.exp(-40 * ((across - x) ** 2 + (down - y) ** 2)) for x in (-0.5, 0, 0.5) for y in (-0.4, 0.4)
        )
        return height, encoded(photograph(height, 1, 200, 45, 0.7, sky=0.3), "JPEG")

    def test_slopes_are_true_whatever_the_footprint_and_stay_so_when_the_sun_is_dragged(self):
        height, data = self.write()
        recipe = suggest_start("0" * 64, "bumps.jpg", "light", lambda _: data, Engine(), way="linear")
        light = {f"{CONTENT_PATH}.light.azimuth": 200, f"{CONTENT_PATH}.light.elevation": 45}
        ranges = []
        for width in (240.0, 600.0):
            moved = recipe.with_changes({**light, "footprint.width": width})
            field = Engine().run(Pipeline.of(moved, lambda _: data).height())
            found = field.samples * moved.main.amplitude * 240 / width
            self.assertGreater(np.corrcoef(found.ravel(), height.ravel())[0, 1], 0.7)
            ranges.append(float(np.ptp(found)))
        self.assertTrue(0.15 < ranges[0] / np.ptp(height) < 1.3, "wide bumps are damped")
        self.assertAlmostEqual(ranges[1] / ranges[0], 1, delta=0.01)
        again = set_from_statistics(Pipeline.of(recipe, lambda _: data), Engine())
        self.assertEqual(again.amplitude, recipe.main.amplitude)

    @long
    def test_the_command_reads_a_light_or_says_the_one_it_found(self):
        _, data = self.write()
        path = self.folder / "bumps.jpg"
        path.write_bytes(data)
        told = {}
        for number, more in enumerate(((), ("--light", 200, 45))):
            code, out, err = self.run_command(
                "maps", path, "--depth", "light", *more, "--out", self.folder / str(number)
            )
            self.assertEqual((code, err), (0, ""))
            told = json.loads(out)
            self.assertEqual("light" in told["suggested"], not more)
        self.assertEqual(told["used"]["light"], [200, 45])
        for more, words in (
            (("--light", 200, 45), "only be used with --depth light"),
            (("--depth", "light", "--light", 0, 90), "at most 85")
        ):  # fmt: skip
            code, _, err = self.run_command("maps", path, *more, "--out", self.folder / "no")
            self.assertEqual((code, err.count("\n")), (2, 1))
            self.assertIn(words, err)

    def test_brightness_is_kept_to_what_its_light_tells(self):
        """Strong contrast without hue on ground that is nearly level is no depth: a plate with spots of grey."""
        spots = 0.15 + 0.6 * (rough(160, 200, seed=9) > 0.5)[..., None]
        data = encoded(photograph(np.zeros((160, 200)), 1, 120, 45, spots, sky=0.3))
        recipe = suggest_start("0" * 64, "spots.png", "photo", lambda _: data, Engine())
        bold = recipe.with_changes({"amplitude": 20})
        self.assertLess(recipe.main.amplitude, 0.5 * bold.main.amplitude)

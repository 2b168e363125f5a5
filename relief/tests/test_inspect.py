"""Readings of known surfaces, findings that fire and stay silent, sections, and the suggested start."""

import io
import math
from dataclasses import replace
from types import SimpleNamespace
from unittest import TestCase, mock

import numpy as np
import scipy.fft
import skimage.data
from PIL import Image
from scipy.ndimage import fourier_gaussian

from relief.inspect.find import measure_and_find
from relief.inspect.finding import Mend
from relief.inspect.findings.relief import swell
from relief.inspect.findings.relief.steps import STEP_ABOVE
from relief.inspect.readings import readings
from relief.inspect.section import length, section
from relief.inspect.start import set_from_statistics, suggest_start
from relief.inspect.thresholds import HARSH_ABOVE
from relief.inspect.wavelengths import wavelengths
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.tests.height_fields import CLAMP, WRAP, centres, field, rough, sinusoid
from relief.tests.tags import long


def png(pixels: np.ndarray) -> bytes:
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "PNG")
    return data.getvalue()


def begun(pixels: np.ndarray, reading="height", name="x.png") -> tuple[Pipeline, Engine]:
    """The suggested start of a picture."""
    data, engine = png(pixels), Engine()
    recipe = suggest_start("0" * 64, name, reading, lambda _: data, engine)
    return Pipeline.of(recipe, lambda _: data), engine


def found(pipeline: Pipeline, engine: Engine, bits: int = 8) -> dict:
    """The findings of a pipeline by their kind."""
    return {item.kind: item for item in measure_and_find(pipeline, engine, bits)[1]}


def mended(pipeline: Pipeline, mend: Mend) -> Pipeline:
    """The pipeline after a mend of its relief."""
    recipe = mend.apply(Recipe.of(pipeline.relief, pipeline.sources))
    return replace(pipeline, relief=recipe.main, sources=recipe.sources)


class ReadingTests(TestCase):
    def test_a_sinusoid(self):
        """Range 2A and mean 0 by definition; 5 % of |cos| lie above cos(0.025 pi) = 0.99692."""
        wave = field(sinusoid(64, 2048, 4), width=200, height=50, edges=WRAP)
        taken = readings(wave, amplitude=6, midlevel=0.5)
        self.assertAlmostEqual(taken.range, 6, places=3)
        self.assertAlmostEqual(taken.mean, 0, places=4)
        steepest = 6 * 0.5 * 2 * math.pi * 4 / 200
        self.assertAlmostEqual(taken.steepest, math.degrees(math.atan(steepest * math.cos(0.025 * math.pi))), places=1)
        self.assertAlmostEqual(taken.finest, 50, delta=0.3)
        self.assertAlmostEqual(taken.coarsest, 50, delta=0.3)

    def test_finest_detail_is_the_shorter_of_two_waves_on_texels_that_are_not_square(self):
        across = np.sin(2 * np.pi * 3 * centres(256))[None, :]
        down = 0.3 * np.sin(2 * np.pi * 20 * centres(512))[:, None]
        both = field(across + down, width=300, height=100, edges=WRAP)
        coarsest, finest = wavelengths(both, 0.01, 0.99)
        self.assertAlmostEqual(finest, 5, delta=0.1)
        self.assertAlmostEqual(coarsest, 100, delta=2)

    @long
    def test_a_large_field_is_measured_in_parts_with_the_same_result(self):
        """Noise of two breadths on 2600 x 1700 texels that are not square, against its transform as a whole."""
        rng = np.random.default_rng(3)
        for edges in (WRAP, CLAMP):
            samples = np.zeros((1700, 2600))
            for sigma, weight in ((1.2, 0.4), (30, 1)):
                waves = scipy.fft.rfft2(rng.standard_normal(samples.shape))
                samples += weight * sigma * scipy.fft.irfft2(fourier_gaussian(waves, sigma, n=2600))
            here = field(samples, 900, 700, edges)
            with mock.patch("relief.inspect.wavelengths.WHOLE", 10_000):
                whole = wavelengths(here, 0.1, 0.5, 0.9, 0.99)
            np.testing.assert_allclose(wavelengths(here, 0.1, 0.5, 0.9, 0.99), whole, rtol=0.08)

    def test_finest_detail_where_nothing_wraps(self):
        wave = np.tile(np.cos(2 * np.pi * 13 * centres(1024)), (64, 1))
        self.assertAlmostEqual(wavelengths(field(wave, width=130), 0.99)[0], 10, delta=0.1)
        # a wave cut where it is steepest has a kink there, which reads as a little finer
        self.assertTrue(7 < wavelengths(field(sinusoid(64, 1024, 13), width=130), 0.99)[0] < 10)

    def test_flat_and_single_samples(self):
        for samples in (np.full((8, 8), 0.4), np.ones((1, 1)), np.ones((1, 9))):
            taken = readings(field(samples), amplitude=5, midlevel=0.4)
            self.assertIsNone(taken.finest)
            self.assertEqual((taken.range, taken.steepest), (0, 0))


class SectionTests(TestCase):
    def test_a_ramp_is_cut_straight_in_any_direction(self):
        x, y = np.meshgrid(centres(60), centres(40))
        ramp = field(0.2 + 0.5 * x + 0.1 * y, width=300, height=200)
        line = (0.1, 0.2), (0.7, 0.9)
        np.testing.assert_allclose(
            section(ramp, *line, 50), np.linspace(0.2 + 0.05 + 0.02, 0.2 + 0.35 + 0.09, 50), atol=1e-5
        )
        self.assertAlmostEqual(length(ramp, *line), math.hypot(0.6 * 300, 0.7 * 200))


class FindingTests(TestCase):
    def assert_mended(self, kind: str, pipeline: Pipeline, engine: Engine):
        """The finding is there, and no longer after its mend."""
        before = found(pipeline, engine)
        self.assertIn(kind, before)
        self.assertNotIn(kind, found(mended(pipeline, before[kind].mend), engine))

    def with_changes(self, changes, pixels=None):
        heights = rough(128, 128) if pixels is None else pixels
        pipeline, engine = begun(np.rint(heights * 65535).astype(np.uint16))
        return replace(pipeline, relief=pipeline.relief.with_changes(changes)), engine

    def test_harsh(self):
        pipeline, engine = self.with_changes({})
        self.assertNotIn("harsh", found(pipeline, engine))
        amplitude = pipeline.relief.amplitude * math.tan(math.radians(HARSH_ABOVE + 1)) / math.tan(math.radians(40))
        self.assert_mended("harsh", *self.with_changes({"amplitude": amplitude}))

    def test_swell(self):
        pipeline, engine = self.with_changes({})
        level = float(engine.run(pipeline.height()).samples.mean())
        self.assertNotIn("swell", found(*self.with_changes({"midlevel": level + 0.015})))
        self.assert_mended("swell", *self.with_changes({"midlevel": level + 0.05}))
        self.assert_mended("swell", *self.with_changes({"midlevel": level - 0.05}))

    def test_what_stands_on_even_ground_does_not_swell(self):
        """Studs on a fifth of a plate: the plate stays where it is, however far the studs move the mean."""
        samples = np.zeros((50, 50), np.float32)
        samples[:, :10] = 1
        plate = field(samples)
        for midlevel, says in ((0, None), (0.2, None), (0.5, "Sinking"), (-0.1, "Swell")):
            finding = swell.find(
                SimpleNamespace(height=plate, measured=readings(plate, amplitude=10, midlevel=midlevel))
            )
            self.assertEqual(finding and finding.title, says, midlevel)

    def test_weak_but_not_where_thin_lines_lie_on_even_ground(self):
        self.assertNotIn("weak", found(*self.with_changes({})))
        self.assert_mended("weak", *self.with_changes({"amplitude": 0.2}))
        lines = np.full((128, 128), 0.2)
        lines[:, 40:42] = 0.6
        pipeline, engine = self.with_changes({"amplitude": 5}, lines)
        taken = readings(engine.run(pipeline.height()), amplitude=5, midlevel=0.2)
        self.assertLess(taken.steepest, 8)
        self.assertNotIn("weak", found(pipeline, engine))

    def test_clipped_levels_of_a_photo_but_not_the_plateaus_of_a_height_image(self):
        pipeline, engine = begun(skimage.data.gravel(), "photo")
        self.assertNotIn("clipped", found(pipeline, engine))
        harder = {"layers.0.treatments.0.black": 0.4, "layers.0.treatments.0.white": 0.6}
        self.assert_mended("clipped", replace(pipeline, relief=pipeline.relief.with_changes(harder)), engine)
        over = np.clip(skimage.data.gravel().astype(int) * 2, 0, 255).astype(np.uint8)
        self.assertIn("clipped", found(*begun(over, "photo")))
        self.assertNotIn("clipped", found(*begun(over, "height")))

    def test_a_seam_where_it_is_said_to_repeat(self):
        wrapping = {"edges.across": "wrap", "edges.down": "wrap"}
        self.assertNotIn("seam", found(*self.with_changes(wrapping)))
        slanted = rough(128, 128) * 0.5 + centres(128) * 0.5
        self.assertNotIn("seam", found(*self.with_changes({"edges.across": "clamp"}, slanted)))
        self.assert_mended("seam", *self.with_changes(wrapping, slanted))

    def test_bands_of_a_normal_map_that_is_turned_up(self):
        """At 45 degrees and strength s the map has atan s; above 75 degrees, tan 75 = 3.73, 8 bits are too few."""
        x = np.tile(centres(128), (128, 1))
        for strength, expected in ((3.6, False), (3.9, True), (-3.9, True)):
            changes = {"amplitude": 300, "midlevel": 0.5, "maps.normal.strength": strength}
            pipeline, engine = self.with_changes(changes, x)
            self.assertEqual("bands" in found(pipeline, engine), expected, strength)
        mend = found(pipeline, engine)["bands"].mend
        bits = mend.apply(Recipe.of(pipeline.relief, pipeline.sources)).delivery.normal_bits
        self.assertNotIn("bands", found(pipeline, engine, bits))

    def test_a_normal_map_that_is_steeper_than_its_relief_by_far(self):
        """A strength of 60 typed in; turned around it is as harsh, and its mend keeps the direction."""
        for strength, says in ((1, False), (2, False), (60, True), (-60, True)):
            pipeline, engine = self.with_changes({"maps.normal.strength": strength})
            finding = found(pipeline, engine).get("too-strong")
            self.assertEqual(bool(finding), says, strength)
            if finding:
                self.assert_mended("too-strong", pipeline, engine)
                after = mended(pipeline, finding.mend).relief.maps.normal.strength
                self.assertTrue(0 < after / strength < 0.05)

    def test_steps_of_an_eight_bit_ramp(self):
        ramp = np.rint(np.tile(np.linspace(0.2, 0.8, 1024), (64, 1)) * 255).astype(np.uint8)
        pipeline, engine = begun(ramp)
        texel = 300 / 1024
        for amplitude, expected in ((texel * STEP_ABOVE * 255 * 1.1, True), (texel * STEP_ABOVE * 255 * 0.9, False)):
            relief = pipeline.relief.with_changes({"amplitude": amplitude})
            self.assertEqual("steps" in found(replace(pipeline, relief=relief), engine), expected)
        tall = replace(pipeline, relief=pipeline.relief.with_changes({"amplitude": 20}))
        self.assertAlmostEqual(tall.relief.amplitude / 255, 0.078, places=3)
        self.assertIn("0.078 mm tall", found(tall, engine)["steps"].reason)
        self.assert_mended("steps", tall, engine)

    def test_no_steps_in_sixteen_bits_in_photos_or_in_drawings(self):
        ramp = np.tile(np.linspace(0.2, 0.8, 1024), (64, 1))
        self.assertNotIn("steps", found(*self.with_changes({"amplitude": 200}, ramp)))
        drawing = np.kron(np.random.default_rng(0).integers(0, 2, (12, 12)) * 255, np.ones((20, 20))).astype(np.uint8)
        for pixels in (skimage.data.gravel(), skimage.data.brick(), skimage.data.grass(), drawing):
            self.assertNotIn("steps", found(*begun(pixels, "photo")))


class StartTests(TestCase):
    def test_photos_stand_and_at_most_near_forty_degrees_without_a_finding_of_harsh_slopes(self):
        """scikit-image's `gravel`, `brick` and `grass` (CC0)."""
        for name in ("gravel", "brick", "grass"):
            pipeline, engine = begun(getattr(skimage.data, name)(), "photo")
            relief, height = pipeline.relief, engine.run(pipeline.height())
            taken = readings(height, amplitude=relief.amplitude, midlevel=relief.midlevel)
            self.assertTrue(10 < taken.steepest < 40.5, name)
            self.assertAlmostEqual(float(np.median(height.samples)), relief.midlevel, places=3)
            self.assertNotIn("harsh", found(pipeline, engine))
            share = np.mean((height.samples <= 0.001) | (height.samples >= 0.999))
            self.assertLess(share, 0.02, "levels cut off no more than their percentiles")
            self.assertIn("amplitude", relief.suggested)

    def test_samples_of_a_height_image_are_taken_as_they_are(self):
        samples = np.rint(rough(60, 90) * 65535).astype(np.uint16)
        pipeline, engine = begun(samples)
        np.testing.assert_allclose(engine.run(pipeline.height()).samples, samples / 65535, atol=1e-6)
        self.assertEqual((pipeline.relief.footprint.width, pipeline.relief.footprint.height), (300, 200))

    def test_edges_that_meet_are_suggested_to_wrap(self):
        tiling = np.rint(rough(64, 64) * 255).astype(np.uint8)
        self.assertEqual(begun(tiling)[0].relief.edges.wraps, (True, True))
        ramp = np.tile(np.arange(64, dtype=np.uint8), (64, 1))
        self.assertEqual(begun(ramp)[0].relief.edges.wraps, (False, True))

    def test_a_dark_photo_of_sixteen_bits_keeps_its_shades(self):
        """In linear light it lies below 0.004, where three places would leave four levels."""
        dark = np.rint(65535 * (0.01 + 0.03 * rough(200, 200))).astype(np.uint16)
        pipeline, engine = begun(dark, "photo")
        height = engine.run(pipeline.height()).samples
        self.assertLess((height == height.min()).mean() + (height == height.max()).mean(), 0.02)

    def test_sharp_edged_tiles_with_faint_grain_are_not_blown_up(self):
        """Joints 3 of 75 mm wide are less than 5 % of all slopes, so that grain would set the depth."""
        x, y = np.meshgrid(centres(600) * 4 % 1, centres(600) * 4 % 1)
        tiles = ((x > 0.04) & (y > 0.04)).astype(float) + np.random.default_rng(1).normal(0, 0.004, x.shape)
        pipeline, _ = begun(np.rint(np.clip(0.1 + 0.8 * tiles, 0, 1) * 65535).astype(np.uint16))
        self.assertLess(pipeline.relief.amplitude, 12)
        wave, _ = begun(np.rint(sinusoid(300, 300, 6) * 65535).astype(np.uint16))
        self.assertAlmostEqual(wave.relief.amplitude, 50 * math.tan(math.radians(40)) / math.pi, delta=0.5)

    def test_a_height_image_is_not_evened_out(self):
        ramp = np.rint(np.tile(centres(300), (200, 1)) * 65535).astype(np.uint16)
        pipeline, engine = begun(ramp)
        relief = set_from_statistics(pipeline, engine)
        height = engine.run(replace(pipeline, relief=relief).height()).samples
        np.testing.assert_allclose(height, ramp / 65535, atol=1e-6)
        self.assertFalse(any(treatment.on for treatment in relief.layers[0].treatments))

    def test_constant_and_single_pixel_pictures_start_too(self):
        for pixels in (np.full((16, 16), 90, np.uint8), np.zeros((1, 1), np.uint8)):
            for reading in ("photo", "height"):
                pipeline, engine = begun(pixels, reading)
                self.assertEqual(np.ptp(engine.run(pipeline.height()).samples), 0)
                self.assertEqual(list(found(pipeline, engine)), ["flat"])

    def test_a_proxy_looks_like_the_whole(self):
        pipeline, engine = begun(skimage.data.gravel(), "photo")
        pipeline = replace(pipeline, relief=pipeline.relief.with_changes({"layers.0.treatments.1.radius": 3}))
        whole = engine.run(pipeline.height()).samples
        proxy = engine.run(replace(pipeline, longest=256).height()).samples
        shrunk = whole.reshape(256, 2, 256, 2).mean(axis=(1, 3))
        # levels cut single pixels off before or after they are averaged; on the whole nothing moves
        self.assertLess((proxy - shrunk).std(), 0.003)
        self.assertLess(np.percentile(np.abs(proxy - shrunk), 99.9), 0.03)

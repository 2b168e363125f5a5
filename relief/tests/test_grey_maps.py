"""The grey maps of a relief against closed forms, and how they are added and delivered."""

import json
import math
from unittest import TestCase

import numpy as np

from relief import arrange
from relief.deliver.bundle import map_files
from relief.errors import RecipeError
from relief.generate.gradient_noise import GradientNoise
from relief.height import Footprint
from relief.inspect.readings import readings
from relief.maps import COMPANION_MAPS
from relief.maps.curvature import Curvature, mean_curvature
from relief.maps.occlusion import Occlusion, occlusion
from relief.maps.roughness import Roughness
from relief.maps.slope_map import SlopeMap
from relief.recipe import MOST_MAPS, Layer, Recipe
from relief.tests.fields import CLAMP, WRAP, centres, field, rough, sinusoid


def bowl(size: int, radius: float, side: float) -> np.ndarray:
    """Heights in mm of the bottom of a sphere about the middle of a square, as far out as 0.6 of the radius."""
    place = (centres(size) - 0.5) * side
    squared = np.minimum(place[:, None] ** 2 + place**2, (0.6 * radius) ** 2)
    return radius - np.sqrt(radius**2 - squared)


def made_of_noise() -> Recipe:
    """A recipe that needs no source."""
    return Recipe(sources={}, layers=(Layer(name="Noise", content=GradientNoise()),), footprint=Footprint())


class OcclusionTests(TestCase):
    def test_flat_ground_sees_all_of_its_sky(self):
        np.testing.assert_allclose(occlusion(field(np.full((40, 50), 0.3)), 9, 20, 16), 1, rtol=1e-6)

    def test_v_groove(self):
        """A groove whose walls rise at angle a: the strip of sky from its bottom has the view factor cos a.

        Hottel's crossed strings, as in any catalogue of view factors. With directions spread evenly round, each sees
        the walls at tan a |cos direction|; the mean of 1 / (1 + tan^2 a cos^2) is cos a exactly.
        """
        for angle in (20, 50, 70):
            rise = math.tan(math.radians(angle))
            distance = np.abs(np.arange(257) - 128.0)
            groove = field(np.tile(distance * rise, (257, 1)), width=257, height=257)
            seen = occlusion(groove, 1, 100, 64)[128, 128]
            self.assertAlmostEqual(float(seen), math.cos(math.radians(angle)), delta=1e-4)

    def test_round_pit(self):
        """From the centre of a round pit the rim stands at the same elevation a all round: cos^2 a is seen."""
        place = np.arange(401) - 200.0
        pit = np.where(np.hypot(place[:, None], place) > 100, 100 * math.tan(math.radians(50)), 0)
        seen = occlusion(field(pit, width=401, height=401), 1, 300, 32)[200, 200]
        self.assertAlmostEqual(float(seen), math.cos(math.radians(50)) ** 2, delta=0.03)

    def test_against_looking_along_every_direction_one_by_one(self):
        """SciPy's linear interpolation at the same distances; the place's own height is subtracted."""
        from scipy.ndimage import map_coordinates

        from relief.maps.occlusion import steps

        heights = rough(48, 64) * 12
        _, _, inverse = steps(9, (1, 1), 8)
        rows, columns = np.mgrid[:48, :64]
        total = np.zeros((48, 64))
        for direction in range(8):
            horizon = np.zeros((48, 64))
            angle = 2 * np.pi * (direction + 0.5) / 8
            for distance in 1 / inverse[direction]:
                ahead = (rows - distance * np.sin(angle), columns + distance * np.cos(angle))
                there = map_coordinates(heights, ahead, order=1, mode="grid-wrap")
                horizon = np.maximum(horizon, (there - heights) / distance)
            total += 1 / (1 + horizon**2) / 8
        got = occlusion(field(heights / 12, width=64, edges=WRAP), 12, 9, 8)
        # between two rows along a column SciPy weighs the same two samples; nothing else lies between
        np.testing.assert_allclose(got, total, atol=2e-4)

    def test_it_darkens_with_strength(self):
        dent = field(rough(64, 64), edges=WRAP)
        plain, twice = (Occlusion(reach=30, strength=strength).draw(dent, 20) for strength in (1, 2))
        np.testing.assert_allclose(twice, plain**2, rtol=1e-5)

    def test_it_is_the_same_at_twice_the_size(self):
        """Its reach is in mm: the mean over four texels of the larger is the one texel of the smaller."""
        smaller, larger = (
            Occlusion(reach=30).draw(field(sinusoid(size, size, 3), width=128, edges=WRAP), 20) for size in (256, 512)
        )
        np.testing.assert_allclose(larger.reshape(256, 2, 256, 2).mean(axis=(1, 3)), smaller, atol=0.01)


class CurvatureTests(TestCase):
    def test_caps_of_both_signs(self):
        """A sphere has the mean curvature 1 / R everywhere (any differential geometry text); bulging out is minus."""
        hollow = bowl(301, 50, 80)
        inner = (slice(80, 221), slice(80, 221))
        for sign in (1, -1):
            found = mean_curvature(field(sign * hollow / 20, width=80), 20)[inner]
            np.testing.assert_allclose(found, sign / 50, rtol=0.03)

    def test_ramps_are_even_and_edges_are_lighter_than_cavities(self):
        x, y = np.meshgrid(centres(40), centres(40))
        ramp = field(0.5 * x + 0.2 * y, width=40)
        np.testing.assert_allclose(mean_curvature(ramp, 10)[2:-2, 2:-2], 0, atol=1e-3)
        wave = field(sinusoid(16, 256, 4), width=64, edges=WRAP)
        both = Curvature(size=1).draw(wave, 4)
        crest, trough = int(wave.samples[0].argmax()), int(wave.samples[0].argmin())
        self.assertGreater(both[0, crest], 0.55)
        self.assertAlmostEqual(float(both[0, crest] + both[0, trough]), 1, delta=1e-3)
        for shows, place in (("edges", crest), ("cavities", trough)):
            alone = Curvature(size=1, shows=shows).draw(wave, 4)
            self.assertGreater(alone[0, place], 0.1)
            self.assertEqual(alone[0, crest + trough - place], 0)


class SlopeAndRoughnessTests(TestCase):
    def test_a_ramp_of_known_angle(self):
        ramp = field(np.tile(centres(64), (64, 1)), width=100)
        for steepest, expected in ((90, 30 / 90), (60, 0.5), (20, 1.5)):
            drawn = SlopeMap(steepest=steepest).draw(ramp, 100 * math.tan(math.radians(30)))
            np.testing.assert_allclose(drawn, expected, rtol=1e-3)
        self.assertEqual(SlopeMap(steepest=20).coded(ramp, 58).min(), 255)

    def test_roughness_is_its_level_on_even_ground_and_gloss_is_the_rest(self):
        flat = field(np.full((8, 8), 0.5))
        self.assertEqual(set(Roughness(level=0.6).coded(flat, 5).ravel()), {153})
        self.assertEqual(set(Roughness(level=0.6, inverted=True).coded(flat, 5).ravel()), {102})
        wave = field(sinusoid(16, 256, 4), width=64, edges=WRAP)
        dull = Roughness(cavities=0.3).draw(wave, 4)[0]
        self.assertGreater(dull[wave.samples[0].argmin()], 0.6)
        self.assertLess(dull[wave.samples[0].argmax()], 0.6)


class EveryMapTests(TestCase):
    def test_each_tiles_where_the_edges_wrap(self):
        """Moved by a part of the tile before or after, a map of a field that wraps is the same."""
        heights = rough(64, 96)
        for kind, model in COMPANION_MAPS.items():
            with self.subTest(kind):
                before = model().draw(field(np.roll(heights, (13, 40), (0, 1)), edges=WRAP), 6)
                after = np.roll(model().draw(field(heights, edges=WRAP), 6), (13, 40), (0, 1))
                np.testing.assert_allclose(before, after, atol=1e-4)

    def test_each_can_be_drawn_of_a_single_texel(self):
        for kind, model in COMPANION_MAPS.items():
            for edges in (WRAP, CLAMP):
                with self.subTest(kind, edges=edges):
                    drawn = model().coded(field(np.full((1, 1), 0.5), edges=edges), 6)
                    self.assertEqual((drawn.dtype, drawn.shape), (np.dtype(np.uint8), (1, 1)))

    def test_each_is_added_removed_and_delivered_under_a_name_of_its_own(self):
        recipe = made_of_noise()
        kinds = [*COMPANION_MAPS, "slope"]
        for kind in kinds:
            recipe, done = arrange.map_added(recipe, kind)
            self.assertEqual(done, f"Added {COMPANION_MAPS[kind].title}")
        recipe = recipe.with_changes({f"maps.more.{kinds.index('occlusion')}.on": False})
        again = Recipe.read(json.loads(recipe.as_text()))
        self.assertEqual(again, recipe)
        names = [file.name for file in map_files(again, field(rough(20, 30)), "hull")]
        expected = {f"hull_{kind}.png" for kind in COMPANION_MAPS if kind != "occlusion"} | {"hull_slope_2.png"}
        self.assertEqual(set(names[4:]), expected)
        removed, _ = arrange.map_removed(recipe, len(kinds) - 1)
        self.assertEqual([grey.kind for grey in removed.maps.more], kinds[:-1])

    def test_what_cannot_be_added_or_removed_is_refused(self):
        recipe = made_of_noise()
        for refused in (lambda: arrange.map_added(recipe, "glitter"), lambda: arrange.map_removed(recipe, 0)):
            self.assertRaises(RecipeError, refused)
        for _ in range(MOST_MAPS):
            recipe, _ = arrange.map_added(recipe, "slope")
        self.assertRaises(RecipeError, lambda: arrange.map_added(recipe, "slope"))


class SurfaceTextureTests(TestCase):
    def test_sa_sq_and_sz_of_a_sinusoid(self):
        """ISO 25178-2 defines Sa, Sq and Sz; of a sinusoid of height A they are 2 A / pi, A / sqrt 2 and 2 A."""
        wave = field(sinusoid(64, 2048, 4), width=200, height=50, edges=WRAP)
        taken = readings(wave, 6, 0.5)
        self.assertAlmostEqual(taken.sa, 2 * 3 / math.pi, places=4)
        self.assertAlmostEqual(taken.sq, 3 / math.sqrt(2), places=4)
        self.assertAlmostEqual(taken.sz, 6, places=3)

    def test_what_else_is_counted(self):
        heights = np.tile([0.0, 0.25, 0.25, 1.0], (8, 2))
        taken = readings(field(heights, width=16), 4, 0.25)
        self.assertEqual((taken.levels, taken.clipped, taken.median, taken.texels), (3, 0.5, 0, 0.5))

"""The grey maps of a relief against closed forms, and how they are added and delivered."""

import io
import json
import math
from unittest import TestCase, mock

import numpy as np
import scipy.ndimage
from PIL import Image

from relief.deliver.delivery import map_files, test_card_files
from relief.errors import RecipeError
from relief.generate.dots import Dots
from relief.generate.flutes import Flutes
from relief.generate.generator import Grid
from relief.generate.gradient_noise import GradientNoise
from relief.generate.test_card import TestCard
from relief.height import Footprint
from relief.inspect.readings import readings
from relief.maps import COMPANION_MAPS
from relief.maps.curvature import Curvature, mean_curvature
from relief.maps.grey_height import GreyHeight
from relief.maps.horizons import find_horizons, steps
from relief.maps.normal import Normal, normal_map
from relief.maps.occlusion import Occlusion, occlusion
from relief.maps.position import Position
from relief.maps.roughness import Roughness
from relief.maps.slope_map import SlopeMap
from relief.progress import Progress
from relief.recipe import map_edits
from relief.recipe.layer import Layer
from relief.recipe.recipe import Recipe
from relief.recipe.relief import MOST_MAPS, Relief
from relief.run.engine import Engine
from relief.run.finished import finish_map
from relief.run.pipeline import Pipeline
from relief.tests.height_fields import CLAMP, WRAP, centres, field, rough, sinusoid
from relief.tests.tags import long


def bowl(size: int, radius: float, side: float) -> np.ndarray:
    """Heights in mm of the bottom of a sphere about the middle of a square, as far out as 0.6 of the radius."""
    place = (centres(size) - 0.5) * side
    squared = np.minimum(place[:, None] ** 2 + place**2, (0.6 * radius) ** 2)
    return radius - np.sqrt(radius**2 - squared)


def made_of_noise() -> Relief:
    """A relief that needs no source."""
    return Relief(layers=(Layer(name="Noise", content=GradientNoise()),))


class HorizonTests(TestCase):
    def test_before_a_wall_the_horizon_stands_at_its_angle(self):
        """A wall of 6 mm along the right side, on texels of 1.5 x 0.75 mm: seen from d mm away in a direction that is a
        degrees off, its top stands at atan(6 / (d / cos a)).
        """
        height = np.zeros((90, 61), np.float32)
        height[:, 50:] = 1
        wall = field(height, 61 * 1.5, 90 * 0.75)
        found = find_horizons(wall, 6.0, 24, Progress())
        for way, turn in ((0, 7.5), (1, 22.5), (23, -7.5)):
            for column in (10, 30, 46):
                far = (50 - column) * 1.5 / math.cos(math.radians(turn))
                expected = 255 * math.sin(math.atan2(6, far))
                # the edge lies somewhere between the last low and the first high texel
                self.assertAlmostEqual(found[way, 45, column], expected, delta=2 + 0.75 * expected / (50 - column))
        np.testing.assert_array_equal(found[11:13, 45, :50], 0, "nothing stands to the left")

    def test_rough_ground_against_rays_of_small_steps(self):
        for edges in (CLAMP, WRAP):
            ground = field(rough(64, 48, 3), 48 * 2.0, 64 * 0.5, edges)
            found = find_horizons(ground, 5.0, 8, Progress()) / 255
            off = []
            mode = "grid-wrap" if edges is WRAP else "nearest"
            rows, columns = np.mgrid[:64, :48].astype(float)
            for way in range(8):
                turn = 2 * math.pi * (way + 0.5) / 8
                highest = np.zeros(ground.samples.shape)
                for far in np.arange(0.4, 40, 0.2):
                    place = [rows - far * math.sin(turn) / 0.5, columns + far * math.cos(turn) / 2.0]
                    there = scipy.ndimage.map_coordinates(ground.samples, place, order=1, mode=mode)
                    highest = np.maximum(highest, 5.0 * (there - ground.samples) / far)
                off.append(np.abs(found[way] - highest / np.hypot(1, highest)))
            self.assertLess(np.percentile(off, 95), 0.12, edges)
            self.assertLess(np.mean(off), 0.03, edges)


class OcclusionTests(TestCase):
    def test_flat_ground_sees_all_of_its_sky(self):
        np.testing.assert_allclose(occlusion(field(np.full((40, 50), 0.3)), 9, 20, 16), 1, rtol=1e-6)

    @long
    def test_v_groove(self):
        """A groove whose walls rise at angle a: the strip of sky from its bottom has the view factor cos a.

        Hottel's crossed strings, as in any catalogue of view factors. With directions spread evenly round, each sees
        the walls at tan a |cos direction|; the mean of 1 / (1 + tan^2 a cos^2) is cos a exactly.
        """
        for angle in (20, 50, 70):
            rise = math.tan(math.radians(angle))
            distance = np.abs(np.arange(257) - 128.0)
            groove = field(np.tile(distance * rise, (257, 1)), width=257, height=257)
            seen = occlusion(groove, 1, 24, 64)[128, 128]
            self.assertAlmostEqual(float(seen), math.cos(math.radians(angle)), delta=1e-4)
            for reach in (25, 90, 128):  # what is far is looked at on wider texels
                seen = occlusion(groove, 1, reach, 64)[128, 128]
                self.assertAlmostEqual(float(seen), math.cos(math.radians(angle)), delta=0.042)

    def test_round_pit(self):
        """From the centre of a round pit the rim stands at the same elevation a all round: cos^2 a is seen."""
        place = np.arange(401) - 200.0
        pit = np.where(np.hypot(place[:, None], place) > 100, 100 * math.tan(math.radians(50)), 0)
        seen = occlusion(field(pit, width=401, height=401), 1, 300, 32)[200, 200]
        self.assertAlmostEqual(float(seen), math.cos(math.radians(50)) ** 2, delta=0.03)

    def test_against_looking_along_every_direction_one_by_one(self):
        """SciPy's linear interpolation at the same distances; the place's own height is subtracted."""
        heights = rough(48, 64) * 12
        _, _, inverse = steps(list(range(1, 10)), (1, 1), 8)
        rows, columns = np.mgrid[:48, :64]
        total = np.zeros((48, 64))
        for direction in range(8):
            horizon = np.zeros((48, 64))
            angle = 2 * np.pi * (direction + 0.5) / 8
            for distance in 1 / inverse[direction][inverse[direction] >= 1 / 9]:
                ahead = (rows - distance * np.sin(angle), columns + distance * np.cos(angle))
                there = scipy.ndimage.map_coordinates(heights, ahead, order=1, mode="grid-wrap")
                horizon = np.maximum(horizon, (there - heights) / distance)
            total += 1 / (1 + horizon**2) / 8
        got = occlusion(field(heights / 12, width=64, edges=WRAP), 12, 9, 8)
        # between two rows along a column SciPy weighs the same two samples; nothing else lies between
        np.testing.assert_allclose(got, total, atol=2e-4)

    @long
    def test_a_wall_one_texel_wide_hides_its_share_of_the_sky_however_far_it_is(self):
        """A long wall of height H at distance D: as the V groove's, on one side: (1 + cos a) / 2 with tan a = H / D."""
        for side, thick, far in ((512, 1, 30), (512, 2, 77), (1023, 1, 201), (1023, 3, 333)):
            ground = np.zeros((side, side))
            ground[:, side // 2 : side // 2 + thick] = 0.4 * far
            seen = occlusion(field(ground, side), 1, 5 * far, 64)[side // 2, side // 2 - far]
            self.assertAlmostEqual(float(seen), (1 + math.cos(math.atan(0.4))) / 2, delta=0.016)

    def test_nothing_beyond_the_reach_hides_the_sky_whatever_the_texels(self):
        """Walls 9 mm away; texels of 2 x 0.5 mm and of 0.5 x 2 mm."""
        for width, height in ((2 * 61, 0.5 * 61), (0.5 * 61, 2 * 61)):
            ground = np.zeros((61, 61))
            across, down = (np.abs(np.arange(61) - 30) * side / 61 for side in (width, height))
            ground[(down >= 9)[:, None] | (across >= 9)] = 10
            here = field(ground, width, height)
            self.assertAlmostEqual(float(occlusion(here, 1, 8, 16)[30, 30]), 1, places=6)
            self.assertLess(occlusion(here, 1, 12, 16)[30, 30], 0.8)

    def test_wider_texels_for_what_is_far_are_near_looking_at_every_texel(self):
        hills = scipy.ndimage.gaussian_filter(rough(300, 411, seed=2), 8, mode="wrap")
        for heights, amplitude, bound in ((rough(300, 411, seed=2), 40, 0.006), (hills / np.ptp(hills), 60, 0.002)):
            here = field(heights, 300, 250, WRAP)
            quick = occlusion(here, amplitude, 120, 16)
            with mock.patch("relief.maps.horizons.ENOUGH", 10_000):
                every = occlusion(here, amplitude, 120, 16)
            self.assertLess(np.abs(quick - every).mean(), bound)
            self.assertGreater(np.abs(quick - every).mean(), 0, "they are two ways")

    @long
    def test_99_of_100_texels_are_within_a_twentieth_of_looking_at_every_texel(self):
        """Needles one texel wide and sheer steps, on texels of 2 x 0.5 mm and of 1 x 1 mm."""
        rng = np.random.default_rng(3)
        needles = np.zeros((190, 257), np.float32)
        needles[rng.integers(0, 190, 60), rng.integers(0, 257, 60)] = 1
        ground = scipy.ndimage.gaussian_filter(rng.normal(size=(190, 257)), 5, mode="wrap")
        for heights in (needles, ground > 0, rough(190, 257, seed=4)):
            for width, height in ((514, 95), (257, 190)):
                here = field(heights, width, height, WRAP)
                quick = occlusion(here, 12, 60, 16)
                with mock.patch("relief.maps.horizons.ENOUGH", 10_000):
                    every = occlusion(here, 12, 60, 16)
                self.assertLess(np.percentile(np.abs(quick - every), 99), 0.05)

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

    def test_the_compiled_kernel_against_numpy(self):
        """H = ((1 + q^2) r - 2 p q s + (1 + p^2) t) / (2 (1 + p^2 + q^2)^(3/2)), on texels that are not square."""
        here = field(rough(40, 60), width=90, height=40, edges=WRAP)
        heights = np.pad(here.samples.astype(float), 1, mode="wrap") * 7
        inner, (width, height) = slice(1, -1), here.spacing
        p, q = np.gradient(heights, width, axis=1)[inner, inner], -np.gradient(heights, height, axis=0)[inner, inner]
        r = np.diff(heights, 2, axis=1)[inner] / width**2
        t = np.diff(heights, 2, axis=0)[:, inner] / height**2
        s = -np.gradient(np.gradient(heights, width, axis=1), height, axis=0)[inner, inner]
        expected = ((1 + q * q) * r - 2 * p * q * s + (1 + p * p) * t) / (2 * (1 + p * p + q * q) ** 1.5)
        np.testing.assert_allclose(mean_curvature(here, 7), expected, atol=2e-4 * np.abs(expected).max())

    def test_a_ramp_has_no_frame_at_edges_that_do_not_wrap(self):
        x, y = np.meshgrid(centres(90), centres(70))
        ramp = field(0.7 * x - 0.3 * y, 90, 140)
        for size in (0.5, 2, 9):
            self.assertLessEqual(np.ptp(Curvature(size=size, contrast=5).encode(ramp, 60)), 1, size)
            self.assertLessEqual(np.ptp(Roughness(size=size, cavities=1).encode(ramp, 60)), 1, size)
        plain = normal_map(ramp, 60, Normal(), 16)
        for normal in (Normal(soften=4), Normal(bands={"fine": 3, "middle": 2, "broad_limit": 12})):
            apart = np.abs(normal_map(ramp, 60, normal, 16).astype(int) - plain[35, 45].astype(int))
            self.assertLess(apart.max(), 65535 * 0.004, normal)

    def test_ramps_are_even_and_edges_are_lighter_than_cavities(self):
        x, y = np.meshgrid(centres(40), centres(40))
        ramp = field(0.5 * x + 0.2 * y, width=40)
        np.testing.assert_allclose(mean_curvature(ramp, 10), 0, atol=1e-3)
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
        self.assertEqual(SlopeMap(steepest=20).encode(ramp, 58).min(), 255)

    def test_roughness_is_its_level_on_even_ground_and_gloss_is_the_rest(self):
        flat = field(np.full((8, 8), 0.5))
        self.assertEqual(set(Roughness(level=0.6).encode(flat, 5).ravel()), {153})
        self.assertEqual(set(Roughness(level=0.6, inverted=True).encode(flat, 5).ravel()), {102})
        wave = field(sinusoid(16, 256, 4), width=64, edges=WRAP)
        dull = Roughness(cavities=0.3).draw(wave, 4)[0]
        self.assertGreater(dull[wave.samples[0].argmin()], 0.6)
        self.assertLess(dull[wave.samples[0].argmax()], 0.6)

    def test_roughness_begins_with_a_sets_map_or_with_the_photo(self):
        """On level ground each is what came along, through the curve where one is set."""
        flat = field(np.full((8, 8), 0.5))
        given = np.linspace(0, 1, 64, dtype=np.float32).reshape(8, 8)
        drawn = Roughness(ground="along").draw(flat, 5, {"roughness": given})
        np.testing.assert_allclose(drawn, given, atol=1e-6)
        grey = Roughness(ground="photo").draw(flat, 5, {"colour": np.dstack([given] * 3)})
        np.testing.assert_allclose(grey, given, atol=1e-5)
        stops = ((0, 1), (0.5, 0.5), (1, 0.2))
        curved = Roughness(ground="along", stops=stops, passage="straight").encode(flat, 5, {"roughness": given})
        np.testing.assert_array_equal(curved, np.rint(np.interp(given, *np.array(stops).T) * 255))
        self.assertEqual(set(Roughness(ground="along", level=0.2).encode(flat, 5).ravel()), {51})  # where there is none
        self.assertEqual(Roughness.start_for(["roughness"], 1), Roughness(ground="along", cavities=0))
        self.assertEqual(Roughness.start_for([], 1), Roughness())


class MoreMapTests(TestCase):
    def test_position_says_where_each_texel_lies(self):
        ramp = field(np.tile(centres(16), (8, 1)), width=32)
        place = Position().draw(ramp, 5)
        np.testing.assert_allclose(place[0, :, 0], centres(16), rtol=1e-6)
        np.testing.assert_allclose(place[:, 0, 1], 1 - centres(8), rtol=1e-6)
        np.testing.assert_allclose(place[3, [0, 15], 2], [0, 1], atol=1e-6)
        up = Position(axis="up").encode(ramp, 5)
        self.assertEqual((up.dtype, up[0, 0], up[-1, 0]), (np.uint16, round(65535 * 15 / 16), round(65535 / 16)))

    def test_height_through_a_stepped_curve_is_a_mask(self):
        """For glow in the depths: white below a third, black above."""
        ramp = field(np.tile(centres(32), (4, 1)), width=32)
        mask = GreyHeight(passage="stepped", stops=((0, 1), (1 / 3, 0))).encode(ramp, 5)
        self.assertEqual(mask[0].tolist(), [255] * 11 + [0] * 21)

    def test_the_mask_of_who_won_is_white_where_the_taller_layer_is(self):
        """A ramp against a plateau of 0.5: the plateau wins left of the middle."""
        ramp = Layer(name="Ramp", content=Flutes(), amount=0)
        over = Layer(name="Over", content=Dots(), blend="taller", passage=0, amount=1)
        relief, _ = map_edits.add_map(Relief(layers=(ramp, over)), "layer_mask")
        pipeline, engine = Pipeline(relief, {}, {}.__getitem__, 64), Engine()
        mask = engine.run(finish_map(pipeline, "more-0"))
        above = engine.run(pipeline.layer_on_grid(1)).samples > 0
        self.assertTrue(0.05 < above.mean() < 0.95)
        np.testing.assert_array_equal(mask > 127, above)
        ground = Pipeline(relief.with_changes({"maps.more.0.layer": 0}), {}, {}.__getitem__, 64)
        np.testing.assert_array_equal(engine.run(finish_map(ground, "more-0")), 255 - mask)

    def test_their_own_soften_is_a_gaussian(self):
        """SciPy's `gaussian_filter` on the finished map."""
        ramp = field(rough(64, 64), width=64, edges=WRAP)
        soft = GreyHeight(soften=3, bits=16).encode(ramp, 5) / 65535
        sharp = GreyHeight(bits=16).draw(ramp, 5)
        expected = scipy.ndimage.gaussian_filter(sharp, 3, mode="wrap", truncate=6)
        np.testing.assert_allclose(soft, expected, atol=2e-4)

    def test_a_map_is_called_and_delivered_by_its_own_name(self):
        relief, _ = map_edits.add_map(made_of_noise(), "height")
        relief, done = map_edits.name_map(relief, 0, " Glow  in the depths ")
        self.assertEqual(done, "Renamed a map to Glow in the depths")
        names = [file.name for file in map_files(Pipeline(relief, {}, {}.__getitem__, 32), Engine(), "x")]
        self.assertIn("x_glow_in_the_depths.png", names)
        relief, _ = map_edits.name_map(relief, 0, "")
        self.assertEqual(relief.maps.more[0].called, GreyHeight.title)


class TestCardTests(TestCase):
    def test_it_has_a_dome_a_dent_and_a_ramp_and_tiles(self):
        card = TestCard().draw(Grid(256, 256, Footprint()))
        self.assertAlmostEqual(float(card[64, 64]), 1, places=2)
        self.assertAlmostEqual(float(card[64, 192]), 0, places=2)
        self.assertTrue((np.diff(card[192, 32:96]) > 0).all())
        self.assertEqual({float(edge) for side in (card[0], card[-1], card[:, 0], card[:, -1]) for edge in side}, {0.5})

    def test_the_delivered_card_tells_reversed_green_and_strength(self):
        """The upper flank of the dome is light green with green up (common practice, no source)."""
        relief = made_of_noise()
        turned = ({"maps.normal.green": "down"}, False), ({"maps.normal.strength": -1}, False)
        for changes, lighter in (({}, True), *turned):
            pipeline = Pipeline(relief.with_changes(changes), {}, {}.__getitem__, 32)
            files = {file.name: file for file in test_card_files(pipeline, Engine(), "x")}
            pixels = np.asarray(Image.open(io.BytesIO(files["x_test_card_normal.png"].data)))
            self.assertEqual(pixels.shape, (512, 512, 3))
            self.assertEqual(bool(pixels[80, 128, 1] > 150), lighter)
            self.assertIn("a dome stands out", files["x_test_card_normal.png"].entry.reading)


class EveryMapTests(TestCase):
    def test_each_tiles_where_the_edges_wrap(self):
        """Moved by a part of the tile before or after, a map of a field that wraps is the same."""
        heights = rough(64, 96)
        for kind, model in COMPANION_MAPS.items():
            if kind == "position":
                continue  # it says where on the tile a place lies
            with self.subTest(kind):
                before = model().draw(field(np.roll(heights, (13, 40), (0, 1)), edges=WRAP), 6)
                after = np.roll(model().draw(field(heights, edges=WRAP), 6), (13, 40), (0, 1))
                np.testing.assert_allclose(before, after, atol=1e-4)

    def test_each_can_be_drawn_of_a_single_texel(self):
        for kind, model in COMPANION_MAPS.items():
            for edges in (WRAP, CLAMP):
                with self.subTest(kind, edges=edges):
                    drawn = model(soften=2).encode(field(np.full((1, 1), 0.5), edges=edges), 6)
                    depth = {8: np.uint8, 16: np.uint16}[model().bits]
                    self.assertEqual((drawn.dtype, drawn.shape[:2]), (np.dtype(depth), (1, 1)))

    def test_each_is_added_removed_and_delivered_under_a_name_of_its_own(self):
        relief = made_of_noise()
        kinds = [*COMPANION_MAPS, "slope"]
        for kind in kinds:
            relief, done = map_edits.add_map(relief, kind)
            self.assertEqual(done, f"Added {COMPANION_MAPS[kind].title}")
        relief = relief.with_changes({f"maps.more.{kinds.index('occlusion')}.on": False})
        again = Recipe.read(json.loads(Recipe.of(relief).as_text()))
        self.assertEqual(again.main, relief)
        names = [file.name for file in map_files(Pipeline.of(again, {}.__getitem__, 32), Engine(), "hull")]
        expected = {f"hull_{kind}.png" for kind in COMPANION_MAPS if kind != "occlusion"} | {"hull_slope_2.png"}
        self.assertEqual(set(names[4:]), expected)
        removed, _ = map_edits.remove_map(relief, len(kinds) - 1)
        self.assertEqual([grey.kind for grey in removed.maps.more], kinds[:-1])

    def test_what_cannot_be_added_or_removed_is_refused(self):
        relief = made_of_noise()
        for refused in (lambda: map_edits.add_map(relief, "glitter"), lambda: map_edits.remove_map(relief, 0)):
            self.assertRaises(RecipeError, refused)
        for _ in range(MOST_MAPS):
            relief, _ = map_edits.add_map(relief, "slope")
        self.assertRaises(RecipeError, lambda: map_edits.add_map(relief, "slope"))


class SurfaceTextureTests(TestCase):
    def test_sa_sq_and_sz_of_a_sinusoid(self):
        """ISO 25178-2 defines Sa, Sq and Sz; of a sinusoid of height A they are 2 A / pi, A / sqrt 2 and 2 A."""
        wave = field(sinusoid(64, 2048, 4), width=200, height=50, edges=WRAP)
        taken = readings(wave, amplitude=6, midlevel=0.5)
        self.assertAlmostEqual(taken.sa, 2 * 3 / math.pi, places=4)
        self.assertAlmostEqual(taken.sq, 3 / math.sqrt(2), places=4)
        self.assertAlmostEqual(taken.sz, 6, places=3)

    def test_what_else_is_counted(self):
        heights = np.tile([0.0, 0.25, 0.25, 1.0], (8, 2))
        taken = readings(field(heights, width=16), amplitude=4, midlevel=0.25)
        self.assertEqual((taken.levels, taken.clipped, taken.median, taken.texels), (3, 0.5, 0, 0.5))

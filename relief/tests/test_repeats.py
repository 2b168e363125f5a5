"""What a picture is, what repeats in it, and a start worth keeping."""

from dataclasses import replace
from itertools import product
from unittest import TestCase

import numpy as np
import skimage.data
from matplotlib.cbook import get_sample_data

from relief.inspect.find import measure_and_find
from relief.inspect.readings import readings
from relief.inspect.repeats import motif, suggest_crops, telltales
from relief.inspect.start import set_from_statistics, suggest_start
from relief.inspect.thresholds import HARSH_ABOVE
from relief.maps.height_from_normals import height_from_normals, height_from_slopes
from relief.maps.normal import Normal, normal_map
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.facts import facts, seam_ratios
from relief.sources.picture import Picture
from relief.sources.roles import family, green_of, guess_role, role_in_name
from relief.tests.height_fields import CLAMP, WRAP, centres, field, rough, sinusoid
from relief.tests.tags import long
from relief.tests.test_inspect import png
from relief.treat.crop import Crop
from relief.treat.even_light import EvenLight


def picture(pixels: np.ndarray) -> Picture:
    return Picture(pixels, pixels.dtype.itemsize * 8, "PNG")


class MotifTests(TestCase):
    def test_a_relief_in_which_no_two_places_are_alike_has_no_motif_and_breaks_nothing(self):
        """Random pictures of few texels, whose places a motif apart are all less alike than chance has it."""
        for seed in range(400):
            rng = np.random.default_rng(seed)
            rows, columns = rng.integers(1, 5), rng.integers(16, 40)
            for samples in (rng.random((rows, columns)), rng.random((columns, rows))):
                for length in motif(field(samples.astype(np.float32), edges=CLAMP)):
                    self.assertTrue(length is None or 0 < length < 1e4)


class RoleTests(TestCase):
    def test_names_as_the_trade_writes_them(self):
        """Common practice, no source."""
        for name, role in (
            ("oyster_height_2k.png", "height"), ("OysterNormal.png", "normal"), ("oyster-nrm.tif", "normal"),
            ("wall_AO.jpg", "occlusion"), ("wall rough 4k.png", "roughness"), ("wall_basecolor.png", "colour"),
            ("wall_diffuse.jpg", "colour"), ("leaf_opacity.png", "mask"), ("wall_disp.exr", "height"),
            ("wall_metallic.png", "metalness"), ("wall_orm.png", "packed"), ("wall-ARM-4k.jpg", "packed"),
            ("wall_packed.png", "packed"),
        ):  # fmt: skip
            self.assertEqual(role_in_name(name)[0], role, name)
        for name in ("wall.png", "heighten.png", "normality.png", "roughneck.jpg"):
            self.assertIsNone(role_in_name(name), name)

    def test_files_of_one_set_have_one_family_name(self):
        names = (
            "Oyster_Plaster_height_2k.png",
            "oyster-plaster-nrm.tif",
            "OysterPlaster_AO.jpg",
            "oyster_plaster_2048.png",
        )
        self.assertEqual({family(name) for name in names}, {"oyster plaster"})
        self.assertNotEqual(family("oyster_height.png"), family("sand_height.png"))

    def test_a_normal_map_is_known_by_its_pixels_and_a_photo_is_not_taken_for_one(self):
        normals = normal_map(field(rough(128, 128), edges=WRAP), 4, Normal())
        guess = guess_role(picture(normals), "x.png", True)
        self.assertEqual((guess.role, guess.reading), ("normal", "normal"))
        for photo in (skimage.data.astronaut(), skimage.data.coffee(), skimage.data.chelsea()):
            self.assertEqual(guess_role(picture(photo), "x.png", True).role, "photo")
            self.assertEqual(guess_role(picture(photo), "x_normal.png", True).role, "photo")

    @long
    def test_a_photo_is_not_taken_for_data_because_of_its_name(self):
        """An arm can be a limb. Channels of a photo have their details in common, those of packed maps do not."""
        photos = (skimage.data.astronaut(), skimage.data.coffee(), skimage.data.chelsea(), skimage.data.rocket())
        for photo in photos:
            self.assertEqual(guess_role(picture(photo), "robot_arm.png", True).role, "photo")
            for name in ("rough_stone.jpg", "metallic_paint.jpg", "base.png", "foggy_ao.jpg"):
                self.assertIn(guess_role(picture(photo), name, True).role, ("photo", "colour"), name)
        packed = np.dstack([skimage.data.gravel(), skimage.data.brick(), skimage.data.grass()])
        self.assertEqual(guess_role(picture(packed), "robot_arm.png", True).role, "packed")
        packed[..., 2] = 0  # no metal anywhere
        self.assertEqual(guess_role(picture(packed), "robot_arm.png", True).role, "packed")
        self.assertEqual(guess_role(picture(packed), "robot.png", True).role, "photo")

    def test_green_is_judged_right_on_twenty_reliefs_each_way(self):
        """Integrability, Frankot & Chellappa 1988: the slopes of a surface have no curl."""
        for seed in range(20):
            here = field(rough(96, 96, seed=seed), edges=WRAP if seed % 2 else CLAMP)
            for green in ("up", "down"):
                pixels = normal_map(here, 3 + seed, Normal(green=green))
                self.assertEqual(green_of(picture(pixels)), green, seed)


class FactTests(TestCase):
    def test_eight_bit_steps_in_sixteen_bits_are_said(self):
        levels = np.arange(256, dtype=np.uint16).reshape(16, 16)
        for pixels in (levels * 257, levels * 256):
            measured = facts(picture(pixels), "x.png")
            self.assertEqual((measured.bits, measured.bits_used), (16, 8))
            self.assertIn("8-bit steps", measured.remarks[-1])
        self.assertEqual(facts(picture(levels * 16), "x.png").bits_used, 12)
        self.assertEqual(facts(picture(levels * 255 + 1), "x.png").bits_used, 16)

    def test_clipping_copies_and_mean_colour(self):
        pixels = np.zeros((10, 10, 3), np.uint8)
        pixels[:3] = 255
        pixels[3:, :, 0] = 9
        measured = facts(picture(pixels), "x.png")
        self.assertAlmostEqual(measured.clipped_high, 0.3)
        self.assertAlmostEqual(measured.clipped_low, 0.7 * 2 / 3)
        self.assertEqual(measured.copies, ("blue",))
        orange = np.full((8, 8, 3), (200, 120, 40), np.uint8)
        self.assertAlmostEqual(facts(picture(orange), "x.png").hue, 30, delta=1)
        grey = facts(picture(np.dstack([pixels[..., 0]] * 3)), "x.png")
        self.assertEqual((grey.colour, grey.copies), (False, ("green", "blue")))


class HeightFromNormalsTests(TestCase):
    def test_there_and_back_on_a_real_elevation_model(self):
        """matplotlib's elevation model (`jacksboro_fault_dem.npz`). Stated error: 16-bit normals by central differences
        give the heights back to 0.5 % of their range (RMS), where it does not tile."""
        heights = get_sample_data("jacksboro_fault_dem.npz")["elevation"].astype(np.float32)
        heights = (heights - heights.min()) / np.ptp(heights)
        here = field(heights, width=heights.shape[1])
        pixels = normal_map(here, 40, Normal(kernel="central"), 16)
        back, amplitude = height_from_normals(pixels, "up", here.spacing, (False, False))
        difference = back * amplitude - heights * 40
        self.assertLess((difference - difference.mean()).std(), 0.005 * 40)

    def test_a_tiling_field_comes_back_to_one_percent(self):
        heights = rough(256, 256, seed=3)
        here = field(heights, width=256, edges=WRAP)
        for green in ("up", "down"):
            pixels = normal_map(here, 20, Normal(kernel="central", green=green), 16)
            back, amplitude = height_from_normals(pixels, green, here.spacing, (True, True))
            difference = back * amplitude - heights * 20
            self.assertLess((difference - difference.mean()).std(), 0.01 * 20)

    def test_whole_waves_and_cosines_come_back_whatever_wraps(self):
        """Slopes by hand, of a field that is a sum of waves; texels that are not square, odd sizes."""
        rng = np.random.default_rng(5)
        rows, columns, wide, high = 51, 74, 0.7, 1.3
        across, down = (np.arange(columns) + 0.5) * wide, (np.arange(rows)[:, None] + 0.5) * high
        for wraps in product((True, False), repeat=2):
            height, right, below = (np.zeros((rows, columns)) for _ in range(3))
            for _ in range(20):
                size = rng.normal()
                x_rate = np.pi * (1 + wraps[0]) * rng.integers(9) / (columns * wide)
                y_rate = np.pi * (1 + wraps[1]) * rng.integers(9) / (rows * high)
                x, y = x_rate * across + 0.6 * wraps[0], y_rate * down + 0.6 * wraps[1]
                height += size * np.cos(x) * np.cos(y)
                right -= size * x_rate * np.sin(x) * np.cos(y)
                below -= size * y_rate * np.cos(x) * np.sin(y)
            slopes = right.astype(np.float32), -below.astype(np.float32)
            found = height_from_slopes(*slopes, (wide, high), wraps)
            np.testing.assert_allclose(found, height - height.mean(), atol=1e-4)

    def test_with_green_the_wrong_way_it_does_not(self):
        here = field(rough(128, 128), width=128, edges=WRAP)
        pixels = normal_map(here, 20, Normal(), 16)
        back, amplitude = height_from_normals(pixels, "down", here.spacing, (True, True))
        self.assertLess(np.corrcoef(back.ravel() * amplitude, here.samples.ravel())[0, 1], 0.6)

    def test_a_normal_map_as_a_source_keeps_its_own_slopes(self):
        here = field(rough(96, 96), width=300, edges=WRAP)
        data = png(normal_map(here, 25, Normal(kernel="central")))
        engine = Engine()
        recipe = suggest_start("0" * 64, "x.png", "normal", lambda _: data, engine)
        self.assertAlmostEqual(recipe.main.amplitude, 25, delta=2)
        height = engine.run(Pipeline.of(recipe, lambda _: data).height())
        self.assertGreater(np.corrcoef(height.samples.ravel(), here.samples.ravel())[0, 1], 0.99)


class GreenFindingTests(TestCase):
    def test_a_normal_map_read_the_wrong_way_is_found_and_its_mend_finds_the_height(self):
        here = field(rough(96, 96), width=300, edges=WRAP)
        data, engine = png(normal_map(here, 25, Normal(kernel="central", green="down"))), Engine()
        recipe = suggest_start("0" * 64, "x.png", "normal", lambda _: data, engine)
        self.assertEqual(recipe.main.layers[0].content.green, "down", "as its pixels say")
        recipe = recipe.with_changes({"layers.0.content.green": "up"})

        def found(recipe) -> dict:
            _, items = measure_and_find(Pipeline.of(recipe, lambda _: data), engine)
            return {finding.kind: finding for finding in items}

        mended = found(recipe)["green"].mend.apply(recipe)
        self.assertNotIn("green", found(mended))
        height = engine.run(Pipeline.of(mended, lambda _: data).height())
        self.assertGreater(np.corrcoef(height.samples.ravel(), here.samples.ravel())[0, 1], 0.99)


class RepeatTests(TestCase):
    def test_the_motif_of_a_wave_is_its_length(self):
        across, down = motif(field(sinusoid(256, 512, 8), width=400))
        self.assertAlmostEqual(across, 50, delta=0.5)
        self.assertIsNone(down)

    def test_columns_of_brick_and_no_motif_in_gravel(self):
        """scikit-image's `brick` shows 13 to 14 columns of bricks (counted by eye); its `gravel` has no order."""
        across, _ = motif(field(skimage.data.brick() / 255, width=512))
        self.assertAlmostEqual(512 / across, 13.5, delta=0.6)
        self.assertEqual(motif(field(skimage.data.gravel() / 255, width=512)), (None, None))

    def test_a_stain_is_a_telltale_and_even_ground_has_none(self):
        ground = np.random.default_rng(4).random((256, 256)) * 0.2 + 0.4
        self.assertEqual(telltales(field(ground, width=256, edges=WRAP)), [])
        x, y = np.meshgrid(centres(256), centres(256))
        ground += 0.3 * np.exp(-((x - 0.7) ** 2 + (y - 0.3) ** 2) / 0.04**2)
        found = telltales(field(ground, width=256, edges=WRAP))
        self.assertAlmostEqual(found[0].x, 0.7, delta=0.03)
        self.assertAlmostEqual(found[0].y, 0.3, delta=0.03)

    @long
    def test_suggested_crops_are_squares_that_tile_better_than_the_picture(self):
        """scikit-image's `brick` and `grass` (CC0)."""
        for photo in (skimage.data.brick(), skimage.data.grass()):
            here = field(photo / 255, width=512)
            crops = suggest_crops(here)
            self.assertEqual(len(crops), 3)
            for crop in crops:
                cut = Crop(left=crop.left, top=crop.top, width=crop.width, height=crop.height).treat(here)
                self.assertAlmostEqual(cut.footprint.width, cut.footprint.height, delta=2)
                self.assertLessEqual(max(seam_ratios(cut.samples)), max(seam_ratios(here.samples)) + 0.3)
        self.assertEqual(suggest_crops(field(np.zeros((4, 4)))), [])


class StartTests(TestCase):
    @long
    def test_one_click_on_real_photos_gives_what_a_person_would_keep(self):
        """scikit-image's `brick`, `grass` and `gravel` (CC0): slopes that stand, a mean near midlevel, no swell from
        the light."""
        for name in ("brick", "grass", "gravel"):
            data, engine = png(getattr(skimage.data, name)()), Engine()
            first = suggest_start("0" * 64, f"{name}.png", "photo", lambda _, data=data: data, engine)
            pipeline = Pipeline.of(first, lambda _, data=data: data)
            relief = set_from_statistics(pipeline, engine)
            height = engine.run(replace(pipeline, relief=relief).height())
            taken = readings(height, amplitude=relief.amplitude, midlevel=relief.midlevel)
            self.assertTrue(10 < taken.steepest < 41, name)
            self.assertLess(taken.steepest, HARSH_ABOVE)
            self.assertLess(abs(taken.mean), 0.1 * taken.range)
            self.assertGreater(height.samples.std(), 0.1, "the range is used")
            quarters = [
                part.mean() for half in np.array_split(height.samples, 2) for part in np.array_split(half, 2, 1)
            ]
            self.assertLess(np.ptp(quarters), 0.08, f"{name} is evenly lit")
            self.assertIn(
                "layers.0.treatments.0.window" if relief.layers[0].treatments[0].on else "amplitude", relief.suggested
            )

    def test_what_places_the_picture_stays(self):
        data, engine = png(skimage.data.brick()), Engine()
        first = suggest_start("0" * 64, "brick.png", "photo", lambda _: data, engine)
        placed = first.main.with_treatments([Crop(left=10, width=60, height=60), 0, 1, EvenLight()])
        relief = set_from_statistics(Pipeline.of(first.with_relief(placed), lambda _: data), engine)
        kinds = [treatment.kind for treatment in relief.layers[0].treatments]
        self.assertEqual(kinds, ["crop", "even_light", "levels", "soften"])


class ResolutionTests(TestCase):
    def test_the_full_picture_is_kept_to_the_end_and_shrunk_by_area(self):
        data, engine = png(skimage.data.gravel()), Engine()
        recipe = suggest_start("0" * 64, "gravel.png", "photo", lambda _: data, engine)
        full = engine.run(Pipeline.of(recipe, lambda _: data).height()).samples
        small = recipe.with_changes({"maps.resolution": 128})
        shrunk = engine.run(Pipeline.of(small, lambda _: data).height()).samples
        np.testing.assert_allclose(shrunk, full.reshape(128, 4, 128, 4).mean(axis=(1, 3)), atol=1e-5)

    def test_enlarging_is_exact_on_quadratics(self):
        """Keys 1981, cubic convolution."""
        place = np.arange(32, dtype=np.float64)
        quadratic = 0.1 + 0.002 * place + 0.0007 * place**2
        here = field(np.tile(quadratic, (32, 1)))
        from relief.filters.resample import resample_field

        fine = resample_field(here, 96, 96, "bicubic").samples
        places = (np.arange(96) + 0.5) / 3 - 0.5
        expected = 0.1 + 0.002 * places + 0.0007 * places**2
        np.testing.assert_allclose(fine[40, 9:-9], expected[9:-9], atol=1e-6)

    def test_a_crop_is_looked_at_with_all_its_texels(self):
        data, engine = png(skimage.data.gravel()), Engine()
        recipe = suggest_start("0" * 64, "gravel.png", "photo", lambda _: data, engine)
        cut = recipe.with_relief(recipe.main.with_treatments([Crop(width=25, height=25), *range(3)]))
        proxy = engine.run(Pipeline.of(cut, lambda _: data, 128).height())
        self.assertEqual(proxy.samples.shape, (128, 128))
        whole = engine.run(replace(Pipeline.of(cut, lambda _: data), longest=None).height())
        np.testing.assert_allclose(proxy.samples, whole.samples, atol=1e-6)

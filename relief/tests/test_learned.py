"""The networks that read one photo, on surfaces and by a renderer that they were not taught with."""

from __future__ import annotations

import shutil
import tracemalloc
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import TestCase, mock

import cv2
import numpy as np

from relief.depth import learned, networks
from relief.depth.from_light import (
    BAND,
    EVENLY_LIT,
    FromLight,
    colours_without_light,
    look_for_elevation,
    look_for_light,
)
from relief.depth.learned import Told, read_elevation, read_photo, trust, weigh_azimuths
from relief.depth.light import Light
from relief.depth.networks import features
from relief.depth.series import photos_of
from relief.errors import Cancelled, ReliefError
from relief.inspect.find import find_in_source
from relief.inspect.start import suggest_start
from relief.progress import Progress
from relief.recipe.migrations import migrate
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.colour import linear_from_srgb, srgb_from_linear
from relief.sources.decode import decode
from relief.sources.picture import Picture
from relief.synthetic.rendering import true_normals
from relief.synthetic.surfaces import ELEVATION, find_surface
from relief.tests.tags import long


def apart(one: np.ndarray, other: np.ndarray) -> float:
    """The mean angle between two fields of normals, degrees."""
    return float(np.degrees(np.arccos(np.clip((one * other).sum(axis=2), -1, 1))).mean())


def noise_photo(rows: int = 150, columns: int = 97) -> np.ndarray:
    """A soft photo of nothing, in linear light."""
    grey = cv2.GaussianBlur(np.random.default_rng(3).random((rows, columns), np.float32), (0, 0), 3)
    return np.dstack([0.2 + 2 * (grey - 0.4)] * 3).clip(0, 1)


def lit_photo(key: str, size: int, azimuth: float) -> np.ndarray:
    """A surface photographed by the renderer of the truth, in linear light."""
    return photos_of([decode(find_surface(key).make(size).photo(azimuth, 1), "photo.jpg")])[0]


class LearnedTests(TestCase):
    @long
    def test_surfaces_that_it_was_not_taught_are_read_better_than_flat(self):
        off, flat = [], []
        for number, key in enumerate(("fender-rope-mat", "slipway-cobble", "tide-flat", "oyster-plaster")):
            made = find_surface(key).make(256)
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

    @long
    def test_a_photo_made_twice_as_large_gives_the_same_relief(self):
        photo = lit_photo("oyster-plaster", 500, 200)
        large = cv2.resize(photo, (2 * photo.shape[1], 2 * photo.shape[0]), interpolation=cv2.INTER_CUBIC).clip(0, 1)
        one, other = (read_photo(each, Light(200, ELEVATION)) for each in (photo, large))
        small = cv2.resize(other.slopes, photo.shape[1::-1], interpolation=cv2.INTER_AREA)
        wide = [cv2.GaussianBlur(each, (0, 0), 2) for each in (one.slopes, small)]
        self.assertLess(np.abs(wide[0] - wide[1]).mean(), 0.35 * np.abs(wide[0]).mean())
        self.assertGreater(np.corrcoef(wide[0].ravel(), wide[1].ravel())[0, 1], 0.85)

    @long
    def test_tiles_leave_no_seam(self):
        photo = lit_photo("slipway-cobble", 384, 135)[:, :301]
        whole = read_photo(photo, Light(37, ELEVATION)).normals
        with mock.patch.object(learned, "TILE", 256):
            tiled = read_photo(photo, Light(37, ELEVATION)).normals
        off = np.degrees(np.arccos(np.clip((whole * tiled).sum(axis=2), -1, 1)))
        self.assertLess(off.mean(), 1.5)
        jumps = [np.abs(np.diff(each[..., 0], axis=1)) for each in (whole, tiled)]
        self.assertLess(np.percentile(jumps[1], 99.9), 1.15 * np.percentile(jumps[0], 99.9))

    def test_a_photo_that_wraps_is_read_alike_wherever_it_begins(self):
        photo = np.tile(noise_photo(96, 96), (1, 1, 1))
        waves = np.sin(np.arange(96) * 2 * np.pi / 32).astype(np.float32)
        photo = np.dstack([0.4 + 0.2 * np.outer(waves, waves)] * 3).astype(np.float32)
        light = Light(0, 45)
        rolled = read_photo(np.roll(photo, (32, 64), (0, 1)), light, (True, True)).slopes
        straight = read_photo(photo, light, (True, True)).slopes
        self.assertLess(np.abs(np.roll(straight, (32, 64), (0, 1)) - rolled).mean(), 0.1 * np.abs(straight).mean())

    @long
    def test_a_light_that_is_turned_with_its_photo_is_found_there(self):
        photo = lit_photo("slipway-cobble", 192, 70)
        straight, (likely, _) = read_elevation(photo), weigh_azimuths(photo, 45)
        self.assertAlmostEqual(float(likely.sum()), 1)
        quarter = len(likely) // 4
        for turns in (1, 2, 3):
            turned = np.rot90(photo, turns).copy()
            self.assertAlmostEqual(read_elevation(turned), straight, places=3)
            np.testing.assert_allclose(weigh_azimuths(turned, 45).likely, np.roll(likely, quarter * turns), atol=0.01)
        mirrored = weigh_azimuths(photo[::-1].copy(), 45).likely  # which the network reads as another photo
        np.testing.assert_allclose(mirrored, np.roll(likely[::-1], 1), atol=0.02)

    @long
    def test_where_the_light_of_other_surfaces_stood(self):
        """Also which of two opposite lights it was, which no slope along the light tells."""
        lit = {"slipway-cobble": 315, "tin-ceiling": 70, "salt-brick": 200, "fender-rope-mat": 135}
        off = []
        for key, azimuth in lit.items():
            likely, even = weigh_azimuths(lit_photo(key, 256, azimuth), 45)
            self.assertLess(even, EVENLY_LIT, key)
            off.append(abs((360 * likely.argmax() / len(likely) - azimuth + 180) % 360 - 180))
        self.assertLess(max(off), 60, "no side was taken for the other")
        self.assertLess(np.median(off), 20)

    @long
    def test_an_overcast_photo_is_told_from_a_lit_one_and_better_read_from_darkness(self):
        """Under an even sky a place is as bright as it is open: the openness is that of the truth's renderer."""
        found, started = {"network": [], "linear": []}, []
        for key in ("salt-brick", "hex-floor", "coal-shed-roof"):
            made = find_surface(key).make(256)
            lit = made.paint * made.openness[..., None]
            pixels = np.rint(np.clip(lit / lit.max(), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
            data = cv2.imencode(".png", pixels[..., ::-1])[1].tobytes()
            engine = Engine()
            recipe = suggest_start("0" * 64, "photo.png", "light", lambda _, data=data: data, engine)
            pipeline = Pipeline.of(recipe, lambda _, data=data: data)
            finding = next(each for each in find_in_source(pipeline, engine) if each.kind == "evenly-lit")
            started.append(recipe.main.picture.light.way)
            either = {read.main.picture.light.way: read for read in (recipe, finding.mend.apply(recipe))}
            for way, read in either.items():
                height = engine.run(Pipeline.of(read, lambda _, data=data: data).height()).samples
                found[way].append(np.corrcoef(height.ravel(), made.height.ravel())[0, 1])
        self.assertEqual(started, ["linear", "linear", "network"], "the roof is hardly likely enough")
        self.assertGreater(np.mean(found["linear"]), np.mean(found["network"]) + 0.1)

    @long
    def test_photos_that_are_none_are_read_without_a_fall(self):
        rng = np.random.default_rng(4)
        text = np.full((120, 300, 3), 1, np.float32)
        cv2.putText(text, "RELIEF 12", (5, 80), cv2.FONT_HERSHEY_SIMPLEX, 1.8, (0, 0, 0), 3)
        for photo in (text, rng.random((90, 90, 3), np.float32), np.full((40, 40, 3), 0.3, np.float32),
                      rng.random((1, 1500, 3), np.float32), rng.random((1500, 1, 3), np.float32)):  # fmt: skip
            picture = Picture(np.rint(photo * 255).astype(np.uint8), 8, "PNG")
            guess = look_for_light(picture, look_for_elevation(picture), Progress())
            self.assertTrue(0 <= guess.light.azimuth < 360 and 5 <= guess.light.elevation <= 85)
            self.assertTrue(0 <= guess.sure <= 1 and 0 <= guess.even <= 1)
            told = read_photo(photo, guess.light)
            self.assertTrue(all(np.isfinite(field).all() for field in told))
            self.assertTrue((trust(told) >= 0).all() and (trust(told) <= 1).all())

    def test_reading_can_be_stopped(self):
        class Stopped(Progress):
            def cancelled(self):
                return True

        with self.assertRaises(Cancelled):
            read_photo(noise_photo(), Light(0, 45), progress=Stopped())

    @long
    def test_colours_without_light_are_nearer_to_the_true_ones_than_the_photo(self):
        for key in ("coal-shed-roof", "fender-rope-mat", "scallop-tile"):
            made = find_surface(key).make(384)
            picture = decode(made.photo(135, 3), "photo.jpg")
            told = read_photo(photos_of([picture])[0], Light(135, ELEVATION))
            unlit = colours_without_light(None, picture, told)
            off = []
            for pixels in (unlit, picture.pixels):
                light = (pixels.astype(float) / 255) ** 2.2
                light *= (light * made.paint).sum() / (light * light).sum()
                off.append(np.sqrt(((light - made.paint) ** 2).mean()))
            self.assertLess(off[0], off[1], key)


class ColoursTests(TestCase):
    """Colours without light, where the light is known beforehand."""

    def test_what_was_multiplied_by_a_light_is_found_again_in_all_bands(self):
        rows, columns = 2 * BAND + 77, 60
        paint = np.random.default_rng(4).uniform(0.2, 0.6, (rows, columns, 3)).astype(np.float32)
        light = np.linspace(0.7, 1.3, rows, dtype=np.float32)[:, None] + np.zeros((1, columns), np.float32)
        pixels = np.rint(srgb_from_linear(paint * light[..., None]) * 65535).astype(np.uint16)
        told = Told(np.zeros((rows, columns, 2), np.float32), np.ones_like(light), np.log(light))
        unlit = linear_from_srgb(colours_without_light(None, Picture(pixels, 16, "PNG"), told) / 255)
        ratio = unlit / paint
        # what is added before logarithms are taken bends it by up to two parts in a hundred
        np.testing.assert_allclose(ratio / ratio.mean(), 1, atol=0.03)

    def test_a_photo_larger_than_what_was_read_takes_little_more_than_what_it_becomes(self):
        pixels = np.random.default_rng(5).integers(0, 255, (2100, 2000, 3), np.uint8)
        told = Told(np.zeros((105, 100, 2), np.float32), *(np.full((105, 100), 0.1, np.float32) for _ in range(2)))
        colours_without_light(None, Picture(pixels[:105, :100], 8, "JPEG"), told)  # compiles what it takes
        tracemalloc.start()
        self.addCleanup(tracemalloc.stop)
        unlit = colours_without_light(None, Picture(pixels, 8, "JPEG"), told)
        _, most = tracemalloc.get_traced_memory()
        self.assertEqual(unlit.shape, pixels.shape)
        self.assertLess(most, 6 * pixels.nbytes)  # float32 of the whole would be 4 times for each array at once


class MissingTests(TestCase):
    """What happens where the files of the networks are not those that belong to the application."""

    def setUp(self):
        networks._load.cache_clear()
        self.addCleanup(networks._load.cache_clear)
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name) / "weights"
        shutil.copytree(networks.WEIGHTS, self.folder)
        patched = mock.patch.object(networks, "WEIGHTS", self.folder)
        patched.start()
        self.addCleanup(patched.stop)

    def damage(self, how: str) -> None:
        path = self.folder / networks.RELIEF
        data = path.read_bytes()
        match how:
            case "missing":
                path.unlink()
            case "cut":
                path.write_bytes(data[: len(data) // 2])
            case "empty":
                path.write_bytes(b"")
            case "altered":
                path.write_bytes(data[:-50_000] + bytes([data[-50_000] ^ 1]) + data[-49_999:])
            case "no sums":
                (self.folder / networks.SUMS).unlink()

    @long
    def test_it_is_said_and_the_linear_method_goes_on(self):
        data = find_surface("beach-pebble").make(96).photo(135, 1)
        for how in ("missing", "cut", "empty", "altered", "no sums"):
            with self.subTest(how):
                shutil.rmtree(self.folder)
                networks._load.cache_clear()
                shutil.copytree(Path(networks.__file__).with_name("weights"), self.folder)
                self.assertTrue(networks.are_there())
                networks._load.cache_clear()
                self.damage(how)
                self.assertFalse(networks.are_there())
                with self.assertRaisesRegex(ReliefError, "missing or damaged"):
                    read_photo(noise_photo(), Light(0, 45))
                engine = Engine()
                recipe = suggest_start("0" * 64, "photo.jpg", "light", lambda _: data, engine)
                pipeline = Pipeline.of(recipe, lambda _: data)
                linear = Pipeline.of(recipe.with_changes({"layers.0.content.light.way": "linear"}), lambda _: data)
                np.testing.assert_array_equal(*(engine.run(each.height()).samples for each in (pipeline, linear)))
                found = {finding.kind: finding for finding in find_in_source(pipeline, engine)}
                self.assertIn("networks", found)
                mended = recipe.with_changes(dict(found["networks"].mend.changes))
                self.assertNotIn(
                    "networks",
                    [each.kind for each in find_in_source(Pipeline.of(mended, lambda _: data), engine)],
                )


class RecipeTests(TestCase):
    def test_a_recipe_of_before_keeps_the_linear_method(self):
        layer = {"name": "photo.jpg", "content": {"kind": "picture", "source": "picture", "reading": "light"}}
        other = {"name": "photo.jpg", "content": {"kind": "picture", "source": "picture", "reading": "photo"}}
        lit = {**layer, "content": {**layer["content"], "light": {"azimuth": 200, "paint": 0.5}}}
        data = {"version": 5, "sources": {}, "reliefs": {"main": {"layers": [layer, lit, other]}}}
        contents = [each["content"] for each in migrate(data)["reliefs"]["main"]["layers"]]
        self.assertEqual(contents[0]["light"], {"way": "linear"})
        self.assertEqual(contents[1]["light"], {"azimuth": 200, "paint": 0.5, "way": "linear"})
        self.assertNotIn("light", contents[2])

    def test_a_new_piece_is_read_by_the_network_and_paint_and_fill_are_not_asked_for(self):
        data = find_surface("beach-pebble").make(128).photo(135, 1)
        engine = Engine()
        recipe = suggest_start("0" * 64, "photo.jpg", "light", lambda _: data, engine)
        content = recipe.main.picture
        self.assertEqual(content.light.way, "network")
        self.assertEqual(FromLight().unused(recipe.main.surroundings(1)), {"paint", "fill"})
        guess = engine.run(Pipeline.of(recipe, lambda _: data).photo().guessed())
        self.assertEqual((content.light.azimuth, content.light.elevation), (guess.light.azimuth, guess.light.elevation))
        picture = decode(data, "photo.jpg")
        self.assertEqual(guess, look_for_light(picture, look_for_elevation(picture), Progress()))

    def test_colours_are_without_light_unless_as_photographed_is_asked_for(self):
        data = find_surface("beach-pebble").make(128).photo(135, 1)
        engine, changes = Engine(), [{}, {"maps.colour.light": "kept"}, {"layers.0.content.light.way": "linear"}]
        recipe = suggest_start("0" * 64, "photo.jpg", "light", lambda _: data, engine)
        unlit, kept, linear = (
            engine.run(Pipeline.of(recipe.with_changes(each), lambda _: data).companions.colour()) for each in changes
        )
        pixels = decode(data, "photo.jpg").pixels
        np.testing.assert_array_equal(kept, pixels)
        np.testing.assert_array_equal(linear, pixels)
        self.assertEqual(unlit.shape, pixels.shape)
        self.assertGreater(np.abs(unlit.astype(float) - pixels).mean(), 3)

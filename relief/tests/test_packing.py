"""Packed pictures read back channel by channel, unpacked ones read on the way in, and colours that are passed on."""

import io
from dataclasses import replace
from unittest import TestCase

import numpy as np
import skimage.color
import skimage.data
from PIL import Image

from relief.deliver.delivery import map_files
from relief.deliver.images import png
from relief.errors import RecipeError
from relief.maps.colour_map import Colour, colour
from relief.maps.packing import PRESETS, Pack, at_depth
from relief.recipe import map_edits
from relief.recipe.layer import Beside, Picture
from relief.recipe.recipe import Recipe
from relief.recipe.relief import MOST_PACKS
from relief.run.engine import Engine
from relief.run.finished import finish_map, packable, titles
from relief.run.pipeline import Pipeline
from relief.tests.height_fields import rough
from relief.tests.test_grey_maps import made_of_noise
from relief.tests.test_vectors import recipe_of


def noise_with(*kinds: str, preset: str = "") -> Pipeline:
    """A small piece of noise with some grey maps and a packed picture."""
    relief = made_of_noise()
    for kind in kinds:
        relief, _ = map_edits.add_map(relief, kind)
    if preset:
        relief, _ = map_edits.add_pack(relief, preset)
    return Pipeline(relief, {}, {}.__getitem__, 40)


def opened(pipeline: Pipeline) -> dict[str, Image.Image]:
    """The delivered maps by file name, as Pillow opens them."""
    return {
        file.name: Image.open(io.BytesIO(file.data))
        for file in map_files(pipeline, Engine(), "x")
        if file.name.endswith(".png")
    }


class PackingTests(TestCase):
    def test_each_channel_is_the_map_it_was_packed_from(self):
        """Pillow splits the picture; each channel equals the map that is delivered beside it."""
        files = opened(noise_with("occlusion", "roughness", preset="gltf"))
        red, green, blue = files["x_occlusion_roughness_metalness.png"].split()
        np.testing.assert_array_equal(np.asarray(red), np.asarray(files["x_occlusion.png"]))
        np.testing.assert_array_equal(np.asarray(green), np.asarray(files["x_roughness.png"]))
        self.assertEqual(blue.getextrema(), (0, 0))

    def test_height_in_the_free_alpha_of_a_normal_map(self):
        pipeline = noise_with(preset="height_in_alpha")
        files = opened(pipeline)
        packed = files["x_normal_and_height.png"]
        self.assertEqual(packed.mode, "RGBA")
        pixels = np.asarray(packed)
        np.testing.assert_array_equal(pixels[..., :3], np.asarray(files["x_normal.png"]))
        deep = np.asarray(files["x_displacement.png"]).astype(float)
        self.assertLessEqual(np.abs(pixels[..., 3] - deep / 257).max(), 0.51)
        costs = pipeline.relief.maps.packs[0].costs(51)
        self.assertEqual(costs, ["8 bits keep 256 heights, 0.2 mm apart: slopes show as steps close up."])
        self.assertEqual(pipeline.relief.maps.packs[0].model_copy(update={"bits": 16}).costs(51), [])

    def test_height_in_blue_says_that_blue_has_to_be_made_again(self):
        costs = noise_with(preset="height_in_blue").relief.maps.packs[0].costs(5)
        self.assertEqual(len(costs), 2)
        self.assertIn("rebuilds it", costs[1])

    def test_values_and_turned_around_channels(self):
        pipeline = noise_with("slope")
        pack = Pack(
            red_value=0.2, green="more-0", green_inverted=True, blue="more-7", blue_value=1, alpha="value", bits=16
        )
        relief = pipeline.relief.model_copy(update={"maps": pipeline.relief.maps.model_copy(update={"packs": (pack,)})})
        engine, here = Engine(), replace(pipeline, relief=relief)
        pixels = engine.run(finish_map(here, "pack-0"))
        slope = engine.run(finish_map(here, "more-0"))
        self.assertEqual(pixels.dtype, np.uint16)
        self.assertEqual(set(pixels[..., 0].ravel()), {13107})
        np.testing.assert_array_equal(pixels[..., 1], 65535 - slope.astype(np.uint16) * 257)
        self.assertEqual(set(pixels[..., 2].ravel()), {65535})  # a map that is not there counts as the value
        self.assertEqual(set(pixels[..., 3].ravel()), {65535})

    def test_removing_a_map_moves_what_holds_the_later_ones(self):
        relief = noise_with("slope", "occlusion", "roughness", preset="gltf").relief
        self.assertEqual((relief.maps.packs[0].red, relief.maps.packs[0].green), ("more-1", "more-2"))
        relief, _ = map_edits.remove_map(relief, 1)
        self.assertEqual((relief.maps.packs[0].red, relief.maps.packs[0].green), ("value", "more-1"))

    def test_packs_are_named_removed_and_bounded(self):
        relief = made_of_noise()
        for preset in PRESETS:
            relief, _ = map_edits.add_pack(relief, preset)
        relief, _ = map_edits.name_pack(relief, 0, "  my   maps ")
        self.assertEqual(relief.maps.packs[0].name, "my maps")
        relief, done = map_edits.remove_pack(relief, 1)
        self.assertEqual(done, "Removed Normal and height")
        for _ in range(MOST_PACKS - len(relief.maps.packs)):
            relief, _ = map_edits.add_pack(relief, "empty")
        for refused in (
            lambda: map_edits.add_pack(relief, "empty"), lambda: map_edits.add_pack(made_of_noise(), "glitter"),
            lambda: map_edits.remove_pack(relief, 99), lambda: map_edits.name_pack(relief, -1, "x"),
        ):  # fmt: skip
            self.assertRaises(RecipeError, refused)

    def test_every_map_of_one_channel_can_be_packed(self):
        relief = noise_with("position", "slope").relief
        offered = packable(relief)
        self.assertTrue({"normal.red", "more-0.blue", "more-1", "displacement"} <= set(offered))
        self.assertFalse({"more-0", "colour.green"} & set(offered), "noise has no colours")
        photo = recipe_of({"picture": png(skimage.data.gravel())}, Picture(source="picture", reading="photo")).relief
        self.assertIn("colour.green", packable(photo))
        self.assertEqual(titles(relief)["more-1"], "Slope")

    def test_depths(self):
        every = np.arange(256, dtype=np.uint8)
        np.testing.assert_array_equal(at_depth(at_depth(every, 16), 8), every)
        self.assertEqual(at_depth(np.uint16([0, 128, 129, 65535]), 8).tolist(), [0, 0, 1, 255])


class UnpackingTests(TestCase):
    def setUp(self):
        parts = [np.rint(rough(32, 32, seed) * 255).astype(np.uint8) for seed in range(4)]
        self.parts = dict(zip(("red", "green", "blue", "alpha"), parts, strict=True))
        data = io.BytesIO()
        Image.fromarray(np.dstack(parts), "RGBA").save(data, "PNG")
        self.data = data.getvalue()

    def test_channels_of_one_picture_become_height_and_maps_that_go_along(self):
        content = Picture(
            source="picture", reading="height", channel="alpha",
            unpacked={"red": "occlusion", "green": "roughness", "blue": "metalness"},
        )  # fmt: skip
        engine, pipeline = Engine(), recipe_of({"picture": self.data}, content)
        for role, channel in (("occlusion", "red"), ("roughness", "green"), ("metalness", "blue")):
            pixels = engine.run(finish_map(pipeline, f"along-{role}"))
            np.testing.assert_array_equal(pixels, self.parts[channel])
        height = engine.run(pipeline.height()).samples
        np.testing.assert_allclose(height, self.parts["alpha"] / 255, atol=1e-6)
        names = [file.name for file in map_files(pipeline, engine, "x")]
        self.assertTrue({"x_occlusion.png", "x_roughness.png", "x_metalness.png"} <= set(names))

    def test_they_are_packed_again_into_what_they_were(self):
        content = Picture(
            source="picture", reading="height", channel="alpha", unpacked={"red": "occlusion", "green": "roughness"}
        )
        pipeline = recipe_of({"picture": self.data}, content)
        relief, _ = map_edits.add_pack(pipeline.relief, "gltf")
        pixels = Engine().run(finish_map(replace(pipeline, relief=relief), "pack-0"))
        np.testing.assert_array_equal(pixels[..., 0], self.parts["red"])
        np.testing.assert_array_equal(pixels[..., 1], self.parts["green"])

    def test_from_another_picture_than_the_one_that_becomes_height(self):
        content = Picture(source="height", reading="height", unpacked={"source": "orm", "green": "roughness"})
        heights = png(np.rint(rough(32, 32, 9) * 65535).astype(np.uint16))
        pipeline, engine = recipe_of({"height": heights, "orm": self.data}, content), Engine()
        pixels = engine.run(finish_map(pipeline, "along-roughness"))
        np.testing.assert_array_equal(pixels, self.parts["green"])
        self.assertEqual(pipeline.relief.layers[0].companions, {"roughness": Beside("orm", "green")})
        with self.assertRaisesRegex(RecipeError, "does not have"):
            Recipe.of(pipeline.relief, pipeline.sources).with_changes({"layers.0.content.unpacked.source": "elsewhere"})

    def test_an_unknown_role_is_refused(self):
        relief = recipe_of({"picture": self.data}, Picture(source="picture")).relief
        with self.assertRaises(RecipeError):
            relief.with_changes({"layers.0.content.unpacked.red": "glitter"})


class ColourTests(TestCase):
    def test_colours_pass_through_as_they_are(self):
        photo = skimage.data.astronaut()[:64, :64]
        pipeline = recipe_of({"picture": png(photo)}, Picture(source="picture", reading="photo"))
        np.testing.assert_array_equal(Engine().run(finish_map(pipeline, "colour")), photo)
        off = replace(pipeline, relief=pipeline.relief.with_changes({"maps.colour.on": False}))
        self.assertNotIn("x_colour.png", [file.name for file in map_files(off, Engine(), "x")])

    def test_a_tint_multiplies_linear_light(self):
        """scikit-image `color.rgb2xyz` gives the luminance (its Y) before and after a grey of linear 0.21586."""
        photo = skimage.data.astronaut()[:64, :64]
        tinted = colour(photo, Colour(tint="#808080"), (1, 1), (False, False))
        before, after = (skimage.color.rgb2xyz(pixels)[..., 1] for pixels in (photo, tinted))
        np.testing.assert_allclose(after, before * 0.21586, atol=0.004)

    def test_light_that_falls_off_is_taken_out(self):
        """A photo under a slow gradient of light comes out as the photo under even light, but for its brightness."""
        texture = np.random.default_rng(0).random((128, 128)) * 0.4 + 0.2
        light = np.tile(np.linspace(0.5, 1.5, 128), (128, 1))
        seen = np.rint(np.clip(_srgb(texture * light), 0, 1) * 255).astype(np.uint8)
        evened = colour(np.dstack([seen] * 3), Colour(even=1, window=40), (1, 1), (False, False))
        inside = slice(24, -24)
        left, right = (_linear(evened[:, part, 0]).mean() for part in (slice(24, 44), slice(84, 104)))
        self.assertAlmostEqual(float(left / right), 1, delta=0.06)
        correlation = np.corrcoef(_linear(evened[inside, inside, 0]).ravel(), texture[inside, inside].ravel())[0, 1]
        self.assertGreater(correlation, 0.98)

    def test_a_colour_that_is_none_is_refused(self):
        with self.assertRaises(RecipeError):
            made_of_noise().with_changes({"maps.colour.tint": "red"})


def _srgb(linear: np.ndarray) -> np.ndarray:
    """IEC 61966-2-1."""
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)


def _linear(pixels: np.ndarray) -> np.ndarray:
    encoded = pixels / 255
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)

"""Findings about sources and repeats: each fires on a made-up case and is silent on its healthy twin."""

import io
from dataclasses import replace
from types import SimpleNamespace
from unittest import TestCase

import numpy as np
import skimage.data
from PIL import Image
from PIL.PngImagePlugin import PngInfo

from relief.inspect.check import check
from relief.inspect.find import measure_and_find
from relief.inspect.finding import Finding
from relief.inspect.findings.relief import repeats
from relief.inspect.sets import set_findings
from relief.maps.normal import Normal, normal_map
from relief.recipe import layer_edits
from relief.recipe.layer import Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.decode import decode
from relief.tests.height_fields import WRAP, field, rough
from relief.tests.test_inspect import begun, mended
from relief.tests.test_vectors import png, recipe_of

HEIGHTS = np.rint(rough(96, 96) * 65535).astype(np.uint16)
ABOUT_THE_RELIEF = {"swell", "seam", "harsh", "weak", "steps"}
"""Findings that these made-up pictures may have beside the one that is looked for."""


def normals(green: str = "up") -> np.ndarray:
    return normal_map(field(HEIGHTS / 65535, width=40, edges=WRAP), 3, Normal(green=green))


def found_in(pipeline: Pipeline) -> dict[str, Finding]:
    found = {item.kind: item for item in measure_and_find(pipeline, Engine())[1]}
    return {kind: item for kind, item in found.items() if kind not in ABOUT_THE_RELIEF}


def set_of(height: np.ndarray, normal: np.ndarray, **content) -> Pipeline:
    picture = Picture(source="height", reading="height", companions={"normal": "normal"}, **content)
    return recipe_of({"height": png(height), "normal": png(normal)}, picture)


class SourceFindingTests(TestCase):
    def assert_mended(self, kind: str, pipeline: Pipeline):
        """The finding is the only one, and there is none after its mend."""
        before = found_in(pipeline)
        self.assertEqual(list(before), [kind])
        self.assertEqual(found_in(mended(pipeline, before[kind].mend)), {})

    def test_data_read_as_colour(self):
        heights = np.rint(rough(200, 200) * 65535).astype(np.uint16)
        self.assertEqual(found_in(begun(heights)[0]), {})
        self.assert_mended("data-as-colour", begun(heights, "photo")[0])
        self.assertEqual(found_in(begun(skimage.data.gravel(), "photo")[0]), {})

    def test_colour_read_as_data(self):
        """scikit-image's `coffee` (CC0), a photo in colour; a height image saved as colour has equal channels."""
        photo = skimage.data.coffee()[:200, :200]
        self.assert_mended("colour-as-data", begun(photo, "height")[0])
        self.assertEqual(found_in(begun(photo, "photo")[0]), {})
        grey = np.dstack([np.rint(rough(64, 64) * 255).astype(np.uint8)] * 3)
        self.assertEqual(found_in(begun(grey, "height")[0]), {})
        lossy = io.BytesIO()
        Image.fromarray(grey).save(lossy, "JPEG", quality=60)
        self.assertEqual(found_in(begun(np.asarray(Image.open(lossy)), "height")[0]), {})
        named = check({"wall_height.png": png(photo), "moor_height.png": png(grey)})
        self.assertIn("colour-as-data", [item.kind for item in named.files["wall_height.png"]])
        self.assertNotIn("colour-as-data", [item.kind for item in named.files["moor_height.png"]])

    def test_a_packed_picture_is_no_colour(self):
        photo = skimage.data.coffee()[:200, :200]
        pipeline, _ = begun(photo, "height")
        recipe = pipeline.relief.with_changes({"layers.0.content.unpacked.green": "roughness"})
        self.assertEqual(found_in(replace(pipeline, relief=recipe)), {})
        named = recipe.with_changes({"layers.0.content.unpacked.source": "picture"})
        self.assertEqual(found_in(replace(pipeline, relief=named)), {})

    def test_heights_through_the_display_curve(self):
        """IEC 61966-2-1 takes an even spread of mean 0.5 to one of mean 0.35 or so."""
        pipeline, _ = begun(HEIGHTS)
        recipe = pipeline.relief.with_changes({"layers.0.content.transfer": "srgb"})
        self.assert_mended("curve", replace(pipeline, relief=recipe))

    def test_a_footprint_of_another_aspect(self):
        pipeline, _ = begun(HEIGHTS[:64])
        wide = {"footprint.keep_aspect": False, "footprint.width": 450, "footprint.height": 250}
        bent = replace(pipeline, relief=pipeline.relief.with_changes(wide))
        self.assertIn("20 % across", found_in(bent)["stretched"].reason.replace("20%", "20 %"))
        self.assert_mended("stretched", bent)

    def test_a_normal_map_without_blue(self):
        without = normals()
        without[..., 2] = 255
        content = Picture(source="picture", reading="normal")
        self.assert_mended("blue", recipe_of({"picture": png(without)}, content))
        self.assertEqual(found_in(recipe_of({"picture": png(normals())}, content)), {})

    def test_reversed_green_against_the_sets_height(self):
        self.assertEqual(found_in(set_of(HEIGHTS, normals())), {})
        self.assert_mended("green", set_of(HEIGHTS, normals("down")))
        self.assertEqual(found_in(set_of(HEIGHTS, normals("down"), green="down")), {})

    def test_height_that_runs_the_other_way_than_its_normal_map(self):
        self.assert_mended("inverted", set_of(65535 - HEIGHTS, normals()))

    def test_a_display_curve_in_the_height_of_a_set(self):
        """A height that is saved as IEC 61966-2-1 encodes light: its slopes fit those of its normal map less well."""
        linear = HEIGHTS / 65535
        encoded = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
        bent = np.rint(encoded * 65535).astype(np.uint16)
        pipeline = set_of(bent, normals())
        reason = found_in(pipeline)["gamma"].reason
        self.assertIn(f"mean is {bent.mean() / 65535:.2f} and should be {linear.mean():.2f}", reason)
        after = mended(pipeline, found_in(pipeline)["gamma"].mend)
        self.assertEqual(after.relief.layers[0].content.transfer, "srgb")
        self.assertEqual(found_in(after), {})
        # eight bits alone are no display curve
        coarse = np.rint(linear * 255).astype(np.uint8)
        self.assertNotIn("gamma", found_in(set_of(coarse, normals())))

    def test_sizes_and_aspects_of_a_set(self):
        self.assertIn("size", found_in(set_of(HEIGHTS, normals()[::2, ::2])))
        self.assertIn("aspect", found_in(set_of(HEIGHTS, normals()[:64])))

    def test_a_height_saved_with_a_display_tag(self):
        """PNG's sRGB chunk (ISO/IEC 15948) on a data picture."""
        info, data = PngInfo(), io.BytesIO()
        info.add(b"sRGB", b"\0")
        Image.fromarray(HEIGHTS).save(data, "PNG", pnginfo=info)
        found = check({"hull_height.png": data.getvalue()})
        self.assertIn("tagged", [item.kind for item in found.files["hull_height.png"]])
        silent = check({"hull_height.png": png(HEIGHTS), "hull.png": data.getvalue()})
        self.assertNotIn("tagged", [item.kind for item in silent.files["hull_height.png"]])


class RepeatTests(TestCase):
    def test_a_place_that_gives_the_repeat_away(self):
        ordinary = rough(256, 256, 3)
        row, column = np.mgrid[:256, :256]
        knob = 1.2 * np.exp(-((row - 100) ** 2 + (column - 150) ** 2) / 80)
        for samples, expected in ((ordinary, False), (ordinary + knob, True)):
            pixels = np.rint((samples - samples.min()) / np.ptp(samples) * 65535).astype(np.uint16)
            pipeline = recipe_of({"picture": png(pixels)}, Picture(source="picture", reading="height"))
            found = found_in(pipeline)
            self.assertEqual("telltale" in found, expected)
        self.assertIn("59 % across and 39 % down", found["telltale"].reason)
        alone = replace(pipeline, relief=pipeline.relief.with_changes({"edges.across": "clamp"}))
        self.assertNotIn("telltale", found_in(alone))

    def test_a_layer_that_repeats_with_the_amount_it_had_as_one(self):
        """2 x 2 repeats halve 0.1 to 0.05 (common practice, no source)."""
        reference = {"picture": SourceReference(digest="a" * 64, filename="dent.png")}
        pipeline = begun(HEIGHTS)[0]
        base = Recipe.of(pipeline.relief, pipeline.sources)
        recipe, _ = layer_edits.add_picture(base, "Dents", reference, Picture(source="picture", reading="height"))
        self.assertIsNone(repeats.find(SimpleNamespace(relief=recipe.main)))
        twice = recipe.with_changes({"layers.1.layout.repeats_across": 2, "layers.1.layout.repeats_down": 2})
        finding = repeats.find(SimpleNamespace(relief=twice.main))
        self.assertIn("slopes are 2 times as steep", finding.reason)
        after = finding.mend.apply(twice).main
        self.assertAlmostEqual(after.layers[1].amount, 0.15)
        self.assertIsNone(repeats.find(SimpleNamespace(relief=after)))


class SetCurveTests(TestCase):
    def test_both_ways(self):
        """A curve put on is told from one that was removed once too often."""
        linear = HEIGHTS / 65535
        decoded = np.where(linear <= 0.04045, linear / 12.92, ((linear + 0.055) / 1.055) ** 2.4)
        dark = np.rint(decoded * 65535).astype(np.uint16)
        pictures = {"height": decode(png(dark), "h.png"), "normal": decode(png(normals()), "n.png")}
        finding = next(item for item in set_findings(pictures) if item.kind == "gamma")
        self.assertIn("applied again", finding.reason)
        self.assertIsNone(finding.mend)

"""A series of pictures through one recipe, stopped, gone on with, and read back."""

import hashlib
import json
import zipfile
from unittest import mock

import numpy as np
from PIL import Image

from relief.compose.strokes import Stroke, Strokes
from relief.deliver import series
from relief.errors import Cancelled
from relief.generate.gradient_noise import GradientNoise
from relief.recipe.layer import Layer, Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.tests.command import CommandTestCase
from relief.tests.height_fields import rough
from relief.tests.tags import long

NONE = "0" * 64


class SeriesTests(CommandTestCase):
    def setUp(self):
        super().setUp()
        self.pictures = self.folder / "in"
        self.pictures.mkdir()
        for number in range(4):
            samples = np.rint(65535 * rough(40, 48, number)).astype(np.uint16)
            Image.fromarray(samples).save(self.pictures / f"wall-{number}.png")
        relief = Relief(layers=(Layer(name="Wall", content=Picture(reading="height")),), amplitude=3)
        recipe = Recipe.of(relief, {"picture": SourceReference(digest=NONE, filename="first.png")})
        recipe = recipe.with_changes({"delivery.mesh": "none", "delivery.materialx": False, "delivery.usd": False})
        self.recipe = self.folder / "recipe.json"
        self.recipe.write_text(recipe.as_text())
        self.out = self.folder / "out"

    def run_series(self, *more):
        code, out, err = self.run_command("series", self.recipe, self.pictures, "--out", self.out, *more)
        return code, json.loads(out) if out else None, err

    def times(self):
        return {place.name: place.stat().st_mtime_ns for place in self.out.glob("*.zip")}

    @long
    def test_each_picture_becomes_a_delivery_of_its_own(self):
        code, told, _ = self.run_series()
        self.assertEqual((code, told["done"], told["failed"]), (0, 4, 0))
        heights = []
        for number in range(4):
            with zipfile.ZipFile(self.out / f"wall-{number}.zip") as bundle:
                name = next(name for name in bundle.namelist() if name.endswith("_displacement.png"))
                heights.append(np.asarray(Image.open(bundle.open(name)), float))
                kept = json.loads(bundle.read("recipe.json"))
            self.assertEqual(kept["sources"]["picture"]["filename"], f"wall-{number}.png")
            mine = np.corrcoef(heights[-1].ravel(), rough(40, 48, number).ravel())[0, 1]
            self.assertGreater(mine, 0.999)

    @long
    def test_what_is_finished_is_kept_and_what_was_changed_is_made_again(self):
        self.run_series()
        before = self.times()
        code, told, _ = self.run_series()
        self.assertEqual((code, told["kept"], self.times()), (0, 4, before))
        Image.fromarray(np.rint(65535 * rough(40, 48, 77)).astype(np.uint16)).save(self.pictures / "wall-1.png")
        (self.out / "wall-2.zip").write_bytes(b"cut")
        (self.out / "wall-3.zip").unlink()
        _, told, _ = self.run_series()
        self.assertEqual([item["state"] for item in told["items"]], ["kept", "done", "done", "done"])
        # another profile is another series
        _, told, _ = self.run_series("--profile", "game tile")
        self.assertEqual(told["done"], 4)
        (self.out / series.LEDGER).write_text("{not JSON")
        _, told, _ = self.run_series("--profile", "game tile")
        self.assertEqual(told["done"], 4, "without its ledger nothing is taken for finished")

    @long
    def test_stopped_in_the_middle_it_goes_on_with_what_is_missing(self):
        recipe, _ = Recipe.read_whole(json.loads(self.recipe.read_text()))
        items, _ = series.gather_items(recipe, [self.pictures])
        deliver, seen = series.write_bundle, []

        def stop_at_the_third(place, *more):
            seen.append(place.name)
            if len(seen) == 3:
                raise Cancelled
            deliver(place, *more)

        with mock.patch.object(series, "write_bundle", stop_at_the_third), self.assertRaises(Cancelled):
            list(series.run_series(recipe, items, self.out))
        self.assertEqual(sorted(self.times()), ["wall-0.zip", "wall-1.zip"])
        states = [outcome.state for outcome in series.run_series(recipe, items, self.out)]
        self.assertEqual(states, ["kept", "kept", "done", "done"])
        self.assertEqual([place.name for place in self.out.iterdir() if place.name.startswith(".")], [])

    @long
    def test_a_broken_picture_fails_alone_and_the_exit_code_tells(self):
        (self.pictures / "wall-1.png").write_bytes(b"\x89PNG\r\n\x1a\n cut")
        (self.pictures / "empty.png").write_bytes(b"")
        code, told, _ = self.run_series()
        self.assertEqual((code, told["done"], told["failed"]), (1, 3, 2))
        problems = {item["name"]: item["problem"] for item in told["items"] if item["state"] == "failed"}
        self.assertIn("empty", problems["empty"])
        self.assertIn("cannot be read", problems["wall-1"])

    def test_sets_are_matched_by_the_roles_in_their_names(self):
        sources = {
            role: SourceReference(digest=str(number) * 64, filename=f"a_{role}.png")
            for number, role in enumerate(("height", "colour", "roughness"))
        }
        beside = {"colour": "colour", "roughness": "roughness"}
        layer = Layer(name="Wall", content=Picture(source="height", reading="height", companions=beside))
        recipe = Recipe.of(Relief(layers=(layer,)), sources)
        for name in ("quay_height", "quay_basecolor", "quay_rough", "pier_height", "pier_color"):
            (self.folder / "sets").mkdir(exist_ok=True)
            (self.folder / "sets" / f"{name}.png").write_bytes(b"")
        items, failed = series.gather_items(recipe, [self.folder / "sets"])
        self.assertEqual([(item.name, {key: file.name for key, file in item.files.items()}) for item in items], [
            ("quay", {"height": "quay_height.png", "colour": "quay_basecolor.png", "roughness": "quay_rough.png"}),
        ])  # fmt: skip
        self.assertEqual([each.name for each in failed], ["pier"])
        self.assertIn("no file for “roughness”", failed[0].problem)

    @long
    def test_strokes_that_the_recipe_holds_are_drawn_on_every_picture(self):
        stroke = Stroke(work="raise", points=((0.2, 0.5, 1), (0.8, 0.5, 1)), radius=2000, strength=0.5)
        data = stroke.as_bytes()
        digest = hashlib.sha256(data).hexdigest()
        wall, by_hand = Picture(reading="height"), Strokes(strokes=(digest,))
        relief = Relief(layers=(Layer(name="Wall", content=wall), Layer(name="By hand", content=by_hand)), amplitude=3)
        recipe = Recipe.of(relief, {"picture": SourceReference(digest=NONE, filename="first.png")})
        recipe = recipe.with_changes({"delivery.mesh": "none", "delivery.materialx": False, "delivery.usd": False})
        self.recipe.write_text(recipe.as_text(lambda _: data))
        code, told, err = self.run_series()
        self.assertEqual((code, told and told["done"]), (0, 4), err)
        with zipfile.ZipFile(self.out / "wall-0.zip") as bundle:
            self.assertIn(digest, json.loads(bundle.read("recipe.json"))["strokes"])

    def test_what_cannot_be_begun_is_refused(self):
        for recipe, words in (
            ("[]", "not a recipe"),
            ("{", "not a recipe"),
            ('{"version": 999}', "this app reads version"),
        ):
            self.recipe.write_text(recipe)
            code, _, err = self.run_series()
            self.assertEqual(code, 2)
            self.assertIn(words, err)
        bare = Recipe.of(Relief(layers=(Layer(name="Noise", content=GradientNoise()),)))
        self.recipe.write_text(bare.as_text())
        code, _, err = self.run_series()
        self.assertEqual(code, 2)
        self.assertIn("no source", err)

"""Recipes that an earlier version of the app wrote are read and give the heights they gave then.

`version_1` holds the recipes of the demo pieces, and one worked on by hand, as version 1 wrote them; beside each the
distances from the base surface in mm that version 1 made of it, 64 texels on the long side.
"""

import json
from hashlib import sha256
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase

from relief.recipe.migrations import STEPS, VERSION
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.tests.tags import long
from studio.shelf.demo import oyster_plaster, scallops, tin_ceiling

FIXTURES = sorted(Path(__file__).parent.glob("version_1/*.json"))


@long
class EarlierVersionTests(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        pictures = [scallops.picture(), tin_ceiling.picture(), *oyster_plaster.files().values()]
        cls.files = {sha256(data).hexdigest(): data for data in pictures}

    def test_a_step_leads_from_every_version_to_the_next(self):
        self.assertEqual(sorted(STEPS), list(range(1, VERSION)))

    def test_recipes_of_version_1_give_the_heights_they_gave(self):
        self.assertGreaterEqual(len(FIXTURES), 6)
        for place in FIXTURES:
            with self.subTest(place.stem):
                data = json.loads(place.read_text())
                self.assertEqual(data["version"], 1)
                recipe, strokes = Recipe.read_whole(data)
                files = {**self.files, **strokes}
                relief = recipe.main
                height = Engine().run(Pipeline.of(recipe, files.__getitem__, 64).height())
                distance = (height.samples - relief.midlevel) * relief.amplitude
                expected = np.load(place.with_suffix(".npy"))
                # pictures made smaller no longer leave their range: that moves single texels by up to 0.7 thousandths
                np.testing.assert_allclose(distance, expected, atol=1e-3 * np.ptp(expected))
                again = Recipe.read_whole(json.loads(recipe.as_text(files.__getitem__)))
                self.assertEqual(again, (recipe, strokes))
                self.assertEqual(relief.suggested, tuple(data["suggested"]))
                shape, mapping = recipe.surface.shape, recipe.surface.mapping
                told = {"segments": shape.segments, "level": recipe.surface.level}
                self.assertEqual((shape.kind, told), ("plane", data["surface"]))
                self.assertEqual((mapping.kind, mapping.sampling), ("uv", "bilinear"))

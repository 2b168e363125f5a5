"""The list of treatments is arranged, suggestions move along, and only what depends on a change is computed."""

from unittest import TestCase

import numpy as np
import skimage.data

from relief.errors import RecipeError
from relief.inspect.start import suggest_start
from relief.recipe import treatment_edits
from relief.recipe.layer import MOST_TREATMENTS
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.tests.test_inspect import png
from relief.treat.close_seam import CloseSeam
from relief.treat.crop import Crop
from relief.treat.slope_limit import SlopeLimit
from relief.treat.turn import Turn


def kinds(relief) -> list[str]:
    return [treatment.kind for treatment in relief.layers[0].treatments]


class ArrangeTests(TestCase):
    def setUp(self):
        self.data, self.engine = png(skimage.data.gravel()), Engine()
        recipe = suggest_start("0" * 64, "gravel.png", "photo", lambda _: self.data, self.engine)
        self.sources = recipe.sources
        self.relief = recipe.main

    def test_add_move_duplicate_reset_remove(self):
        relief, label = treatment_edits.add_treatment(self.relief, "median")
        self.assertEqual((kinds(relief), label), (["levels", "soften", "invert", "median"], "Added Median"))
        relief, label = treatment_edits.move_treatment(relief, 3, 0)
        self.assertEqual((kinds(relief), label), (["median", "levels", "soften", "invert"], "Moved Median"))
        relief, _ = treatment_edits.duplicate_treatment(relief, 1)
        self.assertEqual(kinds(relief), ["median", "levels", "levels", "soften", "invert"])
        relief, _ = treatment_edits.reset(relief, 2)
        treatments = relief.layers[0].treatments
        self.assertEqual((treatments[2].black, treatments[2].white), (0, 1))
        self.assertEqual(treatments[1], self.relief.layers[0].treatments[0])
        relief, _ = treatment_edits.remove_treatment(relief, 1)
        self.assertEqual(kinds(relief), ["median", "levels", "soften", "invert"])
        self.assertEqual(kinds(treatment_edits.move_treatment(relief, 0, 99)[0])[-1], "median")

    def test_suggestions_move_along_and_vanish_with_what_they_belong_to(self):
        self.assertIn("layers.0.treatments.1.radius", self.relief.suggested)
        relief, _ = treatment_edits.move_treatment(self.relief, 1, 0)
        self.assertIn("layers.0.treatments.0.radius", relief.suggested)
        self.assertIn("layers.0.treatments.1.black", relief.suggested)
        relief, _ = treatment_edits.remove_treatment(relief, 0)
        self.assertFalse([path for path in relief.suggested if path.endswith("radius")])
        for path in relief.suggested:
            relief.value(path)

    def test_a_healed_place_joins_the_last_treatment_when_that_heals(self):
        relief, _ = treatment_edits.heal_place(self.relief, 0.5, 0.5, 8)
        relief, label = treatment_edits.heal_place(relief, 0.2, 0.7, 5)
        self.assertEqual((kinds(relief)[-1], label), ("heal", "Healed a place"))
        self.assertEqual([mark.radius for mark in relief.layers[0].treatments[-1].marks], [8, 5])
        for place in ((0.5, 0.5, -1), (0.5, 0.5, 1e9)):
            with self.assertRaises(RecipeError):
                treatment_edits.heal_place(relief, *place)

    def test_what_is_not_there_cannot_be_arranged(self):
        for work in (
            lambda: treatment_edits.add_treatment(self.relief, "magic"),
            lambda: treatment_edits.move_treatment(self.relief, 3, 0),
            lambda: treatment_edits.remove_treatment(self.relief, -1),
            lambda: treatment_edits.duplicate_treatment(self.relief, 99),
        ):
            with self.assertRaisesRegex(RecipeError, "no such treatment"):
                work()
        full = self.relief.with_treatments([0] * MOST_TREATMENTS)
        with self.assertRaisesRegex(RecipeError, "at most 64"):
            treatment_edits.add_treatment(full, "median")

    def test_a_cut_relief_knows_its_own_footprint_and_edges(self):
        relief = self.relief.with_treatments([Crop(width=50, height=40), Turn(quarters=1), CloseSeam(band=10), 0])
        height = self.engine.run(Pipeline(relief, self.sources, lambda _: self.data).height())
        self.assertEqual(height.edges, relief.final_edges)
        self.assertEqual((height.footprint.width, height.footprint.height), (110, 140))
        self.assertAlmostEqual(height.spacing[0], 300 / 512, delta=0.01)

    def test_stages_above_a_change_are_not_computed_again(self):
        relief, _ = treatment_edits.add_treatment(self.relief, "sharpen")
        relief, _ = treatment_edits.add_treatment(relief, "terrace")
        run = lambda changed: self.engine.run(Pipeline(changed, self.sources, lambda _: self.data, 256).height())  # noqa: E731
        run(relief)
        for path, stages in (
            ("layers.0.treatments.4.count", 2),  # the terrace, and bringing it to size
            ("layers.0.treatments.3.amount", 3),
            ("layers.0.treatments.0.gamma", 5),  # invert is switched off
            ("amplitude", 0),
            ("maps.normal.strength", 0),
            ("maps.resolution", 1),
        ):
            before = self.engine.computed
            run(relief.with_changes({path: 7}))
            self.assertEqual(self.engine.computed - before, stages, path)

    def test_only_a_treatment_that_asks_for_the_amplitude_is_done_anew_with_it(self):
        relief = self.relief.with_treatments([0, 1, SlopeLimit()])
        self.engine.run(Pipeline(relief, self.sources, lambda _: self.data, 256).height())
        before = self.engine.computed
        steeper = relief.with_changes({"amplitude": relief.amplitude * 4})
        self.engine.run(Pipeline(steeper, self.sources, lambda _: self.data, 256).height())
        self.assertEqual(self.engine.computed - before, 3)  # the amplitude, the limit, bringing it to size

    def test_colour_goes_where_the_relief_goes(self):
        colour = np.dstack([skimage.data.gravel(), skimage.data.grass(), skimage.data.brick()])
        data, engine = png(colour), Engine()
        recipe = suggest_start("0" * 64, "x.png", "photo", lambda _: data, engine)
        relief = recipe.main.with_treatments([Crop(left=25, top=10, width=50, height=50), 0, Turn(quarters=2)])
        laid = engine.run(Pipeline(relief, recipe.sources, lambda _: data).companions.colour())
        np.testing.assert_array_equal(laid, np.rot90(colour[51:307, 128:384], 2))

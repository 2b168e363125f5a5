"""What lies between two states: angles and heights against closed forms, and every difference in words."""

import math
from unittest import TestCase

import numpy as np

from relief.generate.gradient_noise import GradientNoise
from relief.inspect.differences import difference, height_difference, in_words
from relief.recipe import layer_edits, map_edits, treatment_edits
from relief.recipe.layer import Layer
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.tests.height_fields import WRAP, centres, field, rough, sinusoid


def relief(**changes) -> Relief:
    made = Relief(layers=(Layer(name="Dunes", content=GradientNoise()),))
    return made.with_changes({path.replace("__", "."): value for path, value in changes.items()})


class FigureTests(TestCase):
    def test_a_state_and_itself(self):
        dunes = field(rough(40, 60))
        found = difference((relief(), relief()), (dunes, dunes))
        self.assertEqual((found.angle, found.high_angle, found.height), (0, 0, 0))

    def test_two_ramps_are_as_far_apart_as_their_angles(self):
        """Ramps of 20 and 50 degrees: 30 degrees between all of their normals."""
        ramp = field(np.tile(centres(64), (64, 1)), width=100)
        rises = [100 * math.tan(math.radians(angle)) for angle in (20, 50)]
        found = difference(tuple(relief(amplitude=rise) for rise in rises), (ramp, ramp))
        self.assertAlmostEqual(found.angle, 30, places=2)
        self.assertAlmostEqual(found.high_angle, 30, places=2)

    def test_strength_turns_normals_and_moves_nothing(self):
        dunes = field(rough(40, 60))
        found = difference((relief(maps__normal__strength=2), relief()), (dunes, dunes))
        self.assertGreater(found.angle, 1)
        self.assertGreater(found.high_angle, found.angle)
        self.assertEqual(found.height, 0)

    def test_the_height_between_a_sinusoid_and_flat_ground(self):
        """The root mean square of a sinusoid of height A is A over the root of 2."""
        wave, flat = field(sinusoid(32, 256, 4), edges=WRAP), field(np.full((16, 128), 0.5))
        state = relief(amplitude=6, midlevel=0.5)
        found = difference((state, state), (wave, flat))
        self.assertAlmostEqual(found.height, 3 / math.sqrt(2), places=4)
        apart = height_difference((state, state), (wave, flat))
        np.testing.assert_allclose(apart, (wave.samples - 0.5) * 6, atol=1e-5)


class WordTests(TestCase):
    def test_parameters_from_what_to_what(self):
        self.assertEqual(in_words(Recipe.of(relief()), Recipe.of(relief())), [])
        words = in_words(Recipe.of(relief(amplitude=5)), Recipe.of(relief(amplitude=8, maps__normal__green="down")))
        self.assertEqual(len(words), 2)
        self.assertIn("Amplitude 5 mm to 8 mm", words)
        self.assertTrue(any("Green up to Green down" in word for word in words), words)

    def test_what_was_put_in_is_said_once_and_not_compared_with_what_stood_there(self):
        before, _ = treatment_edits.add_treatment(relief(), "soften")
        after, _ = treatment_edits.add_treatment(before, "levels")
        after, _ = treatment_edits.move_treatment(after, 1, 0)
        self.assertEqual(in_words(Recipe.of(before), Recipe.of(after)), ["Treatments Soften to Levels, Soften"])
        piled, _ = layer_edits.add_layer(before, "net")
        self.assertEqual(in_words(Recipe.of(before), Recipe.of(piled)), ["Layers Dunes to Dunes, Net"])
        mapped, _ = map_edits.add_map(before, "occlusion")
        self.assertEqual(in_words(Recipe.of(before), Recipe.of(mapped)), ["Maps none to Occlusion"])
        self.assertEqual(in_words(Recipe.of(mapped), Recipe.of(before)), ["Maps Occlusion to none"])

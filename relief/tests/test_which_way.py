"""What stands out, what is bright or what is dark."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
import skimage.data
from scipy.ndimage import gaussian_filter

from relief.inspect.which_way import which_way
from relief.recipe import treatment_edits
from relief.recipe.layer import Layer, Picture
from relief.recipe.relief import Relief
from relief.synthetic.motifs import Sheet
from relief.synthetic.textures import TEXTURES
from relief.treat.invert import Invert


class WhichWayTests(TestCase):
    def test_dark_joints_lie_deep_and_bright_ones_turn_it_around(self):
        """scikit-image's `brick` (CC0) has bright joints between dark bricks; its negative has dark ones."""
        brick = skimage.data.brick().astype(np.float32) / 255
        self.assertTrue(which_way(brick).inverted)
        self.assertIn("Joints", which_way(brick).reason)
        self.assertFalse(which_way(1 - brick).inverted)

    def test_on_made_surfaces_it_is_the_way_that_their_brightness_goes_with_height(self):
        """Of heights that are seen under the sky alone, what is deep is dark: of both ways the truth is known."""
        for key in ("boiler-house-brick", "hex-floor", "slipway-cobble", "fish-basket", "crazy-paving"):
            height = np.broadcast_to(TEXTURES[key].motif(Sheet(256, 5))[0], (256, 256)).astype(np.float32)
            dark = np.exp(-3 * np.maximum(gaussian_filter(height, 6, mode="wrap") - height, 0)).astype(np.float32)
            self.assertFalse(which_way(dark).inverted, key)
            self.assertTrue(which_way(1 - dark).inverted, key)

    def test_what_tells_nothing_is_left_as_it_is(self):
        self.assertFalse(which_way(np.full((30, 40), 0.5, np.float32)).inverted)

    def test_inverting_uses_the_treatment_that_is_there(self):
        ground = Layer(name="photo", content=Picture(), treatments=(Invert(on=False),))
        inverted, said = treatment_edits.invert_ground(Relief(layers=(ground,)), True)
        self.assertEqual(
            ([item.on for item in inverted.layers[0].treatments], said), ([True], "What is dark stands out")
        )
        back, _ = treatment_edits.invert_ground(inverted, False)
        self.assertEqual([item.on for item in back.layers[0].treatments], [False])
        bare = Relief(layers=(ground.model_copy(update={"treatments": ()}),))
        self.assertEqual(treatment_edits.invert_ground(bare, False)[0], bare)
        self.assertEqual(
            [type(item) for item in treatment_edits.invert_ground(bare, True)[0].layers[0].treatments], [Invert]
        )

"""A companion that is laid otherwise than the relief, on purpose."""

from unittest import TestCase

import numpy as np

from relief.errors import RecipeError
from relief.maps.unlinked import Unlinked
from relief.recipe import map_edits
from relief.recipe.relief import Relief


class UnlinkedTests(TestCase):
    def test_it_is_turned_counter_clockwise_and_moved_right_and_down(self):
        """Where a place of the companion is seen, by the words of its controls (common practice, no source)."""
        seen = lambda place, **values: np.linalg.solve(Unlinked(**values).matrix(), (*place, 1))[:2]  # noqa: E731
        np.testing.assert_allclose(seen((1, 0), across=1, down=1, turn=90), (0, 1), atol=1e-12)
        np.testing.assert_allclose(seen((1, 1), across=2, down=4), (0.5, 0.25))
        right, up = seen((0, 0), across=2, down=4, shift_across=0.5, shift_down=1)
        np.testing.assert_allclose((right, up), (0.25, -0.25))
        # on a repeat that is twice as wide as it is tall the turn still takes the corner (1, 0) of it to (0, 1)
        np.testing.assert_allclose(seen((3, 0), across=3, down=2, turn=90), (0, 1), atol=1e-12)

    def test_what_is_not_along_cannot_be_unlinked(self):
        relief = Relief.model_validate({"layers": [{"name": "a", "content": {"kind": "dots"}}]})
        with self.assertRaisesRegex(RecipeError, "no such companion"):
            map_edits.unlink_companion(relief, "roughness")

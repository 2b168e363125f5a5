"""A texture set held against itself: what fits is silent, what does not is found, and its mend sets it right."""

from unittest import TestCase

import numpy as np

from relief.inspect.agreement import agreement
from relief.inspect.sets import set_findings
from relief.maps.normal import Normal, normal_map
from relief.sources.colour import full_scale
from relief.sources.picture import Picture
from relief.tests.height_fields import WRAP, field, rough


def picture(pixels: np.ndarray) -> Picture:
    return Picture(pixels, pixels.dtype.itemsize * 8, "PNG")


def texture_set(seed: int = 0, green: str = "up", inverted: bool = False, size: int = 96) -> dict[str, Picture]:
    """Height and normal map of one relief."""
    heights = rough(size, size, seed)
    normals = normal_map(field(heights, edges=WRAP), 6, Normal(green=green))
    height = np.rint((1 - heights if inverted else heights) * 65535).astype(np.uint16)
    return {"height": picture(height), "normal": picture(normals)}


class DirectionTests(TestCase):
    def kinds(self, *arguments, **more) -> set[str]:
        return {finding.kind for finding in set_findings(*arguments, **more)}

    def test_every_mistake_is_found_and_silent_when_it_is_read_right(self):
        for seed in range(6):
            self.assertEqual(self.kinds(texture_set(seed)), set())
            reversed_green = texture_set(seed, green="down")
            self.assertEqual(self.kinds(reversed_green), {"green"})
            self.assertEqual(self.kinds(reversed_green, green="down"), set())
            upside_down = texture_set(seed, inverted=True)
            self.assertEqual(self.kinds(upside_down), {"inverted"})
            self.assertEqual(self.kinds(upside_down, inverted=True), set())
            both = texture_set(seed, green="down", inverted=True)
            self.assertEqual(self.kinds(both), {"green", "inverted"})
            self.assertEqual(self.kinds(both, green="down", inverted=True), set())

    def test_the_slopes_of_one_relief_agree(self):
        maps = texture_set()
        across, up = agreement(*(full_scale(maps[role].pixels) for role in ("height", "normal")), "up")
        self.assertGreater(min(across, up), 0.9)

    def test_without_a_height_the_normal_map_is_judged_alone(self):
        maps = texture_set(green="down")
        del maps["height"]
        self.assertEqual(self.kinds(maps), {"green"})
        self.assertEqual(self.kinds(maps, green="down"), set())

    def test_maps_of_different_surfaces_do_not_match(self):
        maps = {"height": texture_set(1)["height"], "normal": texture_set(2)["normal"]}
        self.assertEqual(self.kinds(maps), {"unrelated"})

    def test_sizes_and_aspects(self):
        maps = texture_set()
        half = {**maps, "roughness": picture(np.zeros((48, 48), np.uint8))}
        wide = {**maps, "roughness": picture(np.zeros((48, 96), np.uint8))}
        self.assertEqual((self.kinds(half), self.kinds(wide)), ({"size"}, {"aspect"}))
        self.assertEqual(self.kinds({"colour": picture(np.zeros((4, 4, 3), np.uint8))}), set())

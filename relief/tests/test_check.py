"""Checking pictures from anywhere: each finding fires on a made-up case and is silent on its healthy twin."""

import io
from unittest import TestCase

import numpy as np
import skimage.data
from PIL import Image

from relief.inspect.check import check
from relief.inspect.find import find_in_normal_map
from relief.maps.normal import Normal, normal_map
from relief.sources.decode import decode
from relief.tests.height_fields import WRAP, field, rough


def png(pixels: np.ndarray) -> bytes:
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "PNG")
    return data.getvalue()


HEIGHTS = np.rint(rough(96, 96) * 65535).astype(np.uint16)


def normals(green="up") -> np.ndarray:
    return normal_map(field(HEIGHTS / 65535, edges=WRAP), 12, Normal(green=green))


class NormalMapTests(TestCase):
    def kinds(self, pixels: np.ndarray) -> list[str]:
        return [finding.kind for finding in find_in_normal_map(decode(png(pixels), "hull_normal.png"))]

    def test_a_healthy_one_in_eight_bits(self):
        self.assertEqual(self.kinds(normals()), [])
        self.assertEqual(self.kinds(np.full((4, 4, 3), (128, 128, 255), np.uint8)), [])

    def test_without_blue_or_without_colour(self):
        for blue in (0, 128, 255):
            flattened = normals()
            flattened[..., 2] = blue
            self.assertEqual(self.kinds(flattened), ["blue"], blue)
        self.assertEqual(self.kinds(normals()[..., 0]), ["blue"])

    def test_of_uneven_length_as_one_that_was_brightened_as_a_picture(self):
        self.assertEqual(self.kinds(np.rint((normals() / 255.0) ** (1 / 2.2) * 255).astype(np.uint8)), ["length"])


class CheckTests(TestCase):
    def test_a_healthy_set_is_silent(self):
        found = check({"hull_height.png": png(HEIGHTS), "hull_normal.png": png(normals("down"))})
        self.assertEqual(found.roles, {"hull_height.png": "height", "hull_normal.png": "normal"})
        self.assertEqual([item.kind for items in found.files.values() for item in items], [])
        self.assertEqual(found.sets["hull"], [])

    def test_a_set_whose_height_runs_the_other_way(self):
        found = check({"hull_height.png": png(65535 - HEIGHTS), "hull_normal.png": png(normals())})
        self.assertEqual([item.kind for item in found.sets["hull"]], ["inverted"])

    def test_what_cannot_be_read_stops_nothing(self):
        found = check({"a.png": b"not a picture", "b.png": png(HEIGHTS)})
        self.assertEqual((list(found.problems), list(found.roles)), (["a.png"], ["b.png"]))

    def test_photos_that_anybody_would_take(self):
        """scikit-image's `gravel`, `brick` and `grass` (CC0) do not tile and are well exposed: nothing stands out."""
        files = {f"{name}.png": png(getattr(skimage.data, name)()) for name in ("gravel", "brick", "grass")}
        found = check(files)
        for name, items in found.files.items():
            self.assertEqual([item.kind for item in items], [], name)

    def test_an_even_picture_has_no_relief(self):
        found = check({"wall.png": png(np.full((32, 32), 90, np.uint8))})
        self.assertEqual([item.kind for item in found.files["wall.png"]], ["flat"])

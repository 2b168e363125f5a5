"""Pages to look at: a hundred examples, each a photo with its normals beside it, which show at a glance what the world
lacks; and what the networks make of real photos.
"""

from __future__ import annotations

import cv2
import numpy as np
import skimage

from relief.depth.from_light import colours_without_light, look_for_elevation, look_for_light, read_relief
from relief.inspect.swatch import in_clay
from relief.progress import Progress
from relief.sources.picture import Picture
from tools.learn.photo import Example, make_example

ROWS, COLUMNS, SIDE = 10, 10, 96
FIRST = 50_000_000
"""The seed of the first, which is far from those that are taught."""


def draw_page() -> bytes:
    """The page as a JPEG; the light of every photo comes from the right."""
    cells = [_cell(make_example(FIRST + number)) for number in range(ROWS * COLUMNS)]
    rows = [np.hstack(cells[row * COLUMNS : (row + 1) * COLUMNS]) for row in range(ROWS)]
    return _jpeg(np.vstack(rows))


REAL = ("brick", "gravel", "grass", "coins")
"""Test photos of scikit-image."""


def draw_real() -> bytes:
    """The page of real photos as a JPEG: each photo, its relief in clay, and its colours without light."""
    rows = []
    for name in REAL:
        pixels = cv2.resize(getattr(skimage.data, name)(), (360, 360), interpolation=cv2.INTER_AREA)
        picture = Picture(np.dstack([pixels] * 3), 8, "PNG")
        light = look_for_light(picture, look_for_elevation(picture), Progress()).light
        told = read_relief(light, (False, False), 1.0, None, picture, Progress())
        white = in_clay(told.normals)
        rows.append(np.hstack([picture.pixels, white, colours_without_light(None, picture, told)]))
    page = np.vstack([np.hstack(rows[:2]), np.hstack(rows[2:])])
    return _jpeg(page)


def _jpeg(page: np.ndarray) -> bytes:
    return cv2.imencode(".jpg", page[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 85])[1].tobytes()


def _cell(example: Example) -> np.ndarray:
    slopes = example.slopes.astype(np.float32)
    normals = np.dstack([-slopes, np.ones_like(slopes[..., 0])])
    normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    both = (example.photo, np.rint(normals * 127.5 + 127.5).astype(np.uint8))
    return np.hstack([cv2.resize(each, (SIDE, SIDE), interpolation=cv2.INTER_AREA) for each in both])

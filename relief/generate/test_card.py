"""A test card: a small known relief that shows at once when height, red or green is read the wrong way round."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np

from relief.filters.resample import resample
from relief.generate.generator import Family, Generator, Grid
from relief.progress import Progress

CARD = 512
"""Texels on a side of a test card that is delivered."""

SHOWS = (
    "Upper left a dome stands out, upper right a dent sinks in, lower left a ramp rises to the right and drops, lower "
    "right the word UP stands out upright. If the dome looks sunk or the word looks pressed in, height is read the "
    "wrong way round; if only light from above and below looks wrong, green is."
)

DRAWN = 1024
"""Texels on a side of the letters before they are brought to size."""


class TestCard(Generator):
    """A dome, a dent, a ramp and a word: shows whether height and green arrive the right way round."""

    __test__ = False  # it is no test, whatever its name begins with

    title: ClassVar[str] = "Test card"
    family: ClassVar[Family] = "pattern"
    rest: ClassVar[float] = 0.5
    kind: Literal["test_card"] = "test_card"

    def draw(self, grid: Grid) -> np.ndarray:
        x, y = np.broadcast_arrays(grid.across(), grid.down())
        heights = np.full((grid.rows, grid.columns), 0.5, np.float32)
        heights += 0.5 * _cap(x - 0.25, y - 0.25) - 0.5 * _cap(x - 0.75, y - 0.25)
        along = (x - 0.1) / 0.3
        heights += np.where((along > 0) & (along < 1) & (np.abs(y - 0.75) < 0.13), 0.5 * along, 0)
        letters = resample(_word(), grid.rows, grid.columns, "area", (False, False))
        return (heights + 0.4 * letters).astype(np.float32)

    def draw_slowly(self, grid: Grid, progress: Progress) -> np.ndarray:
        """As `draw`, at once: its letters are brought to size as a whole."""
        progress.step(0, self.title)
        return self.draw(grid)


def _cap(x: np.ndarray, y: np.ndarray, radius: float = 0.17) -> np.ndarray:
    """Half a flattened ball, 1 at its top and 0 from `radius` on."""
    return np.sqrt(np.maximum(1 - (x * x + y * y) / np.float32(radius**2), 0))


def _word() -> np.ndarray:
    """The word with softened edges: float32 (DRAWN, DRAWN), 0 to 1."""
    page = np.zeros((DRAWN, DRAWN), np.uint8)
    place = (int(0.595 * DRAWN), int(0.83 * DRAWN))
    cv2.putText(page, "UP", place, cv2.FONT_HERSHEY_DUPLEX, 7.2, 255, 30, cv2.LINE_AA)
    return cv2.GaussianBlur(page, (0, 0), 4).astype(np.float32) / 255

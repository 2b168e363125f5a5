"""Crop: a rectangle is kept, the rest is left out."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import Edges, Footprint
from relief.parameters import number, switch
from relief.treat.treatment import Family, Placement

WHOLE = 99.999
"""Percent beyond which a side is kept whole."""

LEAST = 0.1
"""Percent of a side that is kept at least."""


def _start(name: str, help: str) -> float:
    return number(0, 0, 100 - LEAST, label=name, unit="%", step=0.5, help=help)


def _size(name: str, help: str) -> float:
    return number(100, LEAST, 100, label=name, unit="%", step=0.5, help=help)


class Crop(Placement):
    """Keeps a rectangle of the picture, which is dragged on the stage."""

    title: ClassVar[str] = "Crop"
    family: ClassVar[Family] = "place"
    tools: ClassVar[tuple[str, ...]] = ("crop",)
    kind: Literal["crop"] = "crop"
    left: float = _start("Left", "Where the rectangle begins, from the left edge.")
    top: float = _start("Top", "Where the rectangle begins, from the top edge.")
    width: float = _size("Width", "How much of the picture's width is kept.")
    height: float = _size("Height", "How much of the picture's height is kept.")
    meets: bool = switch(
        False, label="Edges meet", help="Switch on when the cut edges meet in a repeat, as around a whole motif."
    )

    @property
    def kept(self) -> tuple[float, float]:
        """Percent of the width and of the height that are kept; what would lie beyond the picture is not."""
        return min(self.width, 100 - self.left), min(self.height, 100 - self.top)

    def move(self, samples: np.ndarray, footprint: Footprint, edges: Edges) -> np.ndarray:
        rows, columns = samples.shape[:2]
        left, right = _texels(self.left, self.kept[0], columns)
        top, bottom = _texels(self.top, self.kept[1], rows)
        return samples[top:bottom, left:right]

    def footprint_after(self, footprint: Footprint, edges: Edges) -> Footprint:
        return footprint.resize(*(side * part / 100 for side, part in zip(footprint.sides, self.kept, strict=True)))

    def edges_after(self, edges: Edges) -> Edges:
        if self.meets:
            return Edges(across="wrap", down="wrap")
        across, down = (part > WHOLE for part in self.kept)
        return Edges(across=edges.across if across else "clamp", down=edges.down if down else "clamp")


def _texels(start: float, size: float, count: int) -> tuple[int, int]:
    """The first texel that is kept and the one after the last, at least one.

    How many are kept depends on the size alone, so that a square stays square wherever it is.
    """
    many = max(1, min(count, round(size / 100 * count)))
    first = min(round(start / 100 * count), count - many)
    return first, first + many

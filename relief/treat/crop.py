"""Crop: a rectangle is kept, the rest is left out."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from relief.height import Edges, Footprint
from relief.parameters import number, switch
from relief.treat.treatment import Family, Placement


def _part(name: str, default: float, low: float, help: str) -> float:
    return number(default, low, 100, label=name, unit="%", step=0.5, slider=(low, 100), help=help)


class Crop(Placement):
    """Keeps a rectangle of the picture, which is dragged on the stage."""

    title: ClassVar[str] = "Crop"
    family: ClassVar[Family] = "place"
    kind: Literal["crop"] = "crop"
    left: float = _part("Left", 0, 0, "Where the rectangle begins, from the left edge.")
    top: float = _part("Top", 0, 0, "Where the rectangle begins, from the top edge.")
    width: float = _part("Width", 100, 0.1, "How much of the picture's width is kept.")
    height: float = _part("Height", 100, 0.1, "How much of the picture's height is kept.")
    meets: bool = switch(
        False, label="Edges meet", help="Switch on when the cut edges meet in a repeat, as around a whole motif."
    )

    @model_validator(mode="after")
    def _inside(self) -> Self:
        if self.left + self.width > 100.001 or self.top + self.height > 100.001:
            raise ValueError("The crop reaches beyond the picture.")
        return self

    @property
    def is_whole(self) -> tuple[bool, bool]:
        """Whether all of the picture is kept (across, down)."""
        return self.width > 99.999, self.height > 99.999

    def moved(self, samples: np.ndarray, footprint: Footprint, edges: Edges) -> np.ndarray:
        rows, columns = samples.shape[:2]
        left, right = _texels(self.left, self.width, columns)
        top, bottom = _texels(self.top, self.height, rows)
        return samples[top:bottom, left:right]

    def footprint_after(self, footprint: Footprint, edges: Edges) -> Footprint:
        return footprint.resized(footprint.width * self.width / 100, footprint.height * self.height / 100)

    def edges_after(self, edges: Edges) -> Edges:
        if self.meets:
            return Edges(across="wrap", down="wrap")
        across, down = self.is_whole
        return Edges(across=edges.across if across else "clamp", down=edges.down if down else "clamp")


def _texels(start: float, size: float, count: int) -> tuple[int, int]:
    """The first texel that is kept and the one after the last, at least one."""
    first = min(round(start / 100 * count), count - 1)
    return first, max(first + 1, min(count, round((start + size) / 100 * count)))

"""What noise and patterns share: relief from nothing, over a footprint, tiling exactly."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, ClassVar, Literal

import numpy as np

from relief.content import Content
from relief.cost import Cost
from relief.figures import say_length
from relief.height import Footprint
from relief.progress import Progress

Family = Literal["noise", "pattern"]

BAND = 512
"""Rows of a pattern that are drawn at a time."""


@dataclass(frozen=True)
class Grid:
    """The texels that something is drawn on."""

    rows: int
    columns: int
    footprint: Footprint
    first: int = 0
    """The number of its first row, where it is a band of a larger grid."""
    of: int | None = None
    """How many rows that has."""

    def bands(self, most: int) -> Iterator[Grid]:
        """The grid in bands of at most so many rows."""
        for first in range(0, self.rows, most):
            yield replace(self, rows=min(most, self.rows - first), first=first, of=self.rows)

    @property
    def spacing(self) -> tuple[float, float]:
        """Width and height of a texel in mm."""
        return self.footprint.width / self.columns, self.footprint.height / (self.of or self.rows)

    @property
    def texel(self) -> float:
        """The larger side of a texel, mm: nothing narrower is drawn sharply."""
        return max(self.spacing)

    def across(self) -> np.ndarray:
        """x of the texel centres as parts of the width: float32 (1, columns)."""
        return ((np.arange(self.columns) + 0.5) / self.columns).astype(np.float32)[None, :]

    def down(self) -> np.ndarray:
        """y of the texel centres as parts of the height, downwards: float32 (rows, 1)."""
        rows = self.first + np.arange(self.rows)
        return ((rows + 0.5) / (self.of or self.rows)).astype(np.float32)[:, None]


class Generator(Content):
    """Base of noises and patterns. A subclass has a `kind`, a title, a family, its parameters and `draw`.

    Its docstring is what the bench says of it.
    """

    family: ClassVar[Family]

    @classmethod
    def about(cls) -> str:
        """What it is, in a sentence."""
        return (cls.__doc__ or "").strip()

    def cost(self, grid: Grid) -> Cost | None:
        """What drawing it costs, where that is more than its texels."""
        return None

    def draw(self, grid: Grid) -> np.ndarray:
        """Heights, 0 to 1 where nothing is exaggerated: float32 (rows, columns), the same at every resolution."""
        raise NotImplementedError

    def draw_slowly(self, grid: Grid, progress: Progress) -> np.ndarray:
        """The same, cancelled between bands of rows where that is asked for: a texel depends on its own place alone."""
        heights = np.empty((grid.rows, grid.columns), np.float32)
        for band in grid.bands(BAND):
            progress.step(band.first / grid.rows, self.title)
            heights[band.first : band.first + band.rows] = self.draw(band)
        return heights


def fit_count(length: float, side: float, even: bool = False) -> int:
    """How often a length fits into a side, at least once; an even number where that is needed."""
    if even:
        return max(2, 2 * round(side / length / 2))
    return max(1, round(side / length))


def nudge(name: str, wanted: float, side: float, count: int) -> list[str]:
    """What is to be said when a length was changed by more than a thousandth to fit `count` times."""
    got = side / count
    if abs(got - wanted) <= 1e-3 * wanted:
        return []
    return [f"{name} is {say_length(got, 4)} instead of {say_length(wanted, 4)}, so that {count} fit."]


def nudge_both(name: str, wanted: float, footprint: Footprint, counts: tuple[int, int]) -> list[str]:
    """What is to be said of a length that has to fit across and down; once where both came out alike."""
    across, down = (nudge(name, wanted, side, count) for side, count in zip(footprint.sides, counts, strict=True))
    if across == down:
        return across
    return [f"Across: {said}" for said in across] + [f"Down: {said}" for said in down]


def ramp(distance: np.ndarray, width: float, texel: float) -> np.ndarray:
    """0 where the distance is 0 or less, 1 from `width` on, straight between; never steeper than over one texel.

    Args:
        distance: mm from an outline, above 0 inside.
        width: mm that the slope takes.
        texel: mm.
    """
    slope = max(width, texel)
    # a slope narrower than a texel is widened about its middle, as an average over the texel would
    return np.clip((distance - np.float32(width / 2)) / np.float32(slope) + np.float32(0.5), 0, 1)


def bead(distance: np.ndarray, radius: float) -> np.ndarray:
    """The round top of a strand: 1 at its middle line, 0 from `radius` on."""
    return np.sqrt(np.clip(1 - (distance / np.float32(radius)) ** 2, 0, 1))


def from_middle(place: np.ndarray) -> np.ndarray:
    """Distance of each place from the middle of its cell, 0 to 0.5 in cells."""
    return np.abs(place - np.floor(place) - np.float32(0.5))


def numbers(count: int, seed: int) -> np.ndarray:
    """Fixed random numbers from 0 to 1: float32 (count,)."""
    return np.random.default_rng(seed).random(max(count, 1), np.float32)


class InSquares(Generator):
    """Base of the patterns that stand in square fields of one `width`, mm."""

    if TYPE_CHECKING:
        width: float

    def counts(self, footprint: Footprint) -> tuple[int, int]:
        """Fields across and down."""
        return fit_count(self.width, footprint.width), fit_count(self.width, footprint.height)

    def nudges(self, footprint: Footprint) -> list[str]:
        return nudge_both("The field", self.width, footprint, self.counts(footprint))

"""What all ways of tessellating share."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from relief.figures import say_count, say_number
from relief.parameters import Parameters, control, number

MOST_CUTS = 16

STEEPEST = 8
"""Times that an edge counts for at most of what it is long before it is displaced, about that of a slope of 83 degrees:
a step in the relief stays as tall however often its edges are cut."""


@dataclass(frozen=True)
class Measured:
    """What is known of triangles before some are cut.

    Attributes:
        edges: int32 (triangles, 3), the edge from each corner to the next one.
        ends: int32 (edges, 2), the vertices of each edge.
        positions: float32 (vertices, 3), where the surface stands, displaced, mm.
        still: float32 (vertices, 3), where it stands before it is displaced, mm.
        longest: int8 (triangles,), which of the three edges is the longest.
        worst: float32 (triangles,), how far the true surface is at most from each, mm.
        square: float32 (triangles,), the mean of the square of that, mm².
        areas: float32 (triangles,), mm².
    """

    edges: np.ndarray
    ends: np.ndarray
    positions: np.ndarray
    still: np.ndarray
    longest: np.ndarray
    worst: np.ndarray
    square: np.ndarray
    areas: np.ndarray

    def lengths(self) -> np.ndarray:
        """Of each edge as it is displaced, but for steps: float32 (edges,), mm."""
        moved, still = (
            np.linalg.norm(places[self.ends[:, 1]] - places[self.ends[:, 0]], axis=1)
            for places in (self.positions, self.still)
        )
        return np.minimum(moved, STEEPEST * still)

    def mark(self, pieces: np.ndarray) -> np.ndarray:
        """The edges to cut so that triangles become so many pieces, or come nearer to it: bool (edges,).

        From two pieces on the longest edge is cut, from four on all three.
        """
        marked = np.zeros(len(self.ends), bool)
        some = pieces >= 2
        marked[self.edges[some, self.longest[some]]] = True
        marked[self.edges[pieces >= 4]] = True
        return marked


def round_to_fit(value: float, name: str) -> float:
    """A value with three digits that count, rounded to the side of fewer faces."""
    step = 10.0 ** (math.floor(math.log10(max(value, 1e-12))) - 2)
    return float(f"{step * (math.floor if name == 'faces' else math.ceil)(value / step):.6g}")


class Tessellation(Parameters):
    """Base of the ways. A subclass has a `kind`, a title, its parameters, `pieces` and `coarser`."""

    title: ClassVar[str]
    about: ClassVar[str] = ""
    measure: ClassVar[str] = ""
    """The parameter that it is asked for by; empty where that is none."""
    even: ClassVar[bool] = False
    """Whether all base faces are cut as often, by levels, and nothing is measured."""
    weighs: ClassVar[bool] = True
    """Whether it asks how far the true surface is from each triangle."""
    closely: ClassVar[bool] = False
    """Whether that has to be looked at so closely that nothing is missed."""
    kind: str
    most_level: int = number(
        10, 0, MOST_CUTS, label="Levels at most", step=1,
        help="No base face is divided more finely than by this many subdivision levels.",
    )  # fmt: skip

    @property
    def heading(self) -> str:
        return self.title

    @property
    def allowed(self) -> float | None:
        """How far the true surface may be from any triangle, mm; none where it does not say."""
        return None

    def pieces(self, measured: Measured) -> np.ndarray:
        """How many triangles each has to become, as far as can be told: float (triangles,), at least 1."""
        raise NotImplementedError

    def edges_to_cut(self, measured: Measured) -> np.ndarray:
        """Which edges are cut next, bool (edges,); none once it is done."""
        return measured.mark(self.pieces(measured))

    def is_content(self, triangles: int) -> bool:
        """Whether so many triangles are enough, whatever they look like."""
        return False

    def coarser(self, times: float) -> tuple[str, float]:
        """The parameter, and its value, that would make so many times fewer faces."""
        raise NotImplementedError

    def say_coarser(self, times: float) -> str:
        """The same in words, its value rounded so that it fits: `error up to 0.31 mm`."""
        name, value = self.coarser(times)
        known = control(type(self), name)
        rounded = round_to_fit(value, name)
        if not known.unit:
            return f"{say_count(int(rounded))} {known.label.lower()}"
        return f"{known.label.lower()} {say_number(rounded, 6)} {known.unit}"

    @property
    def most_faces(self) -> int | None:
        """How many triangles there may be; none where it does not say."""
        return None

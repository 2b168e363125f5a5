"""The height field: samples with their real size and the way their edges meet.

Conventions that hold everywhere: samples are float32 of shape (rows, columns), row 0 at the top; x runs to the right, y
**up** (so d/dy = -d/drow), z out of the surface. A sample stands at the centre of its texel. 0 is low, 1 is high.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from relief.parameters import Parameters, Surroundings, choice, number, switch

Edge = Literal["wrap", "clamp"]
EDGE_NAMES = {"wrap": "Wrap", "clamp": "Clamp"}


class Footprint(Parameters):
    """The real size that one repeat of the relief covers."""

    width: float = number(
        300, 0.1, 100_000_000, label="Width", unit="mm", step=1, slider=(10, 3000), logarithmic=True,
        help="Real width of one repeat of the picture.",
    )  # fmt: skip
    height: float = number(
        300, 0.1, 100_000_000, label="Height", unit="mm", step=1, slider=(10, 3000), logarithmic=True,
        help="Real height of one repeat of the picture.",
    )  # fmt: skip
    keep_aspect: bool = switch(
        True, label="Keep aspect", help="Width and height change together, so that the picture is not stretched."
    )

    @property
    def sides(self) -> tuple[float, float]:
        """Width and height, mm."""
        return self.width, self.height

    def resize(self, width: float, height: float) -> Footprint:
        """A footprint of another size; what a treatment leaves may be smaller than what can be typed."""
        return Footprint.model_construct(width=float(width), height=float(height), keep_aspect=self.keep_aspect)

    def following(self, before: Footprint) -> Footprint:
        """This footprint with the side that was not touched brought along, when the aspect is kept.

        Raises:
            RecipeError: the other side would leave its bounds.
        """
        if not self.keep_aspect or (self.width != before.width) == (self.height != before.height):
            return self
        if self.width != before.width:
            return Footprint.create(**self.model_dump() | {"height": before.height * self.width / before.width})
        return Footprint.create(**self.model_dump() | {"width": before.width * self.height / before.height})


class Edges(Parameters):
    """What lies beyond the edge of the picture: the other side of it (wrap), or its last sample again (clamp)."""

    across: Edge = choice(
        "clamp", EDGE_NAMES, label="Edges across",
        help="Wrap when the left and right edge meet in a repeat; clamp when the picture stands alone.",
    )  # fmt: skip
    down: Edge = choice(
        "clamp", EDGE_NAMES, label="Edges down",
        help="Wrap when the top and bottom edge meet in a repeat; clamp when the picture stands alone.",
    )  # fmt: skip

    def unused(self, around: Surroundings) -> set[str]:
        # what is drawn from nothing meets at its edges
        return set() if around.ground_is_picture else {"across", "down"}

    @property
    def wraps(self) -> tuple[bool, bool]:
        """Whether the field wraps (across, down)."""
        return self.across == "wrap", self.down == "wrap"


WRAPPED = Edges(across="wrap", down="wrap")
"""The edges of a tile."""


@dataclass(frozen=True)
class HeightField:
    """Height samples over a footprint.

    Attributes:
        samples: float32, (rows, columns), 0 low to 1 high, free to go beyond.
        footprint: real size in mm.
        edges: how the samples go on beyond each edge.
        alpha: float32 of the same shape, 0 to 1, where the relief covers only part of its footprint.
        grain: the height of one grey level of the source; 0 where the source has no levels.
        amplitude: mm that one unit of height stands for, known only to the treatments that ask for it.
        levels: the heights, in rising order, that the grey levels of the source stand for, where it has few and nothing
            was done to it yet.
    """

    samples: np.ndarray
    footprint: Footprint
    edges: Edges
    alpha: np.ndarray | None = None
    grain: float = 0.0
    amplitude: float = 1.0
    levels: np.ndarray | None = None

    @cached_property
    def mean(self) -> float:
        """The mean of all samples."""
        return float(self.samples.mean(dtype=np.float64))

    @property
    def size(self) -> tuple[int, int]:
        """How many rows and columns."""
        rows, columns = self.samples.shape
        return rows, columns

    @property
    def spacing(self) -> tuple[float, float]:
        """Width and height of a texel in mm."""
        rows, columns = self.samples.shape
        return self.footprint.width / columns, self.footprint.height / rows

    @property
    def nbytes(self) -> int:
        """Bytes of all its arrays."""
        return self.samples.nbytes + (0 if self.alpha is None else self.alpha.nbytes)

    def with_samples(self, samples: np.ndarray, stretch: float = 1.0) -> HeightField:
        """The same place with other samples; `stretch` is what a difference in height was multiplied by."""
        grain = self.grain * stretch
        return replace(self, samples=np.ascontiguousarray(samples, dtype=np.float32), grain=grain, levels=None)

    def pad(self, beyond: tuple[int, int], samples: np.ndarray | None = None) -> np.ndarray:
        """The samples with some more (across, down) on each side, as the edges say."""
        samples = self.samples if samples is None else samples
        return pad(samples, beyond, self.edges.wraps)


def pad(samples: np.ndarray, beyond: tuple[int, int], wraps: tuple[bool, bool]) -> np.ndarray:
    """Samples (rows, columns[, channels]) with `beyond` (across, down) more on each side, wrapped or clamped."""
    sides, still = ((beyond[1],) * 2, (beyond[0],) * 2), ((0, 0),) * (samples.ndim - 2)
    modes: list[Any] = ["wrap" if wrapping else "edge" for wrapping in wraps]
    if modes[0] == modes[1]:
        return np.pad(samples, (*sides, *still), mode=modes[0])
    across = np.pad(samples, ((0, 0), sides[1], *still), mode=modes[0])
    return np.pad(across, (sides[0], (0, 0), *still), mode=modes[1])


def extend(samples: np.ndarray, beyond: tuple[int, int], wraps: tuple[bool, bool]) -> np.ndarray:
    """Samples with `beyond` more on each side, wrapped, or gone straight on, so that a ramp keeps its slope.

    Beyond an edge that does not wrap they are turned half around their last one (2 h0 - h1, 2 h0 - h2, ...).

    Args:
        samples: (rows, columns[, channels]).
        beyond: how many more (across, down).
        wraps: whether the field wraps (across, down).
    """
    for axis in (1, 0):
        sides = [(0, 0)] * samples.ndim
        sides[axis] = (beyond[1 - axis],) * 2
        if wraps[1 - axis]:
            samples = np.pad(samples, sides, mode="wrap")
        elif samples.shape[axis] == 1:  # one texel has no slope to go on with
            samples = np.pad(samples, sides, mode="edge")
        else:
            samples = np.pad(samples, sides, mode="reflect", reflect_type="odd")
    return samples


def fit_size(rows: int, columns: int, longest: int | None) -> tuple[int, int]:
    """(rows, columns) shrunk, never enlarged, so that the longer side has at most `longest` texels."""
    if longest is None or max(rows, columns) <= longest:
        return rows, columns
    scale = longest / max(rows, columns)
    return max(1, round(rows * scale)), max(1, round(columns * scale))

"""Curvature of the relief: edges and cavities.

The mean curvature of a Monge patch (any differential geometry text): a cap of radius R has 1 / R, with a minus where it
bulges out.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from relief.filters.gaussian import soften_slopes
from relief.height import HeightField, extend
from relief.kernels import kernel
from relief.maps.companion import NOTHING, CompanionMap
from relief.parameters import choice, number


@kernel(rows_of="out")
def _curvature(begin, end, wide, width, height, out):
    columns = out.shape[1]
    per_width, per_height = np.float32(0.5 / width), np.float32(0.5 / height)
    for row in range(begin, end):
        above, here, below = wide[row], wide[row + 1], wide[row + 2]
        for column in range(columns):
            left, right = column, column + 2
            twice = np.float32(2) * here[column + 1]
            x = (here[right] - here[left]) * per_width
            y = (above[column + 1] - below[column + 1]) * per_height
            xx = (here[right] - twice + here[left]) * (np.float32(4) * per_width * per_width)
            yy = (above[column + 1] - twice + below[column + 1]) * (np.float32(4) * per_height * per_height)
            xy = (above[right] - above[left] - below[right] + below[left]) * (per_width * per_height)
            squares = np.float32(1) + x * x + y * y
            bent = (np.float32(1) + y * y) * xx - np.float32(2) * x * y * xy + (np.float32(1) + x * x) * yy
            out[row, column] = bent / (np.float32(2) * squares * np.sqrt(squares))


def mean_curvature(field: HeightField, amplitude: float) -> np.ndarray:
    """Mean curvature of the displaced surface in 1 / mm, below zero where it bulges out: float32 (rows, columns)."""
    wide = extend(field.samples, (1, 1), field.edges.wraps) * np.float32(amplitude)
    out = np.empty_like(field.samples)
    _curvature(wide, *field.spacing, out)
    return out


def hollow(field: HeightField, amplitude: float, size: float, contrast: float = 1) -> np.ndarray:
    """How much each place is a cavity of some size in mm, above zero, or an edge, below: float32, -1 to 1."""
    smooth = field.with_samples(soften_slopes(field, size / 2))
    return np.tanh(mean_curvature(smooth, amplitude) * np.float32(size * contrast))


class Curvature(CompanionMap):
    """Where edges stand out and where cavities lie, for wear, dirt and polish."""

    title: ClassVar[str] = "Edges and cavities"
    reads: ClassVar[str] = "Mid grey is even, white marks edges, black marks cavities; or only one of them, as chosen."
    kind: Literal["curvature"] = "curvature"
    shows: Literal["both", "edges", "cavities"] = choice(
        "both", {"both": "Edges light, cavities dark", "edges": "Edges only", "cavities": "Cavities only"},
        label="Shows", help="Both about mid grey, or one of them in white on black.",
    )  # fmt: skip
    size: float = number(
        2, 0.001, 100_000_000, label="Size", unit="mm", step=0.1, slider=(0.1, 50), logarithmic=True,
        help="How wide the marked edges and cavities are.",
    )  # fmt: skip
    contrast: float = number(
        1, 0, 100, label="Contrast", step=0.1, slider=(0, 8), help="How strongly edges and cavities stand out."
    )

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        bent = -hollow(field, amplitude, self.size, self.contrast)
        match self.shows:
            case "both":
                return 0.5 + 0.5 * bent
            case "edges":
                return np.maximum(bent, 0)
            case _:
                return np.maximum(-bent, 0)

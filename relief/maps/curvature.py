"""Curvature of the relief: edges and cavities.

The mean curvature of a Monge patch (any differential geometry text): a cap of radius R has 1 / R, with a minus where it
bulges out.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.maps.companion import NOTHING, CompanionMap
from relief.parameters import choice, number
from relief.treat.soften import softened


def mean_curvature(field: HeightField, amplitude: float) -> np.ndarray:
    """Mean curvature of the displaced surface in 1 / mm, below zero where it bulges out: float32 (rows, columns)."""
    width, height = field.spacing
    wide = field.padded((1, 1)) * np.float32(amplitude)
    here = wide[1:-1, 1:-1]
    left, right, above, below = wide[1:-1, :-2], wide[1:-1, 2:], wide[:-2, 1:-1], wide[2:, 1:-1]
    x, y = (right - left) / np.float32(2 * width), (above - below) / np.float32(2 * height)
    xx = (right - 2 * here + left) / np.float32(width**2)
    yy = (above - 2 * here + below) / np.float32(height**2)
    xy = (wide[:-2, 2:] - wide[:-2, :-2] - wide[2:, 2:] + wide[2:, :-2]) / np.float32(4 * width * height)
    squares = 1 + x * x + y * y
    return ((1 + y * y) * xx - 2 * x * y * xy + (1 + x * x) * yy) / (2 * squares**1.5)


class Curvature(CompanionMap):
    """Where edges stand out and where cavities lie, for wear, dirt and polish."""

    title: ClassVar[str] = "Edges and cavities"
    reads: ClassVar[str] = "Mid grey is even; white are edges, black are cavities, or only one of them as chosen."
    kind: Literal["curvature"] = "curvature"
    shows: Literal["both", "edges", "cavities"] = choice(
        "both", {"both": "Edges light, cavities dark", "edges": "Edges alone", "cavities": "Cavities alone"},
        label="Shows", help="Both about mid grey, or one of them in white on black.",
    )  # fmt: skip
    size: float = number(
        2, 0.001, 10_000, label="Size", unit="mm", step=0.1, slider=(0.1, 50), logarithmic=True,
        help="How wide the edges and cavities are that count.",
    )  # fmt: skip
    contrast: float = number(1, 0, 100, label="Contrast", step=0.1, slider=(0, 8), help="How clearly they stand apart.")

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        smooth = field.with_samples(softened(field, self.size / 2))
        bent = np.tanh(-mean_curvature(smooth, amplitude) * np.float32(self.size * self.contrast))
        match self.shows:
            case "both":
                return 0.5 + 0.5 * bent
            case "edges":
                return np.maximum(bent, 0)
            case _:
                return np.maximum(-bent, 0)

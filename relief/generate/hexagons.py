"""Hexagons: a honeycomb of six-sided fields, or of the walls between them."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid, fit_count, nudge, ramp
from relief.height import Footprint
from relief.parameters import number

SLOPE = np.sqrt(3) / 2
"""Rows of hexagons lie this part of their width apart."""


class Hexagons(Generator):
    """Six-sided tiles with joints."""

    title: ClassVar[str] = "Hexagons"
    family: ClassVar[Family] = "pattern"
    kind: Literal["hexagons"] = "hexagons"
    width: float = number(
        60, 0.1, 100_000_000, label="Width", unit="mm", step=1, slider=(4, 400), logarithmic=True,
        help="From one flat side to the other.",
    )  # fmt: skip
    joint: float = number(
        3, 0, 100_000_000, label="Joint", unit="mm", step=0.5, slider=(0, 40), help="Width of the joints."
    )
    chamfer: float = number(
        3, 0, 100_000_000, label="Chamfer", unit="mm", step=0.5, slider=(0, 30), help="How far the edges slope."
    )

    def counts(self, footprint: Footprint) -> tuple[int, int]:
        """Hexagons across and rows down, an even number."""
        return fit_count(self.width, footprint.width), fit_count(self.width * SLOPE, footprint.height, even=True)

    def nudges(self, footprint: Footprint) -> list[str]:
        across, down = self.counts(footprint)
        return nudge("The hexagon", self.width, footprint.width, across) + nudge(
            "The row", self.width * SLOPE, footprint.height, down
        )

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        wide = grid.footprint.width / across
        inside = np.full((grid.rows, grid.columns), -np.inf, np.float32)
        for odd in (0, 1):
            # every other row is moved by half; distances in hexagon widths, rows set a regular hexagon apart
            u = grid.across() * across + np.float32(odd / 2)
            v = (grid.down() * down + odd) / 2
            dx = np.abs(u - np.floor(u) - np.float32(0.5))
            dy = np.abs(v - np.floor(v) - np.float32(0.5)) * np.float32(2 * SLOPE)
            inside = np.maximum(inside, 0.5 - np.maximum(dx, dx * 0.5 + dy * np.float32(SLOPE)))
        return ramp(inside * wide - self.joint / 2, self.chamfer, grid.texel).astype(np.float32)

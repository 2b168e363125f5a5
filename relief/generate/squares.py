"""Grid: square or oblong fields between straight joints."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid, fit_count, from_middle, nudge, ramp
from relief.height import Footprint
from relief.parameters import number


class Squares(Generator):
    """Tiles on a straight grid, flat or domed."""

    title: ClassVar[str] = "Grid"
    family: ClassVar[Family] = "pattern"
    kind: Literal["squares"] = "squares"
    width: float = number(
        100,
        0.1,
        100_000_000,
        label="Width",
        unit="mm",
        step=1,
        slider=(5, 600),
        logarithmic=True,
        help="From joint to joint.",
    )
    height: float = number(
        100,
        0.1,
        100_000_000,
        label="Height",
        unit="mm",
        step=1,
        slider=(5, 600),
        logarithmic=True,
        help="From joint to joint.",
    )
    joint: float = number(
        4, 0, 100_000_000, label="Joint", unit="mm", step=0.5, slider=(0, 40), help="Width of the joints."
    )
    chamfer: float = number(
        3, 0, 100_000_000, label="Chamfer", unit="mm", step=0.5, slider=(0, 30), help="How far the edges slope."
    )
    dome: float = number(0, 0, 1, label="Dome", step=0.01, help="How much the fields swell towards their middle.")

    def counts(self, footprint: Footprint) -> tuple[int, int]:
        """Fields across and down."""
        return fit_count(self.width, footprint.width), fit_count(self.height, footprint.height)

    def nudges(self, footprint: Footprint) -> list[str]:
        across, down = self.counts(footprint)
        return nudge("The field", self.width, footprint.width, across) + nudge(
            "Its height", self.height, footprint.height, down
        )

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        dx, dy = from_middle(grid.across() * across), from_middle(grid.down() * down)
        wide, high = grid.footprint.width / across, grid.footprint.height / down
        inside = np.minimum((0.5 - dx) * wide, (0.5 - dy) * high) - self.joint / 2
        swell = (1 - (2 * dx) ** 2) * (1 - (2 * dy) ** 2)
        return (ramp(inside, self.chamfer, grid.texel) * (1 - self.dome + self.dome * swell)).astype(np.float32)

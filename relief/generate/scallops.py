"""Scallops: rounded scales in rows, each over the row below."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.cost import Cost
from relief.generate.generator import Family, Generator, Grid, fit_count, nudge, ramp
from relief.height import Footprint
from relief.parameters import number


class Scallops(Generator):
    """Fish scales and shingles: rounded, each row lying over the next."""

    title: ClassVar[str] = "Scallops"
    family: ClassVar[Family] = "pattern"
    kind: Literal["scallops"] = "scallops"
    width: float = number(
        60,
        0.1,
        100_000_000,
        label="Width",
        unit="mm",
        step=1,
        slider=(4, 400),
        logarithmic=True,
        help="Width of a scale.",
    )
    row: float = number(
        30,
        0.1,
        100_000_000,
        label="Row",
        unit="mm",
        step=1,
        slider=(2, 300),
        logarithmic=True,
        help="Distance from row to row.",
    )
    lip: float = number(
        3, 0, 100_000_000, label="Lip", unit="mm", step=0.5, slider=(0, 30), help="How far the rounded edge slopes."
    )
    rise: float = number(0.6, 0, 1, label="Rise", step=0.01, help="How much a scale rises towards its lip.")

    def counts(self, footprint: Footprint) -> tuple[int, int]:
        """Scales across and rows down, an even number."""
        return fit_count(self.width, footprint.width), fit_count(self.row, footprint.height, even=True)

    def nudges(self, footprint: Footprint) -> list[str]:
        across, down = self.counts(footprint)
        return nudge("The scale", self.width, footprint.width, across) + nudge(
            "The row", self.row, footprint.height, down
        )

    def cost(self, grid: Grid) -> Cost:
        rows = self._reach(grid) + 1
        return Cost(rows * grid.rows * grid.columns, "Set “Row” larger, or “Width” smaller.")

    def _reach(self, grid: Grid) -> int:
        """How many rows a scale hangs over those below."""
        across, down = self.counts(grid.footprint)
        return int(np.ceil(grid.footprint.width / across / 2 / (grid.footprint.height / down))) + 1

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        wide, high = grid.footprint.width / across, grid.footprint.height / down
        radius = wide / 2
        y = grid.down() * down
        height = np.zeros((grid.rows, grid.columns), np.float32)
        # from the lowest row that reaches here to the highest, which lies on top
        for above in range(self._reach(grid) + 1):
            row = np.floor(y) - above
            u = grid.across() * across + np.float32(0.5) * np.mod(row, 2)
            dx = (u - np.floor(u) - np.float32(0.5)) * wide
            dy = (y - row) * high  # mm below the row's straight upper edge
            below = np.maximum(dy - high, 0)
            to_lip = radius - np.hypot(dx, below)
            lies = ramp(to_lip, self.lip, grid.texel) if above else np.ones_like(height)
            scale = 1 - self.rise + self.rise * np.clip(dy / (high + radius), 0, 1)
            height = np.where(lies > 0, height * (1 - lies) + scale * lies, height)
        return height.astype(np.float32)

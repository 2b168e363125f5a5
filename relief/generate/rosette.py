"""Rosette: petals round the middles of square fields."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Grid, InSquares, bead, ramp
from relief.parameters import number


class Rosette(InSquares):
    """A flower of petals around a boss, one in each field."""

    title: ClassVar[str] = "Rosette"
    family: ClassVar[Family] = "pattern"
    kind: Literal["rosette"] = "rosette"
    width: float = number(
        200,
        0.1,
        100_000_000,
        label="Field",
        unit="mm",
        step=1,
        slider=(10, 1000),
        logarithmic=True,
        help="Width of a field.",
    )
    petals: int = number(8, 3, 64, label="Petals", step=1, slider=(3, 24), help="How many petals there are.")
    radius: float = number(
        80,
        0.05,
        100_000_000,
        label="Radius",
        unit="mm",
        step=1,
        slider=(5, 500),
        logarithmic=True,
        help="Length of the petals.",
    )
    boss: float = number(
        18,
        0,
        100_000_000,
        label="Boss",
        unit="mm",
        step=0.5,
        slider=(0, 100),
        help="Radius of the middle.",
    )

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        u, v = grid.across() * across, grid.down() * down
        x = (u - np.floor(u) - np.float32(0.5)) * (grid.footprint.width / across)
        y = (v - np.floor(v) - np.float32(0.5)) * (grid.footprint.height / down)
        far, angle = np.hypot(x, y), np.arctan2(y, x)
        leaf = np.abs(np.cos(angle * self.petals / 2))
        outline = self.radius * (0.55 + 0.45 * leaf)
        petal = ramp(outline - far, self.radius * 0.12, grid.texel) * (
            0.45 + 0.4 * leaf * np.clip(far / self.radius, 0, 1)
        )
        height = np.maximum(petal, bead(far, self.boss) if self.boss else 0)
        return height.astype(np.float32)

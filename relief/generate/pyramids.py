"""Pyramids: square fields that rise in steps or straight to a point."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Grid, InSquares, from_middle
from relief.parameters import number


class Pyramids(InSquares):
    """Studs of pressed metal and stepped coffers: pyramids that rise in steps."""

    title: ClassVar[str] = "Pyramids"
    family: ClassVar[Family] = "pattern"
    kind: Literal["pyramids"] = "pyramids"
    width: float = number(
        80,
        0.1,
        100_000_000,
        label="Width",
        unit="mm",
        step=1,
        slider=(5, 600),
        logarithmic=True,
        help="Width of one pyramid.",
    )
    steps: int = number(
        4, 0, 64, label="Steps", step=1, slider=(0, 12), help="Steps from the edge to the middle; 0 for a smooth slope."
    )
    riser: float = number(
        1, 0, 100_000_000, label="Riser", unit="mm", step=0.1, slider=(0, 20), help="How far a step slopes."
    )

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        inward = 1 - 2 * np.maximum(from_middle(grid.across() * across), from_middle(grid.down() * down))
        if self.steps == 0:
            return inward.astype(np.float32)
        reach = min(grid.footprint.width / across, grid.footprint.height / down) / 2
        place = inward * self.steps
        whole = np.floor(place)
        slope = max(self.riser, grid.texel) / (reach / self.steps)
        risen = np.clip((place - whole) / np.float32(slope), 0, 1)
        return np.clip((whole + risen) / self.steps, 0, 1).astype(np.float32)

"""Rings: round ridges about the middles of square fields."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Grid, InSquares, from_middle, ramp
from relief.parameters import number


class Rings(InSquares):
    """Rings around a centre, as on turned plates and rosettes."""

    title: ClassVar[str] = "Rings"
    family: ClassVar[Family] = "pattern"
    kind: Literal["rings"] = "rings"
    width: float = number(
        150, 0.1, 100_000_000, label="Field", unit="mm", step=1, slider=(10, 1000), logarithmic=True,
        help="From middle to middle.",
    )  # fmt: skip
    ring: float = number(
        12,
        0.05,
        100_000_000,
        label="Ring",
        unit="mm",
        step=0.5,
        slider=(1, 200),
        logarithmic=True,
        help="From ring to ring.",
    )
    rim: float = number(
        5,
        0,
        100_000_000,
        label="Rim",
        unit="mm",
        step=0.5,
        slider=(0, 60),
        help="How far before the edge they end.",
    )

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        wide, high = grid.footprint.width / across, grid.footprint.height / down
        far = np.hypot(from_middle(grid.across() * across) * wide, from_middle(grid.down() * down) * high)
        wave = 0.5 + 0.5 * np.cos(2 * np.pi * far / self.ring)
        # rings narrower than two texels average out
        kept = np.clip(self.ring / grid.texel - 1, 0, 1)
        inside = ramp(min(wide, high) / 2 - self.rim - far, self.ring / 2, grid.texel)
        return (inside * (0.5 + kept * (wave - 0.5))).astype(np.float32)

"""Net: cords aslant in both directions, with knots where they meet."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid, bead, fit_count, nudge_both
from relief.height import Footprint
from relief.parameters import number

STRAND = 0.75
"""Height of the cords beside that of the knots."""


class Net(Generator):
    """A knotted net: twisted cords and a knot at every crossing."""

    title: ClassVar[str] = "Net"
    family: ClassVar[Family] = "pattern"
    kind: Literal["net"] = "net"
    mesh: float = number(
        80, 0.1, 100_000_000, label="Mesh", unit="mm", step=1, slider=(5, 500), logarithmic=True,
        help="From knot to knot across.",
    )  # fmt: skip
    cord: float = number(
        6, 0.05, 100_000_000, label="Cord", unit="mm", step=0.5, slider=(0.5, 60), logarithmic=True,
        help="Thickness of the cord.",
    )  # fmt: skip
    knot: float = number(
        9, 0, 100_000_000, label="Knot", unit="mm", step=0.5, slider=(0, 80), help="Radius of the knots; 0 for none."
    )
    twist: float = number(0.25, 0, 1, label="Twist", step=0.01, help="How deep the twist is cut into the cord.")

    def counts(self, footprint: Footprint) -> tuple[int, int]:
        """Meshes across and down."""
        return fit_count(self.mesh, footprint.width), fit_count(self.mesh, footprint.height)

    def nudges(self, footprint: Footprint) -> list[str]:
        return nudge_both("The mesh", self.mesh, footprint, self.counts(footprint))

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        u, v = grid.across() * across, grid.down() * down
        wide, high = grid.footprint.width / across, grid.footprint.height / down
        slant = np.hypot(wide, high)
        radius = max(self.cord / 2, grid.texel)
        height = np.zeros((grid.rows, grid.columns), np.float32)
        rising, falling = u + v, u - v  # cords run where one of these is a whole number
        turns = max(2, round(slant / (3 * self.cord)))
        for across_it, along_it in ((rising, falling), (falling, rising)):
            aside = (across_it - np.round(across_it)) * np.float32(wide * high / slant)
            grooves = 0.5 + 0.5 * np.cos(2 * np.pi * (along_it * turns / 2 + aside / (2 * radius)))
            strand = bead(aside, radius) * (1 - self.twist * grooves)
            height = np.maximum(height, strand * np.float32(STRAND))
        if self.knot > 0:
            # cords meet where both numbers are whole and of one kind, even or odd
            first, second = np.round(rising), np.round(falling)
            meet = np.mod(first + second, 2) == 0
            du, dv = (rising - first + falling - second) / 2, (rising - first - falling + second) / 2
            far = np.where(meet, np.hypot(du * wide, dv * high), np.inf)
            height = np.maximum(height, bead(far, max(self.knot, grid.texel)))
        return height.astype(np.float32)

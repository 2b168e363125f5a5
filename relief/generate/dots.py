"""Dots: round studs or hollows in straight or staggered rows."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid, bead, fit_count, nudge, nudge_both, ramp
from relief.height import Footprint
from relief.parameters import choice, number, switch


class Dots(Generator):
    """Studs, rivets and dimples in rows."""

    title: ClassVar[str] = "Dots"
    family: ClassVar[Family] = "pattern"
    kind: Literal["dots"] = "dots"
    form: Literal["dome", "disc", "cone"] = choice(
        "dome", {"dome": "Domes", "disc": "Discs", "cone": "Cones"}, label="Form", help="The profile of a dot."
    )
    spacing: float = number(
        30, 0.1, 100_000_000, label="Spacing", unit="mm", step=0.5, slider=(2, 300), logarithmic=True,
        help="From dot to dot.",
    )  # fmt: skip
    radius: float = number(
        9,
        0.01,
        100_000_000,
        label="Radius",
        unit="mm",
        step=0.5,
        slider=(0.5, 100),
        logarithmic=True,
        help="Radius of a dot.",
    )
    staggered: bool = switch(True, label="Staggered", help="Moves every other row by half.")

    def counts(self, footprint: Footprint) -> tuple[int, int]:
        """Dots across and rows down."""
        row = self.spacing * (np.sqrt(3) / 2 if self.staggered else 1)
        return fit_count(self.spacing, footprint.width), fit_count(row, footprint.height, even=self.staggered)

    def nudges(self, footprint: Footprint) -> list[str]:
        across, down = self.counts(footprint)
        if not self.staggered:
            return nudge_both("The spacing", self.spacing, footprint, (across, down))
        row = self.spacing * np.sqrt(3) / 2
        return nudge("The spacing", self.spacing, footprint.width, across) + nudge(
            "The row", row, footprint.height, down
        )

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        wide, high = grid.footprint.width / across, grid.footprint.height / down
        y = grid.down() * down
        far = np.full((grid.rows, grid.columns), np.inf, np.float32)
        for above in (-1, 0, 1):
            row = np.floor(y) + above
            u = grid.across() * across + (np.float32(0.5) * np.mod(row, 2) if self.staggered else 0)
            dx = (u - np.floor(u) - np.float32(0.5)) * wide
            far = np.minimum(far, np.hypot(dx, (y - row - np.float32(0.5)) * high))
        match self.form:
            case "dome":
                return bead(far, self.radius).astype(np.float32)
            case "disc":
                return ramp(self.radius - far, 0, grid.texel).astype(np.float32)
            case _:
                return np.clip(1 - far / np.float32(self.radius), 0, 1).astype(np.float32)

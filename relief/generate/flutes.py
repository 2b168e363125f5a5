"""Flutes: round grooves or rods side by side."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid, bead, fit_count, from_middle, nudge
from relief.height import Footprint
from relief.parameters import choice, number


class Flutes(Generator):
    """Fluting and reeding, as on columns and radiators."""

    title: ClassVar[str] = "Flutes"
    family: ClassVar[Family] = "pattern"
    kind: Literal["flutes"] = "flutes"
    form: Literal["hollow", "round"] = choice(
        "hollow",
        {"hollow": "Hollow flutes", "round": "Round reeds"},
        label="Form",
        help="Grooves cut in, or rods set on.",
    )
    width: float = number(
        30, 0.1, 100_000_000, label="Width", unit="mm", step=0.5, slider=(2, 300), logarithmic=True,
        help="From one flute to the next.",
    )  # fmt: skip
    fillet: float = number(
        4, 0, 100_000_000, label="Fillet", unit="mm", step=0.5, slider=(0, 60), help="The flat between two flutes."
    )

    def nudges(self, footprint: Footprint) -> list[str]:
        return nudge("The flute", self.width, footprint.width, fit_count(self.width, footprint.width))

    def draw(self, grid: Grid) -> np.ndarray:
        across = fit_count(self.width, grid.footprint.width)
        wide = grid.footprint.width / across
        radius = max((wide - self.fillet) / 2, grid.texel)
        round_top = bead(from_middle(grid.across() * across) * wide, radius) + 0 * grid.down()
        return (1 - round_top if self.form == "hollow" else round_top).astype(np.float32)

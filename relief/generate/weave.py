"""Weave: bands that go over and under each other."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid, bead, fit_count, from_middle, nudge_both
from relief.height import Footprint
from relief.parameters import number


class Weave(Generator):
    """Cloth, canework and wicker: plain weave of round strands."""

    title: ClassVar[str] = "Weave"
    family: ClassVar[Family] = "pattern"
    kind: Literal["weave"] = "weave"
    strand: float = number(
        12, 0.05, 100_000_000, label="Strand", unit="mm", step=0.5, slider=(0.5, 200), logarithmic=True,
        help="From one strand to the next.",
    )  # fmt: skip
    gap: float = number(
        1.5, 0, 100_000_000, label="Gap", unit="mm", step=0.1, slider=(0, 30), help="Open space between strands."
    )
    swing: float = number(0.45, 0, 1, label="Swing", step=0.01, help="How far strands rise and sink as they cross.")

    def counts(self, footprint: Footprint) -> tuple[int, int]:
        """Strands across and down, even numbers."""
        return fit_count(self.strand, footprint.width, even=True), fit_count(self.strand, footprint.height, even=True)

    def nudges(self, footprint: Footprint) -> list[str]:
        return nudge_both("The strand", self.strand, footprint, self.counts(footprint))

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self.counts(grid.footprint)
        u, v = grid.across() * across, grid.down() * down
        wide, high = grid.footprint.width / across, grid.footprint.height / down
        over = np.cos(np.pi * np.floor(u)) * np.cos(np.pi * np.floor(v))
        standing = bead(from_middle(u) * wide, max((wide - self.gap) / 2, grid.texel))
        lying = bead(from_middle(v) * high, max((high - self.gap) / 2, grid.texel))
        rise_standing = over * np.sin(np.pi * (v - np.floor(v)))
        rise_lying = -over * np.sin(np.pi * (u - np.floor(u)))
        half = np.float32(self.swing / 2)
        top = np.maximum(standing * (1 - half + half * rise_standing), lying * (1 - half + half * rise_lying))
        return top.astype(np.float32)

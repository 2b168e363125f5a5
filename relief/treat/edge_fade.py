"""Edge fade: the picture runs out towards its edges, straight or chipped.

Pressed in as an imprint it then leaves no square plateau.
"""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from relief.filters.resample import resample
from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment

MOST_CHIPS = 512
"""Chips along a side at most."""


def chips(shape: tuple[int, int], counts: tuple[int, int], seed: int) -> np.ndarray:
    """Smooth noise, 0 to 1, that is the same at every resolution.

    Args:
        shape: (rows, columns).
        counts: lattice places (down, across).
        seed: fixes the noise.
    """
    lattice = np.random.default_rng(seed).random(counts, dtype=np.float32)
    return np.clip(resample(lattice, *shape, "bicubic", (False, False)), 0, 1)


def cover(field: HeightField, width: float, depth: float, chip: float, seed: int) -> np.ndarray:
    """How much of the relief is left at each place: 0 at the edges, 1 inside.

    Args:
        field: gives shape and footprint.
        width: mm from nothing to all.
        depth: mm that chips reach in at most; 0 leaves the fade straight.
        chip: mm that a chip is wide.
        seed: fixes the chips.
    """
    rows, columns = field.samples.shape
    across = (np.arange(columns, dtype=np.float32) + 0.5) * field.spacing[0]
    down = (np.arange(rows, dtype=np.float32) + 0.5) * field.spacing[1]
    across = np.minimum(across, field.footprint.width - across)
    down = np.minimum(down, field.footprint.height - down)
    inside = np.minimum(across[None, :], down[:, None])
    if depth > 0:
        counts = [
            int(np.clip(round(side / chip) + 1, 2, MOST_CHIPS))
            for side in (field.footprint.height, field.footprint.width)
        ]
        inside = inside - np.float32(depth) * chips((rows, columns), (counts[0], counts[1]), seed)
    part = np.clip(inside / np.float32(width), 0, 1)
    return part * part * (3 - 2 * part)


class EdgeFade(Treatment):
    """Lets the relief run out towards its edges, straight or chipped; its alpha comes along."""

    title: ClassVar[str] = "Edge fade"
    family: ClassVar[Family] = "edges"
    kind: Literal["edge_fade"] = "edge_fade"
    width: float = number(
        10, 0.01, 100_000_000, label="Width", unit="mm", step=0.5, slider=(0.5, 200), logarithmic=True,
        help="Distance over which the relief rises from nothing at the edge to its full height.",
    )  # fmt: skip
    level: float = number(0.5, -1e6, 1e6, label="Fades to", step=0.005, slider=(0, 1), help="The height at the edge.")
    depth: float = number(
        0, 0, 100_000_000, label="Chips", unit="mm", step=0.5, slider=(0, 100),
        help="How far chips reach in from the edge; 0 leaves it straight.",
    )  # fmt: skip
    chip: float = number(
        12, 0.01, 100_000_000, label="Chip size", unit="mm", step=0.5, slider=(1, 100), logarithmic=True,
        help="How wide a chip is.",
    )  # fmt: skip
    seed: int = number(
        1, 0, 999_999, label="Seed", step=1, slider=(0, 100), help="Random seed: another number gives other chips."
    )

    def treat(self, field: HeightField) -> HeightField:
        left = cover(field, self.width, self.depth, self.chip, self.seed)
        samples = np.float32(self.level) + (field.samples - np.float32(self.level)) * left
        alpha = left if field.alpha is None else field.alpha * left
        return replace(field.with_samples(samples), alpha=alpha)

"""Remove steps: the staircase of a source with few grey levels is smoothed, within what the levels leave open.

A height that was rounded to a grey level lies at most half a level from where it was. Of blurs of several widths each
place takes the widest that stays within that there and around it, so that long flats are bridged and hills keep their
shape; what is left of the passages between them is smoothed under the same bound.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.filters.gaussian import soften_field
from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment

NARROWER = 3.0
"""From one blur to the next."""

AROUND = 1.2
"""How far around a place a blur must fit, in its widths."""

FREE, PASSAGE = 0.8, 0.3
"""Parts of half a level that a blur may be off, and over which it then counts less. On a ramp it is off by half a level
at every step, on a bend by more."""

LAST = 1.5
"""Texels of the last blurs, and how many of these there are."""
LAST_TIMES = 2


class RemoveSteps(Treatment):
    """Smooths the staircase of an 8-bit height; no sample moves by more than half a grey level of its source."""

    title: ClassVar[str] = "Remove steps"
    family: ClassVar[Family] = "edges"
    kind: Literal["remove_steps"] = "remove_steps"
    reach: float = number(
        5, 0.01, 100_000_000, label="Reach", unit="mm", step=0.1, slider=(0.1, 60), logarithmic=True,
        help="The longest flat between two steps that is bridged.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        half = half_levels(field)
        if half is None:
            return field
        texel = min(field.spacing)
        widths = [self.reach]
        while widths[-1] > texel:
            widths.append(widths[-1] / NARROWER)
        smooth = field.samples
        for width in reversed(widths):
            blurred = soften_field(field, width)
            beyond = np.clip((np.abs(blurred - field.samples) / half - FREE) / PASSAGE, 0, 1)
            fits = np.clip(1 - 3 * soften_field(field.with_samples(beyond), AROUND * width), 0, 1)
            smooth = smooth + fits * fits * (3 - 2 * fits) * (blurred - smooth)
        low, high = field.samples - half, field.samples + half
        smooth = np.clip(smooth, low, high)
        for _ in range(LAST_TIMES):
            smooth = np.clip(soften_field(field.with_samples(smooth), LAST * texel), low, high)
        return field.with_samples(smooth)


def half_levels(field: HeightField) -> np.ndarray | None:
    """Half the distance to the next grey level of the source, of each sample or of all: float32; none where there are
    no levels.
    """
    inside = np.float32(1 - 1e-5)  # rounding in float32 must not carry a sample over the bound
    if field.levels is None or len(field.levels) < 2:
        return np.full((1, 1), field.grain / 2, np.float32) * inside if field.grain else None
    gaps = np.diff(field.levels)
    if np.ptp(gaps) <= 1e-3 * gaps[0]:
        return np.full((1, 1), gaps.mean() / 2, np.float32) * inside
    narrower = np.minimum(np.append(gaps, gaps[-1]), np.insert(gaps, 0, gaps[0]))
    return np.interp(field.samples, field.levels, narrower / 2).astype(np.float32) * inside

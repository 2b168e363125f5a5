"""Remove steps: the staircase of a source with few grey levels is smoothed, within what the levels leave open.

A height that was rounded to a grey level lies at most half a level from where it was. So the field may be smoothed as
long as no sample moves farther than that: blur, put back what moved too far, and again.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.parameters import number
from relief.treat.soften import softened
from relief.treat.treatment import Family, Treatment

ROUNDS = 4
"""Blurs with falling width: the wide ones bridge long flats, the narrow ones round off what is left."""


class RemoveSteps(Treatment):
    """Smooths the staircase of an 8-bit height; no sample moves by more than half a grey level of its source."""

    title: ClassVar[str] = "Remove steps"
    family: ClassVar[Family] = "edges"
    kind: Literal["remove_steps"] = "remove_steps"
    reach: float = number(
        5, 0.01, 1000, label="Reach", unit="mm", step=0.1, slider=(0.1, 60), logarithmic=True,
        help="The longest flat between two steps that is bridged.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        if field.grain == 0:
            return field
        # rounding in float32 must not carry a sample over the bound
        half = np.float32(field.grain / 2 * (1 - 1e-5))
        low, high = field.samples - half, field.samples + half
        smooth = field
        for width in self.reach / 2 ** np.arange(ROUNDS):
            smooth = smooth.with_samples(np.clip(softened(smooth, float(width)), low, high))
        return smooth

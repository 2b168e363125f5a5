"""Normalise: the heights are spread over 0 to 1 by their own percentiles."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.filters.statistics import percentiles
from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment

FLAT = 1e-9
"""A spread below this is a flat field, which is left alone."""


class Normalise(Treatment):
    """Spreads the heights from 0 to 1, a few specks at both ends left out."""

    title: ClassVar[str] = "Normalise"
    family: ClassVar[Family] = "tone"
    kind: Literal["normalise"] = "normalise"
    low: float = number(
        0.5, 0, 49, label="Cut below", unit="%", step=0.1, slider=(0, 10),
        help="This share of the lowest heights counts as specks and ends at 0 or below.",
    )  # fmt: skip
    high: float = number(
        0.5, 0, 49, label="Cut above", unit="%", step=0.1, slider=(0, 10),
        help="This share of the highest heights counts as specks and ends at 1 or above.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        low, high = percentiles(field.samples, self.low, 100 - self.high)
        if high - low < FLAT:
            return field
        stretch = 1 / (high - low)
        return field.with_samples((field.samples - np.float32(low)) * np.float32(stretch), stretch)

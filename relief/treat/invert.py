"""Invert: low becomes high."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.treat.treatment import Family, Treatment


class Invert(Treatment):
    """Turns the relief inside out: what stood out sinks in."""

    title: ClassVar[str] = "Invert"
    family: ClassVar[Family] = "tone"
    kind: Literal["invert"] = "invert"

    def treat(self, field: HeightField) -> HeightField:
        return field.with_samples(1 - field.samples)

    def turn_vectors(self, vectors: np.ndarray) -> np.ndarray:
        return vectors * np.array([-1, -1, 1], np.float32)

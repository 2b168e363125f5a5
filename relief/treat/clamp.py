"""Clamp: heights beyond two limits are cut off."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment


class Clamp(Treatment):
    """Cuts off what lies below or above two heights and leaves the rest alone."""

    title: ClassVar[str] = "Clamp"
    family: ClassVar[Family] = "tone"
    kind: Literal["clamp"] = "clamp"
    low: float = number(
        0, -1e6, 1e6, label="Lowest", step=0.005, slider=(0, 1), help="Heights below this are raised to it."
    )
    high: float = number(
        1, -1e6, 1e6, label="Highest", step=0.005, slider=(0, 1), help="Heights above this are lowered to it."
    )

    @model_validator(mode="after")
    def _check_order(self) -> Self:
        if self.high < self.low:
            raise ValueError("The highest height must not lie below the lowest.")
        return self

    def treat(self, field: HeightField) -> HeightField:
        return field.with_samples(np.clip(field.samples, np.float32(self.low), np.float32(self.high)))

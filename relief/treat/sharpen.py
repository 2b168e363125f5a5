"""Sharpen: unsharp masking, h + amount (h - blurred h)."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.filters.gaussian import soften_field
from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment


class Sharpen(Treatment):
    """Lifts what stands out from its surroundings and sinks what lies in them."""

    title: ClassVar[str] = "Sharpen"
    family: ClassVar[Family] = "detail"
    kind: Literal["sharpen"] = "sharpen"
    radius: float = number(
        1, 0.001, 100_000_000, label="Radius", unit="mm", step=0.05, slider=(0.05, 20), logarithmic=True,
        help="Detail narrower than this is strengthened.",
    )  # fmt: skip
    amount: float = number(
        0.5, 0, 10, label="Amount", step=0.05, slider=(0, 3),
        help="How much stronger. Too much leaves rims around edges and raises grain.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        wide = soften_field(field, self.radius)
        return field.with_samples(field.samples + np.float32(self.amount) * (field.samples - wide))

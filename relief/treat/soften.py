"""Soften: a Gaussian blur measured in mm on the footprint."""

from __future__ import annotations

from typing import ClassVar, Literal

from relief.filters.gaussian import soften_field
from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment


class Soften(Treatment):
    """Blends each height with those around it."""

    title: ClassVar[str] = "Soften"
    family: ClassVar[Family] = "detail"
    kind: Literal["soften"] = "soften"
    radius: float = number(
        0, 0, 100_000_000, label="Radius", unit="mm", step=0.05, slider=(0, 20),
        help="How far heights are blended with those around them. Removes grain and steps first, then detail.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        return field.with_samples(soften_field(field, self.radius))

"""Detail bands: broad, middle and fine shapes made stronger or weaker on their own."""

from __future__ import annotations

from typing import ClassVar, Literal

from relief.filters.bands import Bands
from relief.height import HeightField
from relief.treat.treatment import Family, Treatment


class DetailBands(Bands, Treatment):
    """Makes broad shapes, middle ones and fine detail stronger or weaker, each on its own."""

    title: ClassVar[str] = "Detail bands"
    family: ClassVar[Family] = "detail"
    kind: Literal["detail_bands"] = "detail_bands"

    @property
    def heading(self) -> str:
        return self.title

    def treat(self, field: HeightField) -> HeightField:
        return self.change_bands(field)

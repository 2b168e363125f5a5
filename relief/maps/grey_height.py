"""The height as one more grey map, to be bent through its curve: for glow in the depths, film on the tops, mixing."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.maps.companion import NOTHING, CompanionMap
from relief.maps.displacement import full_range


class GreyHeight(CompanionMap):
    """The height from its lowest to its highest, to be bent through the tone curve: glow, dirt, film, mixing."""

    title: ClassVar[str] = "Height through a curve"
    reads: ClassVar[str] = "Black is the lowest, white the highest height, through the curve of the recipe."
    kind: Literal["height"] = "height"

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        return full_range(field.samples).place(field.samples)

"""The slope as a map: for laying sand on the flat and moss on the steep."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.maps.companion import NOTHING, CompanionMap
from relief.maps.slopes import steepness
from relief.parameters import number


class SlopeMap(CompanionMap):
    """How steep each place is."""

    title: ClassVar[str] = "Slope"
    reads: ClassVar[str] = "Black is level, white is as steep as chosen or steeper."
    kind: Literal["slope"] = "slope"
    steepest: float = number(
        90, 1, 90, label="White at", unit="°", step=1, slider=(10, 90), help="The angle that becomes white."
    )

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        return steepness(field, amplitude) / np.float32(self.steepest)

"""The mask of who won: where a layer is seen among those it was laid over."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.maps.companion import NOTHING, CompanionMap
from relief.parameters import number


class LayerMask(CompanionMap):
    """Where a layer is seen, for mixing materials the way the relief was mixed."""

    title: ClassVar[str] = "Mask of a layer"
    reads: ClassVar[str] = "White where the layer is seen, black where what lies below is."
    kind: Literal["layer_mask"] = "layer_mask"
    layer: int = number(
        1, 0, 23, label="Layer", step=1, slider=(0, 8),
        help="The layer's place, counted from the ground, which is 0. A layer that is not there is seen nowhere.",
    )  # fmt: skip

    @property
    def beside(self) -> tuple[str, ...]:
        return (f"seen:{self.layer}",)

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        return beside.get(f"seen:{self.layer}", np.zeros_like(field.samples))

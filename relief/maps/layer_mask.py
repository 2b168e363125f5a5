"""The mask of who won: where a layer is seen among those it was laid over."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self

import numpy as np

from relief.height import HeightField
from relief.maps.companion import NOTHING, CompanionMap
from relief.parameters import choice

GONE = -1


class LayerMask(CompanionMap):
    """Where a layer is seen, for mixing materials the way the relief was mixed."""

    title: ClassVar[str] = "Mask of a layer"
    reads: ClassVar[str] = "White where the layer shows, grey by its amount, black where the layers below show."
    kind: Literal["layer_mask"] = "layer_mask"
    layer: int = choice(
        1, {GONE: "A removed layer"}, label="Layer",
        help="The layer that is white. Numbers count from the ground, which is 0.",
    )  # fmt: skip

    @classmethod
    def start_for(cls, roles: Collection[str], layers: int) -> Self:
        return cls(layer=layers - 1)

    def following(self, order: Sequence[Any]) -> Self:
        return self.model_copy(update={"layer": order.index(self.layer) if self.layer in order else GONE})

    @property
    def beside(self) -> tuple[str, ...]:
        return (f"seen:{self.layer}",)

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        return beside.get(f"seen:{self.layer}", np.zeros_like(field.samples))

"""Position: where on the footprint, and how high, each texel lies."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numpy as np

from relief.figures import BITS
from relief.height import HeightField
from relief.maps.companion import NOTHING, CompanionMap
from relief.maps.displacement import full_range
from relief.parameters import choice

AXES = ("across", "up", "out")


class Position(CompanionMap):
    """Where each place lies: across in red, up in green, out in blue, or one of them in grey."""

    title: ClassVar[str] = "Position"
    reads: ClassVar[str] = (
        "0 to 1 from the left edge to the right, from the bottom up, and from the lowest height to the highest."
    )
    kind: Literal["position"] = "position"
    bits: Literal[8, 16] = choice(
        16,
        BITS,
        label="Bits",
        help="8 bit distinguishes 256 positions on a side, 16 bit every texel.",
    )
    axis: Literal["all", "across", "up", "out"] = choice(
        "all", {"all": "All, as a colour", "across": "Across", "up": "Up", "out": "Out"}, label="Axis",
        help="One axis in grey, or all three in red, green and blue.",
    )  # fmt: skip

    @property
    def channels(self) -> tuple[str, ...]:
        return ("red", "green", "blue") if self.axis == "all" else ()

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        rows, columns = field.samples.shape
        across = np.broadcast_to((np.arange(columns, dtype=np.float32) + 0.5) / columns, (rows, columns))
        up = np.broadcast_to(1 - (np.arange(rows, dtype=np.float32)[:, None] + 0.5) / rows, (rows, columns))
        out = full_range(field.samples).place(field.samples)
        parts = (across, up, out)
        return np.dstack(parts) if self.axis == "all" else np.ascontiguousarray(parts[AXES.index(self.axis)])

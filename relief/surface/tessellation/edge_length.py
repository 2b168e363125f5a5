"""By the length of edges."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np

from relief.parameters import number
from relief.surface.tessellation.tessellation import Measured, Tessellation


class EdgeLength(Tessellation):
    """Keeps every edge of the displaced surface below a length."""

    title: ClassVar[str] = "Edge length"
    about: ClassVar[str] = "No edge longer than a limit"
    measure: ClassVar[str] = "edge"
    weighs: ClassVar[bool] = False
    kind: Literal["edge"] = "edge"
    edge: float = number(
        5, 0.001, 100_000_000, label="Edges up to", unit="mm", step=0.1, slider=(0.1, 1000), logarithmic=True,
        help="The longest edge allowed on the displaced surface.",
    )  # fmt: skip

    def pieces(self, measured: Measured) -> np.ndarray:
        return np.maximum((measured.lengths()[measured.edges].max(axis=1) / self.edge) ** 2, 1)

    def edges_to_cut(self, measured: Measured) -> np.ndarray:
        long: np.ndarray = measured.lengths() > self.edge
        return long

    def coarser(self, times: float) -> tuple[str, float]:
        return "edge", self.edge * math.sqrt(times)

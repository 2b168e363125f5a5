"""By how far the true surface may be."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.parameters import number
from relief.surface.tessellation.tessellation import Measured, Tessellation

KEPT_BELOW = 0.9
"""Of what is asked: between the places that are looked at the surface may be a little farther off."""


class Deviation(Tessellation):
    """Keeps the error against the true displaced surface below a length."""

    title: ClassVar[str] = "Error"
    about: ClassVar[str] = "Error never above a limit"
    measure: ClassVar[str] = "error"
    closely: ClassVar[bool] = True
    kind: Literal["error"] = "error"
    error: float = number(
        0.2, 0.0001, 1_000_000, label="Error up to", unit="mm", step=0.01, slider=(0.01, 20), logarithmic=True,
        help="How far the true displaced surface may be from the mesh, measured along the direction it moves in.",
    )  # fmt: skip

    @property
    def allowed(self) -> float:
        return self.error

    def pieces(self, measured: Measured) -> np.ndarray:
        # halving all edges makes four of each and leaves a quarter of the error
        found = measured.worst / (self.error * KEPT_BELOW)
        return np.where(found > 1, np.maximum(found, 2), 1)

    def coarser(self, times: float) -> tuple[str, float]:
        return "error", self.error * times

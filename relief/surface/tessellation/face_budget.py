"""By a number of faces, spent where they show."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np

from relief.parameters import number
from relief.surface.tessellation.tessellation import Measured, Tessellation

BISECTIONS = 20
HALVES = 2
LEFT_OVER = 0.01
"""Of the budget: so near to it no more is cut."""
FEW = 0.15
"""Of the triangles there are, or are to spare: where fewer are to be halved, the rest is spent at once."""


class FaceBudget(Tessellation):
    """A fixed number of triangles, each as small as its share of the error asks for."""

    title: ClassVar[str] = "Face budget"
    about: ClassVar[str] = "A fixed number of faces, spent where they matter"
    measure: ClassVar[str] = "faces"
    kind: Literal["faces"] = "faces"
    faces: int = number(
        200_000, 12, 50_000_000, label="Faces", step=1000, slider=(1000, 2_000_000), logarithmic=True,
        help="How many triangles the mesh has. They go where the relief needs them.",
    )  # fmt: skip

    @property
    def most_faces(self) -> int | None:
        return self.faces

    def pieces(self, measured: Measured) -> np.ndarray:
        # what a triangle adds to the sum of squares; of n pieces each has 1 / n^2 of its error and 1 / n of its area
        share = measured.square.astype(np.float64) * measured.areas
        return np.cbrt(share / max(self._settle(share), 1e-300))

    def is_content(self, triangles: int) -> bool:
        return triangles >= (1 - LEFT_OVER) * self.faces

    def coarser(self, times: float) -> tuple[str, float]:
        return "faces", math.floor(self.faces / times)

    def edges_to_cut(self, measured: Measured) -> np.ndarray:
        spare = self.faces - len(measured.edges)
        pieces = self.pieces(measured)
        if np.count_nonzero(pieces >= HALVES) < FEW * min(spare, len(pieces)):
            # what is left goes to the worst; each cut adds two triangles or a few more
            count = min(max(1, spare * 2 // 3), int(np.count_nonzero(pieces)))
            chosen = np.argpartition(-pieces, count - 1)[:count] if count else np.zeros(0, np.int64)
            pieces = np.zeros(len(pieces))
            pieces[chosen] = HALVES
        return measured.mark(pieces)

    def _settle(self, share: np.ndarray) -> float:
        """The share of the error that every triangle has once the budget is spent."""
        counts = np.cbrt(share)
        low, high = 0.0, float(counts.max(initial=0)) or 1.0
        for _ in range(BISECTIONS):
            middle = (low + high) / 2
            if np.maximum(counts / max(middle, 1e-300), 1).sum() > self.faces:
                low = middle
            else:
                high = middle
        return high**3

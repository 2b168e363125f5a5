"""Shift: what leaves on one side comes in on the other."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import Edges, Footprint
from relief.parameters import number
from relief.treat.treatment import Family, Placement


class Shift(Placement):
    """Moves the picture; what leaves at one edge enters at the other. By half, the seam comes to the middle."""

    title: ClassVar[str] = "Shift"
    family: ClassVar[Family] = "place"
    kind: Literal["shift"] = "shift"
    across: float = number(50, 0, 100, label="Across", unit="%", step=1, help="How far it moves to the right.")
    down: float = number(50, 0, 100, label="Down", unit="%", step=1, help="How far it moves down.")

    def move(self, samples: np.ndarray, footprint: Footprint, edges: Edges) -> np.ndarray:
        rows, columns = samples.shape[:2]
        return np.roll(samples, (round(rows * self.down / 100), round(columns * self.across / 100)), (0, 1))

    def edges_after(self, edges: Edges) -> Edges:
        """Inside the picture neighbours meet, so where it was moved its new edges do."""
        across, down = (0 < part < 100 for part in (self.across, self.down))
        return Edges(across="wrap" if across else edges.across, down="wrap" if down else edges.down)

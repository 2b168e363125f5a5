"""Mirror: left and right, or top and bottom, change sides."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import Edges, Footprint
from relief.parameters import switch
from relief.treat.treatment import Family, Placement


class Mirror(Placement):
    """Turns the picture over, as in a mirror; a normal map's directions turn with it."""

    title: ClassVar[str] = "Mirror"
    family: ClassVar[Family] = "place"
    kind: Literal["mirror"] = "mirror"
    across: bool = switch(True, label="Across", help="Swaps left and right.")
    down: bool = switch(False, label="Down", help="Swaps top and bottom.")

    def move(self, samples: np.ndarray, footprint: Footprint, edges: Edges) -> np.ndarray:
        return np.ascontiguousarray(samples[:: -1 if self.down else 1, :: -1 if self.across else 1])

    def turn_vectors(self, vectors: np.ndarray) -> np.ndarray:
        return vectors * np.array([-1 if self.across else 1, -1 if self.down else 1, 1], np.float32)

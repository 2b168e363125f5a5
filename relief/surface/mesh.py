"""A mesh as plain arrays."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Mesh:
    """Quads with their places on the maps.

    Attributes:
        positions: float32 (vertices, 3), mm; x right, y up, z out.
        normals: float32 (vertices, 3), unit length.
        uv: float32 (vertices, 2); (0, 0) is the lower left corner of the footprint, (1, 1) the upper right.
        faces: int32 (faces, 4), vertex numbers, counter-clockwise seen from outside.
    """

    positions: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    faces: np.ndarray

    @property
    def nbytes(self) -> int:
        return self.positions.nbytes + self.normals.nbytes + self.uv.nbytes + self.faces.nbytes

    def triangles(self) -> np.ndarray:
        """The faces as int32 (2 faces, 3), each quad cut along its first and third corner."""
        return self.faces[:, [0, 1, 2, 0, 2, 3]].reshape(-1, 3)

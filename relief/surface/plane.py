"""The plane: one footprint, lying in x and y, its middle at the origin, facing z."""

from __future__ import annotations

import numpy as np

from relief.height import Footprint
from relief.parameters import Parameters, number
from relief.surface.mesh import Mesh, mesh_of_faces

HIGHEST_LEVEL = 10


class Plane(Parameters):
    """A plane of base segments, each cut in four by every level of flat subdivision."""

    segments: int = number(
        16, 1, 2000, label="Base segments", step=1, slider=(1, 100),
        help="Quads across the plane before subdivision; down it has as many as keep them nearly square.",
    )  # fmt: skip
    level: int = number(
        4, 0, HIGHEST_LEVEL, label="Subdivision level", step=1,
        help="Each level cuts every quad into four. Too few look blocky, one more costs four times as much.",
    )  # fmt: skip

    def cells(self, footprint: Footprint) -> tuple[int, int]:
        """Quads (across, down) after subdivision."""
        down = max(1, round(self.segments * footprint.height / footprint.width))
        return self.segments << self.level, down << self.level


def plane(footprint: Footprint, across: int, down: int) -> Mesh:
    """A flat grid of `across` x `down` quads over the footprint.

    Flat subdivision cuts a quad at the middles of its edges, so a plane of n x m quads at level k is the grid of
    n 2^k x m 2^k: it is built at once.
    """
    u, v = np.meshgrid(np.linspace(0, 1, across + 1, dtype=np.float32), np.linspace(0, 1, down + 1, dtype=np.float32))
    uv = np.stack([u.ravel(), v.ravel()], axis=1)
    positions = np.zeros((len(uv), 3), np.float32)
    positions[:, 0] = (uv[:, 0] - 0.5) * np.float32(footprint.width)
    positions[:, 1] = (uv[:, 1] - 0.5) * np.float32(footprint.height)
    normals = np.zeros_like(positions)
    normals[:, 2] = 1
    number_of = np.arange(len(uv), dtype=np.int32).reshape(down + 1, across + 1)
    corners = number_of[:-1, :-1], number_of[:-1, 1:], number_of[1:, 1:], number_of[1:, :-1]
    return mesh_of_faces(positions, normals, uv, np.stack([corner.ravel() for corner in corners], axis=1))

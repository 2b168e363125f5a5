"""The plane: one footprint, lying in x and y, its middle at the origin, facing z."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import Footprint
from relief.parameters import number
from relief.surface.mesh import Mesh, mesh_of_faces
from relief.surface.shape import Shape


class Plane(Shape):
    """A plane of base segments, each cut in four by every level of flat subdivision."""

    title: ClassVar[str] = "Plane"
    kind: Literal["plane"] = "plane"
    segments: int = number(
        16, 1, 2000, label="Base segments", step=1, slider=(1, 100),
        help="Quads across the plane before subdivision; down it has as many as keep them nearly square.",
    )  # fmt: skip

    def cells(self, footprint: Footprint) -> tuple[int, int]:
        """Quads (across, down) after subdivision."""
        down = max(1, round(self.segments * footprint.height / footprint.width))
        return self.segments << self.level, down << self.level

    def count(self, footprint: Footprint) -> tuple[int, int]:
        across, down = self.cells(footprint)
        return across * down, (across + 1) * (down + 1)

    def mesh(self, footprint: Footprint) -> Mesh:
        return plane(footprint, *self.cells(footprint))


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

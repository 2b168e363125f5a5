"""Displacement along the directions of a mesh: P' = P + n d, d = amplitude (h - midlevel)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.surface.mesh import Mesh
from relief.surface.normals import directions, renew_normals


def displace_mesh(mesh: Mesh, distances: np.ndarray, joined: tuple[np.ndarray, np.ndarray] | None = None) -> Mesh:
    """The mesh moved along its directions, with new normals.

    Args:
        mesh: the base.
        distances: mm outward, float32 (vertices,).
        joined: vertices with one normal each that share it with others, as `renew_normals` takes them.
    """
    moved = mesh.positions + directions(mesh) * distances[:, None]
    return renew_normals(replace(mesh, positions=moved), joined)

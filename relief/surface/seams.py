"""The seams of a mapping: edges where the places of both faces differ."""

from __future__ import annotations

import numpy as np

from relief.surface.edges import corners_across, find_edges
from relief.surface.mesh import Mesh


def find_seams(mesh: Mesh) -> np.ndarray:
    """The vertices of edges whose two faces have other places on the maps there: int32 (seams, 2)."""
    if mesh.uv_corners is mesh.corners:
        return np.zeros((0, 2), np.int32)
    edges = find_edges(mesh.corners, mesh.offsets)
    one, end_of_one, other, end_of_other = corners_across(edges, mesh.offsets)
    uv = mesh.uv[mesh.uv_corners]
    apart = (uv[one] != uv[other]).any(axis=1) | (uv[end_of_one] != uv[end_of_other]).any(axis=1)
    return np.stack([mesh.corners[one[apart]], mesh.corners[end_of_one[apart]]], axis=1).astype(np.int32)

"""The seams of a mapping: edges where the places of both faces differ."""

from __future__ import annotations

import numpy as np

from relief.surface.edges import find_edges
from relief.surface.mesh import Mesh
from relief.surface.normals import next_corners


def find_seams(mesh: Mesh) -> np.ndarray:
    """The vertices of edges whose two faces have other places on the maps there: int32 (seams, 2)."""
    if mesh.uv_corners is mesh.corners:
        return np.zeros((0, 2), np.int32)
    edges = find_edges(mesh.corners, mesh.offsets)
    following = next_corners(mesh.offsets)
    one, other = edges.pairs[:, 0], edges.pairs[:, 1]
    # where the faces agree, the edge runs the other way in the second one
    begin = np.where(edges.turned, other, following[other])
    end = np.where(edges.turned, following[other], other)
    uv = mesh.uv[mesh.uv_corners]
    same = (uv[one] == uv[begin]).all(axis=1) & (uv[following[one]] == uv[end]).all(axis=1)
    corners = one[~same]
    return np.stack([mesh.corners[corners], mesh.corners[following[corners]]], axis=1).astype(np.int32)

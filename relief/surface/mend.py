"""Mends of own meshes: doubled vertices merged, faces turned outward, a mapping where there is none."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.errors import MeshError
from relief.sources.mesh.polygons import Polygons, check_polygons
from relief.surface.edges import fan_out, find_edges
from relief.surface.orient import find_reversed
from relief.surface.reverse import order_backwards

MOST_UNWRAPPED = 20_000
"""Faces that a mapping is made for: more take longer than a person waits."""

NEAR = 1e-6
"""Of the size of a mesh: vertices as near as this are one."""


def find_doubled(positions: np.ndarray) -> tuple[np.ndarray, int]:
    """For each vertex the first one that lies at its place, and how many are doubled."""
    size = np.ptp(positions, axis=0).max() or 1
    rounded = np.rint((positions - positions.min(axis=0)) / (size * NEAR)).astype(np.int64)
    keys = (rounded[:, 0] << 42) ^ (rounded[:, 1] << 21) ^ rounded[:, 2]
    _, first, group = np.unique(keys, return_index=True, return_inverse=True)
    return first[group.reshape(-1)].astype(np.int32), len(positions) - len(first)


def merge_doubled(mesh: Polygons) -> Polygons:
    """The polygons with one vertex at each place; a face that then has less than three corners is left out."""
    same, _ = find_doubled(mesh.positions)
    return check_polygons(replace(mesh, corners=same[mesh.corners]), "The mesh")


def turn_outward(mesh: Polygons) -> Polygons:
    """The polygons with all faces looking outward."""
    edges = find_edges(mesh.corners, mesh.offsets)
    wrong = find_reversed(mesh.positions, mesh.corners, mesh.offsets, edges)
    order = order_backwards(mesh.offsets, wrong)
    uv_sets = tuple((uv, numbers[order]) for uv, numbers in mesh.uv_sets)
    return replace(mesh, corners=mesh.corners[order], uv_sets=uv_sets)


def unwrap(mesh: Polygons) -> Polygons:
    """The polygons, cut into triangles, with UVs that do not overlap, made by xatlas.

    Raises:
        MeshError: too many faces.
    """
    if mesh.faces > MOST_UNWRAPPED:
        raise MeshError(
            f"New UVs can be made for at most {MOST_UNWRAPPED} faces; this mesh has {mesh.faces}. Use a box, "
            "cylindrical or spherical mapping instead."
        )
    import xatlas

    corners, face = fan_out(mesh.offsets)
    triangles = mesh.corners[corners]
    vertices, numbers, uv = xatlas.parametrize(mesh.positions.astype(np.float32), triangles.astype(np.uint32))
    return replace(
        mesh,
        corners=vertices[numbers].reshape(-1).astype(np.int32),
        offsets=(np.arange(len(numbers) + 1) * 3).astype(np.int32),
        uv_sets=((uv.astype(np.float64), numbers.reshape(-1).astype(np.int32)),),
        groups=mesh.groups[face],
        materials=mesh.materials[face],
    )

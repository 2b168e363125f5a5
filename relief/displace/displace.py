"""Displacement along the normal: P' = P + n d, d = amplitude (h - midlevel)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.height import HeightField, sample_heights
from relief.kernels import serial_kernel
from relief.maps.displacement import displacement
from relief.surface.mesh import Mesh


def displace_mesh(mesh: Mesh, field: HeightField, amplitude: float, midlevel: float) -> Mesh:
    """The mesh moved along its normals by the height found at its uv, with new normals.

    Args:
        mesh: the base; its uv are places on the field's footprint. Where a vertex has several, it moves by the mean of
            the heights found there, so that a seam stays closed.
        field: heights, sampled bilinear.
        amplitude: mm that one unit of height stands for.
        midlevel: the height that stays on the base.

    Returns:
        A mesh with the same places and faces. Where the field wraps, vertices at opposite edges have one normal, so
        that copies of the mesh join without a line in their shading.
    """
    distance = displacement(sample_heights(field, mesh.uv[:, 0], mesh.uv[:, 1]), amplitude, midlevel)
    if not mesh.is_seamless:
        count = len(mesh.positions)
        total = np.bincount(mesh.corners, distance[mesh.uv_corners], count)
        distance = (total / np.maximum(np.bincount(mesh.corners, minlength=count), 1)).astype(np.float32)
    positions = mesh.positions + mesh.normals * distance[:, None]
    normals = vertex_normals(positions, mesh.offsets, mesh.corners, _meeting(mesh, field))
    return replace(mesh, positions=positions, normals=normals)


def vertex_normals(
    positions: np.ndarray,
    offsets: np.ndarray,
    corners: np.ndarray,
    meeting: tuple[np.ndarray, np.ndarray] | None = None,
) -> np.ndarray:
    """Unit normals of the vertices, the faces around each weighted by area.

    The sum of the cross products along a polygon's edges is twice its area along its normal (M. E. Newell; from
    memory). Vertices without a face with area point along z.

    Args:
        positions: float32 (vertices, 3).
        offsets, corners: the faces, as a mesh has them.
        meeting: numbers of vertices and for each the number of the group that shares one normal.
    """
    normals = np.zeros_like(positions)
    _gather_normals(positions, offsets, corners, normals)
    if meeting is not None:
        vertices, groups = meeting
        together = np.zeros((groups.max(initial=-1) + 1, 3), np.float32)
        np.add.at(together, groups, normals[vertices])
        normals[vertices] = together[groups]
    _to_unit_length(normals)
    return normals


def _meeting(mesh: Mesh, field: HeightField) -> tuple[np.ndarray, np.ndarray]:
    """The vertices that lie at edges that wrap, and which of them are one place of the relief."""
    uv = mesh.uv_of_vertices()
    at_edge = [wrap & ((uv[:, axis] == 0) | (uv[:, axis] == 1)) for axis, wrap in enumerate(field.edges.wraps)]
    vertices = np.flatnonzero(at_edge[0] | at_edge[1])
    places = uv[vertices].astype(np.float64)
    for axis, wrap in enumerate(field.edges.wraps):
        if wrap:
            places[:, axis] %= 1
    _, groups = np.unique(np.rint(places * 1e7).astype(np.int64), axis=0, return_inverse=True)
    return vertices, groups.reshape(-1)


@serial_kernel
def _gather_normals(positions, offsets, corners, normals):
    for face in range(len(offsets) - 1):
        first, last = offsets[face], offsets[face + 1]
        x = y = z = np.float32(0)
        start = corners[first]  # edges are taken from here, so that places far away lose nothing
        for corner in range(first + 1, last - 1):
            one, other = corners[corner], corners[corner + 1]
            ax, bx = positions[one, 0] - positions[start, 0], positions[other, 0] - positions[start, 0]
            ay, by = positions[one, 1] - positions[start, 1], positions[other, 1] - positions[start, 1]
            az, bz = positions[one, 2] - positions[start, 2], positions[other, 2] - positions[start, 2]
            x += ay * bz - az * by
            y += az * bx - ax * bz
            z += ax * by - ay * bx
        for corner in range(first, last):
            normals[corners[corner], 0] += x
            normals[corners[corner], 1] += y
            normals[corners[corner], 2] += z


@serial_kernel
def _to_unit_length(normals):
    for vertex in range(len(normals)):
        x, y, z = normals[vertex]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            normals[vertex] /= length
        else:
            normals[vertex, 2] = 1

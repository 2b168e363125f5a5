"""Displacement along the normal: P' = P + n d, d = amplitude (h - midlevel)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.height import HeightField, sampled
from relief.kernels import inlined, serial_kernel
from relief.maps.displacement import displacement
from relief.surface.mesh import Mesh


def displaced(mesh: Mesh, field: HeightField, amplitude: float, midlevel: float) -> Mesh:
    """The mesh moved along its normals by the height found at its uv, with new normals.

    Args:
        mesh: the base; its uv are places on the field's footprint.
        field: heights, sampled bilinear.
        amplitude: mm that one unit of height stands for.
        midlevel: the height that stays on the base.

    Returns:
        A mesh with the same uv and faces. Where the field wraps, vertices at opposite edges have one normal, so that
        copies of the mesh join without a line in their shading.
    """
    distance = displacement(sampled(field, mesh.uv[:, 0], mesh.uv[:, 1]), amplitude, midlevel)
    positions = mesh.positions + mesh.normals * distance[:, None]
    return replace(mesh, positions=positions, normals=vertex_normals(positions, mesh.faces, _meeting(mesh, field)))


def vertex_normals(
    positions: np.ndarray, faces: np.ndarray, meeting: tuple[np.ndarray, np.ndarray] | None = None
) -> np.ndarray:
    """Unit normals of the vertices, the faces around each weighted by area.

    The cross product of a quad's diagonals is twice its area along its normal. Vertices without a face with area point
    along z.

    Args:
        positions: float32 (vertices, 3).
        faces: int32 (faces, 4).
        meeting: numbers of vertices and for each the number of the group that shares one normal.
    """
    normals = np.zeros_like(positions)
    _gather_normals(positions, faces, normals)
    if meeting is not None:
        vertices, groups = meeting
        together = np.zeros((groups.max(initial=-1) + 1, 3), np.float32)
        np.add.at(together, groups, normals[vertices])
        normals[vertices] = together[groups]
    _to_unit_length(normals)
    return normals


def _meeting(mesh: Mesh, field: HeightField) -> tuple[np.ndarray, np.ndarray]:
    """The vertices that lie at edges that wrap, and which of them are one place of the relief."""
    at_edge = [
        wrap & ((mesh.uv[:, axis] == 0) | (mesh.uv[:, axis] == 1)) for axis, wrap in enumerate(field.edges.wraps)
    ]
    vertices = np.flatnonzero(at_edge[0] | at_edge[1])
    places = mesh.uv[vertices].astype(np.float64)
    for axis, wrap in enumerate(field.edges.wraps):
        if wrap:
            places[:, axis] %= 1
    _, groups = np.unique(np.rint(places * 1e7).astype(np.int64), axis=0, return_inverse=True)
    return vertices, groups.reshape(-1)


@inlined
def _minus(a, b):
    return a[0] - b[0], a[1] - b[1], a[2] - b[2]


@serial_kernel
def _gather_normals(positions, faces, normals):
    for face in range(len(faces)):
        corners = faces[face]
        ax, ay, az = _minus(positions[corners[2]], positions[corners[0]])
        bx, by, bz = _minus(positions[corners[3]], positions[corners[1]])
        for corner in corners:
            normals[corner, 0] += ay * bz - az * by
            normals[corner, 1] += az * bx - ax * bz
            normals[corner, 2] += ax * by - ay * bx


@serial_kernel
def _to_unit_length(normals):
    for vertex in range(len(normals)):
        x, y, z = normals[vertex]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            normals[vertex] /= length
        else:
            normals[vertex, 2] = 1

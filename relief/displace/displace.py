"""Displacement along the normal: P' = P + n d, d = amplitude (h - midlevel)."""

from __future__ import annotations

from dataclasses import replace

import numba
import numpy as np

from relief.height import HeightField, sampled
from relief.kernels import inlined
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
        A mesh with the same uv and faces.
    """
    distance = displacement(sampled(field, mesh.uv[:, 0], mesh.uv[:, 1]), amplitude, midlevel)
    positions = mesh.positions + mesh.normals * distance[:, None]
    return replace(mesh, positions=positions, normals=vertex_normals(positions, mesh.faces))


def vertex_normals(positions: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """Unit normals of the vertices, the faces around each weighted by area.

    The cross product of a quad's diagonals is twice its area along its normal. Vertices without a face with area point
    along z.
    """
    normals = np.zeros_like(positions)
    _gather_normals(positions, faces, normals)
    return normals


@inlined
def _minus(a, b):
    return a[0] - b[0], a[1] - b[1], a[2] - b[2]


@numba.njit(cache=True, nogil=True)
def _gather_normals(positions, faces, normals):
    for face in range(len(faces)):
        corners = faces[face]
        ax, ay, az = _minus(positions[corners[2]], positions[corners[0]])
        bx, by, bz = _minus(positions[corners[3]], positions[corners[1]])
        for corner in corners:
            normals[corner, 0] += ay * bz - az * by
            normals[corner, 1] += az * bx - ax * bz
            normals[corner, 2] += ax * by - ay * bx
    for vertex in range(len(normals)):
        x, y, z = normals[vertex]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            normals[vertex] /= length
        else:
            normals[vertex, 2] = 1

"""Tangents of a mesh after MikkTSpace, the space that glTF 2.0 asks of normal maps.

M. S. Mikkelsen 2008, *Simulation of Wrinkled Surfaces Revisited*, master's thesis, University of Copenhagen.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.kernels import inlined, kernel, serial_kernel
from relief.surface.mesh import Mesh, join_numbers


def with_tangents(mesh: Mesh) -> tuple[Mesh, np.ndarray]:
    """The mesh cut at its seams and where its places are mirrored, and a tangent for each of its vertices.

    A triangle's tangent points where u grows. A vertex has the mean of its triangles' tangents, each laid into the
    plane of the normal and weighted by the triangle's angle there. A triangle whose places have no area counts for
    nothing.

    Returns:
        A mesh with one place and one normal for each vertex, and float32 (vertices, 4): the unit tangent, and the sign
        w of the bitangent w (n x t), 1 where u and v are as on a map and -1 where they are mirrored.
    """
    cut = mesh.cut_at_seams()
    triangles = cut.triangles()
    # where triangles of both signs meet, the vertex becomes two; one without area goes with the others of its face
    mirrored = np.zeros(cut.faces, np.int32)
    _find_mirrored(cut.uv, cut.corners, triangles, cut.face_of_triangles(), mirrored)
    if mirrored.any():
        of_corners = mirrored[cut.face_of_corners]
        chosen, corners = join_numbers(cut.corners, of_corners)
        kept = cut.corners[chosen]
        cut = replace(
            cut, positions=cut.positions[kept], normals=cut.normals[kept], uv=cut.uv[kept],
            corners=corners, uv_corners=corners, normal_corners=corners,
        )  # fmt: skip
        signs = np.where(of_corners[chosen] > 0, np.float32(-1), np.float32(1))
    else:
        signs = np.ones(len(cut.positions), np.float32)
    total = np.zeros((len(cut.positions), 3))
    _add_tangents(cut.positions, cut.normals, cut.uv, cut.corners, triangles, total)
    tangents = np.empty((len(total), 4), np.float32)
    tangents[:, 3] = signs
    _to_tangents(total, cut.normals, tangents)
    return cut, tangents


@kernel(rows_of="triangles")
def _find_mirrored(begin, end, uv, corners, triangles, faces, mirrored):
    for number in range(begin, end):
        a, b, c = corners[triangles[number, 0]], corners[triangles[number, 1]], corners[triangles[number, 2]]
        if _area(uv, a, b, c) < 0:
            mirrored[faces[number]] = 1


@inlined
def _area(uv, a, b, c):
    """Twice the area of a triangle's places, below 0 where they are mirrored."""
    return (np.float64(uv[b, 0]) - uv[a, 0]) * (np.float64(uv[c, 1]) - uv[a, 1]) - (np.float64(uv[b, 1]) - uv[a, 1]) * (
        np.float64(uv[c, 0]) - uv[a, 0]
    )


@serial_kernel
def _add_tangents(positions, normals, uv, corners, triangles, total):
    point, towards, one, two, laid = np.empty((3, 3)), np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    for number in range(len(triangles)):
        a, b, c = corners[triangles[number, 0]], corners[triangles[number, 1]], corners[triangles[number, 2]]
        area = _area(uv, a, b, c)
        if area == 0:
            continue
        vertices = (a, b, c)
        for axis in range(3):
            for place in range(3):
                point[place, axis] = positions[vertices[place], axis]
            towards[axis] = (point[1, axis] - point[0, axis]) * (np.float64(uv[c, 1]) - uv[a, 1]) - (
                point[2, axis] - point[0, axis]
            ) * (np.float64(uv[b, 1]) - uv[a, 1])
            if area < 0:
                towards[axis] = -towards[axis]
        for place in range(3):
            vertex = vertices[place]
            for axis in range(3):
                one[axis] = point[(place + 1) % 3, axis] - point[place, axis]
                two[axis] = point[(place + 2) % 3, axis] - point[place, axis]
                laid[axis] = towards[axis]
            _lay_flat(laid, normals, vertex)
            _lay_flat(one, normals, vertex)
            _lay_flat(two, normals, vertex)
            turned = one[0] * two[0] + one[1] * two[1] + one[2] * two[2]
            angle = np.arccos(min(max(turned, -1.0), 1.0))
            for axis in range(3):
                total[vertex, axis] += laid[axis] * angle


@inlined
def _lay_flat(vector, normals, vertex):
    """Lays a vector into the plane of a vertex's normal, and makes its length 1, or 0 where nothing is left."""
    along = vector[0] * normals[vertex, 0] + vector[1] * normals[vertex, 1] + vector[2] * normals[vertex, 2]
    for axis in range(3):
        vector[axis] -= along * normals[vertex, axis]
    long = np.sqrt(vector[0] ** 2 + vector[1] ** 2 + vector[2] ** 2)
    for axis in range(3):
        vector[axis] = vector[axis] / long if long > 1e-20 else 0.0


@kernel(rows_of="total")
def _to_tangents(begin, end, total, normals, tangents):
    for vertex in range(begin, end):
        x, y, z = total[vertex, 0], total[vertex, 1], total[vertex, 2]
        long = np.sqrt(x * x + y * y + z * z)
        if long <= 1e-20:
            # any direction at right angles to the normal: that of the axis it has least of
            nx, ny, nz = normals[vertex, 0], normals[vertex, 1], normals[vertex, 2]
            ax, ay, az = abs(nx), abs(ny), abs(nz)
            x = y = z = 0.0
            if ax <= ay and ax <= az:
                x = 1.0
            elif ay <= az:
                y = 1.0
            else:
                z = 1.0
            along = x * nx + y * ny + z * nz
            x, y, z = x - along * nx, y - along * ny, z - along * nz
            long = np.sqrt(x * x + y * y + z * z)
        tangents[vertex, 0], tangents[vertex, 1], tangents[vertex, 2] = x / long, y / long, z / long

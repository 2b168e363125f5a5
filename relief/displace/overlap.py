"""Where a surface that is displaced runs into itself: the relief goes deeper than the surface is curved."""

from __future__ import annotations

import numpy as np

from relief.kernels import helper, kernel
from relief.surface.mesh import Mesh
from relief.surface.normals import directions

NEVER = 1e9
"""Times the distances at which a triangle folds that does not."""

EVEN = 0.01
"""Of the square of its middle term: how far below 0 the discriminant of an equation with one root is rounded."""


def find_folds(mesh: Mesh, distances: np.ndarray) -> np.ndarray:
    """How many times as far its corners could move until a triangle folds; what is below 1 has folded.

    A triangle at B(u) moves to B(u) + t d n(u), with one distance d, the mean of its corners: what is asked is whether
    the base is bent too much, not whether the relief is steep. With M(t) the map of its plane that this is, area turns
    where det M(t) = 0, a square equation in t (the offset of a surface folds where 1 + d k = 0 for one of its
    curvatures k; do Carmo 1976, *Differential Geometry of Curves and Surfaces*, from memory).

    Args:
        mesh: before it is displaced.
        distances: float32 (vertices,), mm outward.

    Returns:
        float32 (triangles,), as `Mesh.triangles` has them.
    """
    triangles = mesh.triangles()
    times = np.empty(len(triangles), np.float32)
    _find_folds(mesh.positions, directions(mesh), distances, mesh.corners, triangles, times)
    return times


@helper
def _first_root(first, second):
    """The smallest t above 0 with 1 + first t + second t^2 = 0; `NEVER` where there is none."""
    if abs(second) < 1e-12:
        return -1 / first if first < 0 else NEVER
    inside = first * first - 4 * second
    if inside < -EVEN * first * first:
        return NEVER
    root = np.sqrt(max(inside, 0.0))  # where both curvatures are the same it is 0, but for rounding
    # of the two ways to write a root the one that loses nothing (from memory: Goldberg 1991)
    half = -0.5 * (first + (root if first >= 0 else -root))
    one = half / second
    two = 1 / half if half != 0 else NEVER
    smallest = NEVER
    if one > 0:
        smallest = min(smallest, one)
    if two > 0:
        smallest = min(smallest, two)
    return smallest


@kernel(rows_of="triangles")
def _find_folds(begin, end, positions, towards, distances, corners, triangles, times):
    for number in range(begin, end):
        a, b, c = corners[triangles[number, 0]], corners[triangles[number, 1]], corners[triangles[number, 2]]
        moved = (distances[a] + distances[b] + distances[c]) / 3
        # edges, and how they change with the distance, in the plane of the triangle
        edge, other = np.empty(3), np.empty(3)
        bend, turn = np.empty(3), np.empty(3)
        for axis in range(3):
            edge[axis] = np.float64(positions[b, axis]) - positions[a, axis]
            other[axis] = np.float64(positions[c, axis]) - positions[a, axis]
            bend[axis] = moved * (np.float64(towards[b, axis]) - towards[a, axis])
            turn[axis] = moved * (np.float64(towards[c, axis]) - towards[a, axis])
        nx = edge[1] * other[2] - edge[2] * other[1]
        ny = edge[2] * other[0] - edge[0] * other[2]
        nz = edge[0] * other[1] - edge[1] * other[0]
        area = nx * nx + ny * ny + nz * nz
        if area <= 0:
            times[number] = NEVER
            continue
        # det M(t) = 1 + first t + second t^2, all divided by the area at rest
        px, py = bend[1] * other[2] - bend[2] * other[1], bend[2] * other[0] - bend[0] * other[2]
        pz = bend[0] * other[1] - bend[1] * other[0]
        qx, qy = edge[1] * turn[2] - edge[2] * turn[1], edge[2] * turn[0] - edge[0] * turn[2]
        qz = edge[0] * turn[1] - edge[1] * turn[0]
        rx, ry = bend[1] * turn[2] - bend[2] * turn[1], bend[2] * turn[0] - bend[0] * turn[2]
        rz = bend[0] * turn[1] - bend[1] * turn[0]
        first = ((px + qx) * nx + (py + qy) * ny + (pz + qz) * nz) / area
        second = (rx * nx + ry * ny + rz * nz) / area
        times[number] = _first_root(first, second)

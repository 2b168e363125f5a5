"""Flat subdivision: every face is cut at the middles of its edges, and stays where it is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.surface.edges import find_edges, next_corners
from relief.surface.mesh import Mesh
from relief.surface.normals import to_unit_length


def subdivide_flat(mesh: Mesh, level: int) -> Mesh:
    """The mesh with each triangle and quad cut in four, `level` times; a face of n corners is first cut in n quads."""
    for _ in range(level):
        mesh = _cut(mesh)
    return mesh


def count_flat(mesh: Mesh, highest: int) -> list[tuple[int, int]]:
    """Faces and vertices (at most) that `subdivide_flat` would make at every level up to a highest one."""
    sides = np.diff(mesh.offsets)
    triangles, others = int((sides == 3).sum()), sides[sides > 3]
    counts = [(mesh.faces, len(mesh.positions))]
    edges = len(find_edges(mesh.corners, mesh.offsets).counts)
    vertices, corners = len(mesh.positions) + edges + len(others), int(others.sum())
    edges = 2 * edges + 3 * triangles + corners
    # from here on there are triangles and quads alone
    triangles, quads = 4 * triangles, corners
    for _ in range(highest):
        counts.append((triangles + quads, vertices))
        vertices, edges = vertices + edges + quads, 2 * edges + 3 * triangles + 4 * quads
        triangles, quads = 4 * triangles, 4 * quads
    return counts


def _cut(mesh: Mesh) -> Mesh:
    sides = np.diff(mesh.offsets)
    is_triangle = sides == 3
    pieces = np.where(is_triangle, 4, sides)
    rows = _Rows(mesh, is_triangle)
    positions, corners = rows.cut(mesh.positions, mesh.corners)
    shared = {id(mesh.corners): corners}

    def follow(values: np.ndarray, numbers: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        values, cut = rows.cut(values, numbers)
        return values, shared.get(id(numbers), cut)

    uv, uv_corners = follow(mesh.uv, mesh.uv_corners)
    normals, normal_corners = follow(mesh.normals, mesh.normal_corners)
    return replace(
        mesh,
        positions=positions,
        uv=uv,
        normals=to_unit_length(normals),
        corners=corners,
        uv_corners=uv_corners,
        normal_corners=normal_corners,
        offsets=np.concatenate([[0], np.cumsum(np.repeat(np.where(is_triangle, 3, 4), pieces))]).astype(np.int32),
        parts=np.repeat(mesh.parts, pieces),
        base_faces=np.repeat(mesh.base_faces, pieces),
    )


class _Rows:
    """Where the pieces of each face stand: those at its corners in their order, then what is left in a triangle."""

    def __init__(self, mesh: Mesh, is_triangle: np.ndarray) -> None:
        sides, faces = np.diff(mesh.offsets), mesh.face_of_corners
        self.offsets, self.faces, self.is_triangle = mesh.offsets, faces, is_triangle
        self.of_triangle = is_triangle[faces]
        starts = np.concatenate([[0], np.cumsum(np.where(is_triangle, 12, 4 * sides))])
        self.total = int(starts[-1])
        local = np.arange(len(faces)) - mesh.offsets[faces]
        self.places = starts[faces] + local * np.where(self.of_triangle, 3, 4)
        self.middles = (starts[faces] + 9 + local)[self.of_triangle]
        self.before = np.empty(len(faces), np.int32)
        self.before[next_corners(mesh.offsets)] = np.arange(len(faces), dtype=np.int32)

    def cut(self, values: np.ndarray, numbers: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Values with those halfway along edges and in the middles of faces, and the numbers of the new corners."""
        edges = find_edges(numbers, self.offsets)
        others = ~self.is_triangle
        sums = np.add.reduceat(values[numbers], self.offsets[:-1]) if len(self.is_triangle) else values[:0]
        centres = (sums / np.diff(self.offsets)[:, None])[others]
        # float64 in between, so that the middle of far ends is exact
        halves = values[edges.vertices].mean(axis=1, dtype=np.float64)
        halfway = (len(values) + edges.of_corners).astype(np.int32)
        centre = np.zeros(len(others), np.int32)
        centre[others] = len(values) + len(halves) + np.arange(len(centres), dtype=np.int32)

        cut = np.empty(self.total, np.int32)
        cut[self.places], cut[self.places + 1] = numbers, halfway
        cut[self.places + np.where(self.of_triangle, 2, 3)] = halfway[self.before]
        quads = ~self.of_triangle
        cut[self.places[quads] + 2] = centre[self.faces[quads]]
        cut[self.middles] = halfway[self.of_triangle]
        return np.concatenate([values, halves, centres]).astype(np.float32), cut

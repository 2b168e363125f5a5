"""Subdivision: flat, where every face is cut at the middles of its edges and stays where it is, or smooth."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.surface.edges import find_edges, next_corners
from relief.surface.mesh import Mesh
from relief.surface.normals import find_hard_edges, renew_normals, to_unit_length
from relief.surface.refine import ALWAYS, refine


def subdivide_flat(mesh: Mesh, level: int) -> Mesh:
    """The mesh with each triangle and quad cut in four, `level` times; a face of n corners is first cut in n quads."""
    if not level:
        return mesh
    sides = np.diff(mesh.offsets)
    if (sides == 3).all() or (sides > 3).all():
        return _refine(mesh, level, 0)
    for _ in range(level):
        mesh = _cut(mesh)
    return mesh


def subdivide_smooth(mesh: Mesh, level: int, crease: float = 180) -> Mesh:
    """The mesh cut in four `level` times, its vertices moved to where the smooth surface is nearer.

    Triangles alone are cut by the rule of Loop 1987, other faces by that of Catmull & Clark 1978. Sharp edges follow
    DeRose, Kass & Truong 1998. Places on the maps are cut in the middle, so that they stay where they are at seams.

    Args:
        mesh: any polygons, open or closed. Its creases stay sharp as long as they say, and its open borders always.
        level: how often.
        crease: edges whose faces turn by more, degrees, stay sharp too.
    """
    if not level:
        return mesh
    sharp = find_hard_edges(mesh, crease)
    edges = np.concatenate([mesh.crease_edges, sharp]).astype(np.int32)
    weights = np.concatenate([mesh.crease_weights, np.full(len(sharp), ALWAYS)]).astype(np.float32)
    return renew_normals(_refine(mesh, level, 3, (edges, weights)))


def _refine(mesh: Mesh, level: int, moved: int, creases: tuple[np.ndarray, np.ndarray] | None = None) -> Mesh:
    """The mesh cut in four; `moved` is 3 where its positions follow the smooth surface, and 0 where they stay."""
    sides = np.diff(mesh.offsets)
    lists = {"positions": mesh.corners, "uv": mesh.uv_corners, "normals": mesh.normal_corners}
    made: dict[int, np.ndarray] = {}
    values: dict[str, np.ndarray] = {}
    for numbers in lists.values():
        if id(numbers) in made:
            continue
        # what has the same numbers is cut in one go
        names = [name for name, other in lists.items() if other is numbers]
        columns = [getattr(mesh, name) for name in names]
        first = moved if "positions" in names else 0
        cut, made[id(numbers)] = refine(
            numbers, mesh.offsets, np.concatenate(columns, axis=1), level, first, creases if first else None
        )
        ends = np.cumsum([part.shape[1] for part in columns])[:-1]
        values |= zip(names, (np.ascontiguousarray(part) for part in np.split(cut, ends, axis=1)), strict=True)
    triangles = bool((sides == 3).all())
    pieces = np.where(triangles, 4, sides) * 4 ** (level - 1)
    return replace(
        mesh,
        positions=values["positions"],
        uv=values["uv"],
        normals=to_unit_length(values["normals"]),
        corners=made[id(mesh.corners)],
        uv_corners=made[id(mesh.uv_corners)],
        normal_corners=made[id(mesh.normal_corners)],
        offsets=np.arange(0, int(pieces.sum()) * (3 if triangles else 4) + 1, 3 if triangles else 4, dtype=np.int32),
        parts=np.repeat(mesh.parts, pieces),
        base_faces=np.repeat(mesh.base_faces, pieces),
        crease_edges=np.zeros((0, 2), np.int32),
        crease_weights=np.zeros(0, np.float32),
    )


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


def count_smooth(mesh: Mesh, highest: int) -> list[tuple[int, int]]:
    """Faces and vertices (at most) that `subdivide_smooth` would make at every level up to a highest one."""
    sides = np.diff(mesh.offsets)
    if (sides == 3).all():
        return count_flat(mesh, highest)
    edges = len(find_edges(mesh.corners, mesh.offsets).counts)
    counts = [(mesh.faces, len(mesh.positions))]
    vertices, quads = len(mesh.positions) + edges + mesh.faces, len(mesh.corners)
    edges = 2 * edges + quads
    for _ in range(highest):
        counts.append((quads, vertices))
        vertices, edges, quads = vertices + edges + quads, 2 * edges + 4 * quads, 4 * quads
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

"""Triangles cut at the middles of some of their edges, so that no vertex lies on an edge of another.

Whatever edge is cut, the longest of each triangle that it belongs to is cut with it (M. C. Rivara 1984, International
Journal for Numerical Methods in Engineering 20): so angles never get much smaller than they were.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from relief.kernels import inlined, kernel, serial_kernel
from relief.surface.edges import Edges, find_edges
from relief.surface.mesh import Mesh


@dataclass(frozen=True)
class Cut:
    """What cutting did.

    Attributes:
        parents: int32 (triangles,), the triangle that each was cut from.
        halved: int8 (triangles,), how often it was halved on the way; 0 for one that is as it was.
        numbers: for each list of numbers that the mesh has, by its id, the numbers of the new corners.
        added: for each, the pairs of numbers that new ones lie between, int32 (new, 2), and a corner of theirs.
    """

    parents: np.ndarray
    halved: np.ndarray
    numbers: dict[int, np.ndarray]
    added: dict[int, tuple[np.ndarray, np.ndarray]]


def find_longest(positions: np.ndarray, edges: Edges) -> np.ndarray:
    """Which edge of each triangle is the longest, of equal ones that with the higher number: int8 (triangles,)."""
    lengths = np.empty(len(edges.vertices))
    _measure_edges(positions, edges.vertices, lengths)
    longest = np.empty(len(edges.of_corners) // 3, np.int8)
    _find_longest(edges.of_corners.reshape(-1, 3), lengths, longest)
    return longest


def close_marks(marked: np.ndarray, edges: Edges, longest: np.ndarray) -> np.ndarray:
    """The edges to cut with those that have to be cut with them: bool (edges,)."""
    marked = marked.copy()
    _close(edges.of_corners.reshape(-1, 3), longest, marked)
    return marked


def count_after(marked: np.ndarray, edges: Edges) -> int:
    """How many triangles there are once the edges are cut; marks are closed."""
    return len(edges.of_corners) // 3 + int(edges.counts[marked].sum())


def cut_triangles(mesh: Mesh, edges: Edges, longest: np.ndarray, marked: np.ndarray) -> Cut:
    """Cuts a mesh of triangles at edges whose marks are closed."""
    of_corners = edges.of_corners.reshape(-1, 3)
    counts = 1 + marked[of_corners].sum(axis=1)
    starts = np.concatenate([[0], np.cumsum(counts)])
    total = int(starts[-1])
    parents, halved = np.empty(total, np.int32), np.empty(total, np.int8)
    slots = np.empty((total, 3), np.int8)
    _emit(of_corners, longest, marked, starts, parents, halved, slots)
    numbers, added = {}, {}
    lists = ((mesh.corners, mesh.positions), (mesh.uv_corners, mesh.uv), (mesh.normal_corners, mesh.normals))
    for each, values in lists:
        if id(each) not in numbers:
            if each is mesh.corners:
                halfway, between = _number_edges(each, edges, marked, len(values))
            else:
                halfway, between = _number_halves(each, marked[edges.of_corners], len(values))
            made = np.empty((total, 3), np.int32)
            _take(each.reshape(-1, 3), halfway.reshape(-1, 3), longest, parents, slots, made)
            numbers[id(each)], added[id(each)] = made.reshape(-1), between
    return Cut(parents, halved, numbers, added)


def _number_edges(
    corners: np.ndarray, edges: Edges, marked: np.ndarray, first: int
) -> tuple[np.ndarray, tuple[np.ndarray, np.ndarray]]:
    """The number of the vertex halfway along the edge from each corner, or -1; and what new ones lie between.

    `first` is the first new number.
    """
    rank = np.full(len(marked), -1, np.int32)
    rank[marked] = first + np.arange(int(marked.sum()), dtype=np.int32)
    corner_of = np.empty(len(marked), np.int32)
    corner_of[edges.of_corners[::-1]] = np.arange(len(corners), dtype=np.int32)[::-1]
    return rank[edges.of_corners], (edges.vertices[marked], corner_of[marked])


def _number_halves(
    numbers: np.ndarray, cut: np.ndarray, first: int
) -> tuple[np.ndarray, tuple[np.ndarray, np.ndarray]]:
    """As `_number_edges`, for a list whose numbers differ on the two sides of a seam."""
    triangles = numbers.reshape(-1, 3)
    following = np.roll(triangles, -1, axis=1).reshape(-1)
    chosen = np.flatnonzero(cut)
    one, other = numbers[chosen].astype(np.int64), following[chosen].astype(np.int64)
    keys = (np.minimum(one, other) << 32) | np.maximum(one, other)
    kinds, at, inverse = np.unique(keys, return_index=True, return_inverse=True)
    halfway = np.full(len(numbers), -1, np.int32)
    halfway[chosen] = first + inverse.reshape(-1)
    between = np.stack([kinds >> 32, kinds & 0xFFFFFFFF], axis=1).astype(np.int32)
    return halfway, (between, chosen[at].astype(np.int32))


def after_cut(mesh: Mesh, cut: Cut, values: dict[str, np.ndarray]) -> Mesh:
    """The mesh with its triangles cut, and the `positions`, `uv` and `normals` that it has then."""
    return replace(
        mesh,
        positions=values["positions"],
        uv=values["uv"],
        normals=values["normals"],
        corners=cut.numbers[id(mesh.corners)],
        uv_corners=cut.numbers[id(mesh.uv_corners)],
        normal_corners=cut.numbers[id(mesh.normal_corners)],
        offsets=np.arange(0, 3 * len(cut.parents) + 1, 3, dtype=np.int32),
        parts=mesh.parts[cut.parents],
        base_faces=mesh.base_faces[cut.parents],
    )


def as_triangles(mesh: Mesh) -> Mesh:
    """The mesh with its faces cut in triangles, without new vertices."""
    if (np.diff(mesh.offsets) == 3).all():
        return mesh
    faces = mesh.face_of_triangles()
    return mesh.with_corners(mesh.triangles().reshape(-1), np.full(len(faces), 3), faces)


def edges_of(mesh: Mesh) -> Edges:
    """The edges of a mesh of triangles."""
    return find_edges(mesh.corners, mesh.offsets)


@kernel(rows_of="vertices")
def _measure_edges(begin, end, positions, vertices, squares):
    for edge in range(begin, end):
        one, other = vertices[edge]
        total = 0.0
        for axis in range(3):
            total += (np.float64(positions[other, axis]) - np.float64(positions[one, axis])) ** 2
        squares[edge] = total


@kernel(rows_of="edges")
def _find_longest(begin, end, edges, lengths, longest):
    for triangle in range(begin, end):
        best = 0
        for side in range(1, 3):
            edge, other = edges[triangle, side], edges[triangle, best]
            if lengths[edge] > lengths[other] or (lengths[edge] == lengths[other] and edge > other):
                best = side
        longest[triangle] = best


@serial_kernel
def _close(edges, longest, marked):
    changed = True
    while changed:
        changed = False
        for triangle in range(len(edges)):
            far = edges[triangle, longest[triangle]]
            if not marked[far] and (
                marked[edges[triangle, 0]] or marked[edges[triangle, 1]] or marked[edges[triangle, 2]]
            ):
                marked[far] = True
                changed = True


@kernel(rows_of="edges")
def _emit(begin, end, edges, longest, marked, starts, parents, halved, slots):
    """The pieces of each triangle, in corners of their own: 0 to 2 are its corners, counted from the one that its
    longest edge begins at; 3 to 5 the middles of the edges from these on."""
    for triangle in range(begin, end):
        to = starts[triangle]
        first = longest[triangle]
        after = marked[edges[triangle, (first + 1) % 3]]
        before = marked[edges[triangle, (first + 2) % 3]]
        for place in range(to, starts[triangle + 1]):
            parents[place] = triangle
        if not marked[edges[triangle, first]]:
            # as it was: its corners in their own order
            halved[to] = 0
            for corner in range(3):
                slots[to, corner] = (corner + 3 - first) % 3
            continue
        if before:
            _put(slots, halved, to, 0, 3, 5, 2)
            _put(slots, halved, to + 1, 5, 3, 2, 2)
            to += 2
        else:
            _put(slots, halved, to, 0, 3, 2, 1)
            to += 1
        if after:
            _put(slots, halved, to, 3, 1, 4, 2)
            _put(slots, halved, to + 1, 3, 4, 2, 2)
        else:
            _put(slots, halved, to, 3, 1, 2, 1)


@inlined
def _put(slots, halved, place, one, two, three, times):
    slots[place, 0], slots[place, 1], slots[place, 2] = one, two, three
    halved[place] = times


@kernel(rows_of="parents")
def _take(begin, end, numbers, halfway, longest, parents, slots, made):
    for triangle in range(begin, end):
        parent = parents[triangle]
        for corner in range(3):
            slot = slots[triangle, corner]
            side = (slot + longest[parent]) % 3
            made[triangle, corner] = numbers[parent, side] if slot < 3 else halfway[parent, side]

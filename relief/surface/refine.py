"""Nets of faces that are cut in four again and again: what hangs together after a cut follows from what did before."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from relief.kernels import helper, kernel, serial_kernel
from relief.surface.edges import find_edges, next_corners

ALWAYS = np.float32(np.inf)
"""The sharpness of an edge that stays sharp at every level."""


class Net(NamedTuple):
    """Faces with three, or all with four, corners each, and how they hang together.

    Attributes:
        corners: int32 (faces, sides), the vertex of each corner.
        edges: int32 (faces, sides), the edge from each corner to the next one.
        ends: int32 (edges, 2), the vertices of each edge.
        faces: int32 (edges, 2), the faces at its two sides; -1 where there is none.
        sharp: float32 (edges,), for how many levels each stays sharp.
    """

    corners: np.ndarray
    edges: np.ndarray
    ends: np.ndarray
    faces: np.ndarray
    sharp: np.ndarray


def refine(
    numbers: np.ndarray,
    offsets: np.ndarray,
    values: np.ndarray,
    level: int,
    moved: int = 0,
    creases: tuple[np.ndarray, np.ndarray] | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """Values at the vertices of faces that are cut in four, `level` times.

    Where all faces are triangles each becomes four triangles; otherwise a face of n corners becomes n quads first.

    Args:
        numbers: int32 (corners,), the vertex of each corner.
        offsets: int32 (faces + 1,), where the corners of each face begin.
        values: float32 (vertices, n).
        level: how often, at least once.
        moved: how many of the first columns go where the smooth surface is, by the rule of Loop 1987 for triangles and
            otherwise of Catmull & Clark 1978; the others are halfway between what they were cut from.
        creases: edges that stay sharp, int32 (creases, 2), and for how many levels, float32 (creases,). Open borders
            always do, and a border's corner that belongs to one face alone stays where it is.

    Returns:
        float32 (new vertices, n), the old ones first; and int32 (new corners,), face by face in their old order.
    """
    values = np.ascontiguousarray(values, np.float32)
    if (np.diff(offsets) == 3).all():
        net = _tie(numbers.reshape(-1, 3), _sharpness(numbers, offsets, creases))
    else:
        values, net = _cut_to_quads(numbers, offsets, values, moved, _sharpness(numbers, offsets, creases))
        level -= 1
    for _ in range(level):
        values, net = _cut(values, net, moved)
    return values, net.corners.reshape(-1)


def _sharpness(numbers: np.ndarray, offsets: np.ndarray, creases: tuple[np.ndarray, np.ndarray] | None) -> np.ndarray:
    """How sharp each edge is, in the order of `find_edges`: float32 (edges,)."""
    edges = find_edges(numbers, offsets)
    # borders are, and edges where more than two faces meet
    sharp = np.where(edges.counts == 2, np.float32(0), ALWAYS)
    if creases is not None and len(creases[0]):
        low, high = np.sort(creases[0], axis=1).T.astype(np.int64)
        keys = (edges.vertices[:, 0].astype(np.int64) << 32) | edges.vertices[:, 1]
        wanted = (low << 32) | high
        at = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
        known = keys[at] == wanted
        np.maximum.at(sharp, at[known], creases[1][known])
    return sharp.astype(np.float32)


def _tie(corners: np.ndarray, sharp: np.ndarray) -> Net:
    """The net of faces (faces, sides): which edges and which other faces belong to each."""
    faces, sides = corners.shape
    edges = find_edges(corners.reshape(-1), np.arange(0, corners.size + 1, sides, dtype=np.int32))
    of_corners = np.repeat(np.arange(faces, dtype=np.int32), sides)
    at_sides = _faces_at(edges.of_corners, of_corners, len(edges.counts))
    return Net(np.ascontiguousarray(corners), edges.of_corners.reshape(faces, sides), edges.vertices, at_sides, sharp)


def _faces_at(edge_of_corners: np.ndarray, face_of_corners: np.ndarray, count: int) -> np.ndarray:
    """The first two faces at each edge, -1 where there is none: int32 (count, 2)."""
    at_sides = np.full((count, 2), -1, np.int32)
    _put_faces(edge_of_corners, face_of_corners, at_sides)
    return at_sides


def _cut_to_quads(
    numbers: np.ndarray, offsets: np.ndarray, values: np.ndarray, moved: int, sharp: np.ndarray
) -> tuple[np.ndarray, Net]:
    """The first cut: a face of n corners becomes n quads."""
    sides = np.diff(offsets)
    faces = np.repeat(np.arange(len(sides), dtype=np.int32), sides)
    edges = find_edges(numbers, offsets)
    count, many = len(values), len(edges.counts)
    sums = np.add.reduceat(values[numbers], offsets[:-1], axis=0, dtype=np.float64)
    centres = (sums / sides[:, None]).astype(np.float32)
    at_sides = _faces_at(edges.of_corners, faces, many)
    out = _move(values, centres, numbers, faces, edges.vertices, at_sides, sharp, moved)
    before = np.empty(len(faces), np.int32)
    before[next_corners(offsets)] = np.arange(len(faces), dtype=np.int32)
    halfway = count + edges.of_corners
    quads = np.stack([numbers, halfway, count + many + faces, halfway[before]], axis=1).astype(np.int32)
    # of the new edges those with an old vertex are halves of an old edge
    new = find_edges(quads.reshape(-1), np.arange(0, quads.size + 1, 4, dtype=np.int32))
    halves = new.vertices[:, 0] < count
    left = np.zeros(len(halves), np.float32)
    left[halves] = np.maximum(sharp - 1, 0)[new.vertices[halves, 1] - count]
    return out, _tie(quads, left)


def _cut(values: np.ndarray, net: Net, moved: int) -> tuple[np.ndarray, Net]:
    """One cut of faces that all have three, or all four, sides."""
    faces, sides = net.corners.shape
    count, many = len(values), len(net.ends)
    of_corners = np.repeat(np.arange(faces, dtype=np.int32), sides)
    if sides == 4:
        centres = np.empty((faces, values.shape[1]), np.float32)
        _average(values, net.corners, centres)
        out = _move(values, centres, net.corners.reshape(-1), of_corners, net.ends, net.faces, net.sharp, moved)
    else:
        out = np.empty((count + many, values.shape[1]), np.float32)
        _move_by_loop(values, net.corners, net.ends, net.faces, net.sharp, moved, out)
    inner = faces * sides
    after = Net(
        np.empty((4 * faces, sides), np.int32),
        np.empty((4 * faces, sides), np.int32),
        np.empty((2 * many + inner, 2), np.int32),
        np.full((2 * many + inner, 2), -1, np.int32),
        np.zeros(2 * many + inner, np.float32),
    )
    connect = _connect_quads if sides == 4 else _connect_triangles
    _halve(net.ends, net.sharp, count, after.ends, after.sharp)
    connect(*net[:4], count, *after[:4])
    return out, after


def _move(
    values: np.ndarray,
    centres: np.ndarray,
    numbers: np.ndarray,
    faces: np.ndarray,
    ends: np.ndarray,
    at_sides: np.ndarray,
    sharp: np.ndarray,
    moved: int,
) -> np.ndarray:
    """Values of old vertices, of edges and of faces after a cut by the rule of Catmull and Clark."""
    count, many = len(values), len(ends)
    out = np.empty((count + many + len(centres), values.shape[1]), np.float32)
    out[count + many :] = centres
    _halve_edges(values, centres, ends, at_sides, sharp, moved, out)
    out[:count, moved:] = values[:, moved:]
    if moved:
        sums = np.zeros((count, moved), np.float32)
        _add_centres(centres, numbers, faces, sums)
        _settle(values, ends, at_sides, sharp, sums, np.bincount(numbers, minlength=count), moved, out)
    return out


@serial_kernel
def _put_faces(edge_of_corners, face_of_corners, at_sides):
    for corner in range(len(edge_of_corners)):
        edge = edge_of_corners[corner]
        if at_sides[edge, 0] < 0:
            at_sides[edge, 0] = face_of_corners[corner]
        elif at_sides[edge, 1] < 0:
            at_sides[edge, 1] = face_of_corners[corner]


@kernel(rows_of="corners")
def _average(begin, end, values, corners, centres):
    for face in range(begin, end):
        for column in range(values.shape[1]):
            total = np.float32(0)
            for corner in range(corners.shape[1]):
                total += values[corners[face, corner], column]
            centres[face, column] = total / np.float32(corners.shape[1])


@kernel(rows_of="ends")
def _halve_edges(begin, end, values, centres, ends, at_sides, sharp, moved, out):
    count = len(values)
    for edge in range(begin, end):
        one, other = ends[edge]
        soft = max(np.float32(0), np.float32(1) - sharp[edge])
        for column in range(values.shape[1]):
            halfway = (values[one, column] + values[other, column]) / 2
            if column < moved and soft > 0:
                beside = (centres[at_sides[edge, 0], column] + centres[at_sides[edge, 1], column]) / 2
                halfway += soft * (beside - halfway) / 2
            out[count + edge, column] = halfway


@serial_kernel
def _add_centres(centres, numbers, faces, sums):
    for corner in range(len(numbers)):
        for column in range(sums.shape[1]):
            sums[numbers[corner], column] += centres[faces[corner], column]


@serial_kernel
def _settle(values, ends, at_sides, sharp, sums, faces_at, moved, out):
    """Puts the old vertices where they belong; `sums` are of the middles of the faces around each."""
    count = len(values)
    around, along, valence, creases, sharpness = _gather_neighbours(values, ends, sharp, moved)
    for vertex in range(count):
        n = valence[vertex]
        held = _hold(creases[vertex], sharpness[vertex], faces_at[vertex])
        for column in range(moved):
            old = values[vertex, column]
            soft = old
            if n > 0 and held < 1:
                # the mean of the faces, twice that of the edges' middles, and n - 3 times the vertex: all over n
                soft = (sums[vertex, column] + around[vertex, column]) / (n * n) + old * (n - 2) / n
            firm = _firm(old, along[vertex, column], creases[vertex], faces_at[vertex])
            out[vertex, column] = soft + held * (firm - soft)


@serial_kernel
def _move_by_loop(values, corners, ends, at_sides, sharp, moved, out):
    count, columns = values.shape
    around, along, valence, creases, sharpness = _gather_neighbours(values, ends, sharp, moved)
    faces_at = np.zeros(count, np.int32)
    for face in range(len(corners)):
        for corner in range(3):
            faces_at[corners[face, corner]] += 1
    for edge in range(len(ends)):
        one, other = ends[edge]
        soft = max(np.float32(0), np.float32(1) - sharp[edge])
        for column in range(columns):
            halfway = (values[one, column] + values[other, column]) / 2
            if column < moved and soft > 0:
                apart = np.float32(0)
                for side in range(2):
                    face = at_sides[edge, side]
                    for corner in range(3):
                        vertex = corners[face, corner]
                        if vertex != one and vertex != other:
                            apart += values[vertex, column]
                halfway += soft * (apart / 2 - halfway) / 4
            out[count + edge, column] = halfway
    for vertex in range(count):
        n = valence[vertex]
        weight = np.float32(0)
        if n > 0:
            cosine = 0.375 + 0.25 * np.cos(2 * np.pi / n)
            weight = np.float32((0.625 - cosine * cosine) / n)
        held = _hold(creases[vertex], sharpness[vertex], faces_at[vertex])
        for column in range(columns):
            old = values[vertex, column]
            if column >= moved:
                out[vertex, column] = old
                continue
            soft = old + weight * (around[vertex, column] - n * old)
            firm = _firm(old, along[vertex, column], creases[vertex], faces_at[vertex])
            out[vertex, column] = soft + held * (firm - soft)


@helper
def _gather_neighbours(values, ends, sharp, moved):
    """Of each vertex the sums over its neighbours, and over those along sharp edges; how many of each, how sharp."""
    count = len(values)
    around = np.zeros((count, moved), np.float32)
    along = np.zeros((count, moved), np.float32)
    valence, creases = np.zeros(count, np.int32), np.zeros(count, np.int32)
    sharpness = np.zeros(count, np.float32)
    for edge in range(len(ends)):
        for side in range(2):
            here, there = ends[edge, side], ends[edge, 1 - side]
            valence[here] += 1
            for column in range(moved):
                around[here, column] += values[there, column]
            if sharp[edge] > 0:
                creases[here] += 1
                sharpness[here] += sharp[edge]
                for column in range(moved):
                    along[here, column] += values[there, column]
    return around, along, valence, creases, sharpness


@helper
def _firm(old, along, creases, faces):
    """Where sharp edges hold a vertex: two on the curve along them, more, or a corner of a border, where it is."""
    return (along + 6 * old) / 8 if creases == 2 and faces > 1 else old


@helper
def _hold(creases, sharpness, faces):
    """How firmly a vertex is held by its sharp edges, 0 to 1: by two it stays on their line, by more where it is."""
    if faces <= 1:
        return np.float32(1)
    if creases < 2:
        return np.float32(0)
    return min(np.float32(1), sharpness / np.float32(creases))


@kernel(rows_of="ends")
def _halve(begin, end, ends, sharp, count, new_ends, new_sharp):
    """Each edge becomes two that meet in its middle."""
    for edge in range(begin, end):
        for half in range(2):
            new_ends[2 * edge + half, 0] = ends[edge, half]
            new_ends[2 * edge + half, 1] = count + edge
            new_sharp[2 * edge + half] = max(sharp[edge] - np.float32(1), np.float32(0))


@kernel(rows_of="corners")
def _connect_quads(begin, end, corners, edges, ends, at_sides, count, new, new_edges, new_ends, new_at_sides):
    """Each quad becomes one at each of its corners; inner edges run from the middles of its edges to its own."""
    many = len(ends)
    for face in range(begin, end):
        for i in range(4):
            before = (i + 3) % 4
            vertex, edge, last = corners[face, i], edges[face, i], edges[face, before]
            child, inner = 4 * face + i, 2 * many + 4 * face
            half, other = 2 * edge + (ends[edge, 0] != vertex), 2 * last + (ends[last, 0] != vertex)
            new[child, 0], new[child, 1] = vertex, count + edge
            new[child, 2], new[child, 3] = count + many + face, count + last
            new_edges[child, 0], new_edges[child, 1] = half, inner + i
            new_edges[child, 2], new_edges[child, 3] = inner + before, other
            new_ends[inner + i, 0], new_ends[inner + i, 1] = count + edge, count + many + face
            new_at_sides[inner + i, 0], new_at_sides[inner + i, 1] = child, 4 * face + (i + 1) % 4
            new_at_sides[half, 0 if at_sides[edge, 0] == face else 1] = child
            new_at_sides[other, 0 if at_sides[last, 0] == face else 1] = child


@kernel(rows_of="corners")
def _connect_triangles(begin, end, corners, edges, ends, at_sides, count, new, new_edges, new_ends, new_at_sides):
    """Each triangle becomes one at each of its corners and one in the middle; inner edges cut its corners off."""
    many = len(ends)
    for face in range(begin, end):
        middle = 4 * face + 3
        for i in range(3):
            before = (i + 2) % 3
            vertex, edge, last = corners[face, i], edges[face, i], edges[face, before]
            child, inner = 4 * face + i, 2 * many + 3 * face
            half, other = 2 * edge + (ends[edge, 0] != vertex), 2 * last + (ends[last, 0] != vertex)
            new[child, 0], new[child, 1], new[child, 2] = vertex, count + edge, count + last
            new_edges[child, 0], new_edges[child, 1], new_edges[child, 2] = half, inner + i, other
            new[middle, i], new_edges[middle, i] = count + edge, inner + (i + 1) % 3
            new_ends[inner + i, 0], new_ends[inner + i, 1] = count + edge, count + last
            new_at_sides[inner + i, 0], new_at_sides[inner + i, 1] = child, middle
            new_at_sides[half, 0 if at_sides[edge, 0] == face else 1] = child
            new_at_sides[other, 0 if at_sides[last, 0] == face else 1] = child

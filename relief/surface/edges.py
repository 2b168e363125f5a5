"""The edges of a mesh: where two faces meet, and where one ends."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from relief.kernels import serial_kernel


class Edges(NamedTuple):
    """Edges between vertices.

    Attributes:
        vertices: int32 (edges, 2), the lower number first.
        of_corners: int32 (corners,), the edge from each corner to the next one of its face.
        counts: int64 (edges,), how many faces each belongs to: 1 at a border, 2 within, more where it is non-manifold.
        pairs: int32 (inner, 2), of the edges with two faces the corners they begin at, one in each face.
        turned: bool (inner,), whether both faces run along the edge the same way, so that one of them is reversed.
    """

    vertices: np.ndarray
    of_corners: np.ndarray
    counts: np.ndarray
    pairs: np.ndarray
    turned: np.ndarray


def find_edges(corners: np.ndarray, offsets: np.ndarray) -> Edges:
    """The edges of faces, each given once, in the order of their lower and then their higher vertex."""
    following = next_corners(offsets)
    count = int(corners.max(initial=-1)) + 1
    corners = np.ascontiguousarray(corners, np.int32)
    of_corners = np.empty(len(corners), np.int32)
    ends = corners, corners[following]
    # by the higher end first: those of the same lower end then stay in that order
    by_high = _sort_by(np.maximum(*ends), np.arange(len(corners), dtype=np.int32), count)
    in_order = _sort_by(np.minimum(*ends), by_high, count)
    edges = _number_edges(corners, following, in_order, of_corners)
    vertices, counts = np.empty((edges, 2), np.int32), np.zeros(edges, np.int64)
    pairs, turned = np.empty((edges, 2), np.int32), np.empty(edges, bool)
    inner = _describe_edges(corners, following, in_order, of_corners, vertices, counts, pairs, turned)
    return Edges(vertices, of_corners, counts, pairs[:inner], turned[:inner])


@serial_kernel
def _sort_by(keys, before, count):
    """Numbers in the order of their keys below `count`, those of the same key as they were before: a counting sort."""
    starts = np.zeros(count + 1, np.int64)
    for key in keys:
        starts[key + 1] += 1
    for key in range(count):
        starts[key + 1] += starts[key]
    after = np.empty_like(before)
    for number in before:
        key = keys[number]
        after[starts[key]] = number
        starts[key] += 1
    return after


@serial_kernel
def _number_edges(corners, following, in_order, of_corners):
    """Numbers the edges that corners in the order of their ends begin; gives how many there are."""
    edges = 0
    last_low, last_high = -1, -1
    for corner in in_order:
        one, other = corners[corner], corners[following[corner]]
        low, high = min(one, other), max(one, other)
        if low != last_low or high != last_high:
            edges += 1
            last_low, last_high = low, high
        of_corners[corner] = edges - 1
    return edges


@serial_kernel
def _describe_edges(corners, following, in_order, of_corners, vertices, counts, pairs, turned):
    """Fills what is known of each edge; gives how many have two faces."""
    inner = 0
    first = 0
    while first < len(in_order):
        corner = in_order[first]
        edge = of_corners[corner]
        last = first + 1
        while last < len(in_order) and of_corners[in_order[last]] == edge:
            last += 1
        one, other = corners[corner], corners[following[corner]]
        vertices[edge, 0], vertices[edge, 1] = min(one, other), max(one, other)
        counts[edge] = last - first
        if last - first == 2:
            pairs[inner, 0], pairs[inner, 1] = corner, in_order[first + 1]
            turned[inner] = one == corners[in_order[first + 1]]
            inner += 1
        first = last
    return inner


def next_corners(offsets: np.ndarray) -> np.ndarray:
    """For each corner the next one of its face: int32 (corners,)."""
    following = np.arange(1, offsets[-1] + 1, dtype=np.int32)
    following[offsets[1:] - 1] = offsets[:-1]
    return following


def corners_across(edges: Edges, offsets: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """The corners at both ends of each edge with two faces: int32 (inner,) each.

    Returns:
        Where it begins and ends in the first face, and the corners of the second one at the same two vertices.
    """
    following = next_corners(offsets)
    one, other = edges.pairs[:, 0], edges.pairs[:, 1]
    # where the faces agree, the edge runs the other way in the second one
    begin = np.where(edges.turned, other, following[other])
    end = np.where(edges.turned, following[other], other)
    return one, following[one], begin, end


def fan_out(offsets: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The triangles that make up faces, each face a fan from its first corner.

    Returns:
        Their corners, int32 (triangles, 3), and the face that each is part of, int32 (triangles,).
    """
    counts = np.diff(offsets) - 2
    faces = np.repeat(np.arange(len(counts), dtype=np.int32), counts)
    second = np.arange(len(faces)) - np.repeat(np.cumsum(counts) - counts, counts) + 1
    first = np.repeat(offsets[:-1], counts)
    return np.stack([first, first + second, first + second + 1], axis=1).astype(np.int32), faces

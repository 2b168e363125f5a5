"""The edges of a mesh: where two faces meet, and where one ends."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np


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
    """The edges of faces, each given once."""
    following = next_corners(offsets)
    begin, end = corners.astype(np.int64), corners[following].astype(np.int64)
    low, high = np.minimum(begin, end), np.maximum(begin, end)
    keys = (low << 32) | high
    order = np.argsort(keys, kind="stable")
    in_order = keys[order]
    first = np.ones(len(keys), bool)
    first[1:] = in_order[1:] != in_order[:-1]
    number = np.cumsum(first) - 1
    of_corners = np.empty(len(keys), np.int32)
    of_corners[order] = number
    firsts = np.flatnonzero(first)
    counts = np.diff(np.append(firsts, len(keys)))
    inner = firsts[counts == 2]
    pairs = np.stack([order[inner], order[inner + 1]], axis=1).astype(np.int32)
    vertices = np.stack([low[order[firsts]], high[order[firsts]]], axis=1).astype(np.int32)
    return Edges(vertices, of_corners, counts, pairs, begin[pairs[:, 0]] == begin[pairs[:, 1]])


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

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
    following = np.arange(1, len(corners) + 1)
    following[offsets[1:] - 1] = offsets[:-1]
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

"""Faces that look the wrong way: found, and turned so that all look outward."""

from __future__ import annotations

import numpy as np
import scipy

from relief.surface.edges import Edges, fan_out


def find_reversed(positions: np.ndarray, corners: np.ndarray, offsets: np.ndarray, edges: Edges) -> np.ndarray:
    """The faces that look inward: bool (faces,).

    Faces that meet at an edge are made to look the same way, piece by piece. A piece then looks outward when it
    encloses a positive volume (the divergence theorem); one that is open is measured from its own middle, which tells
    for what bulges. A flat piece keeps the way that most of its area looks.

    Args:
        positions: float64 (vertices, 3).
        corners, offsets: the faces.
        edges: their edges.
    """
    count = len(offsets) - 1
    faces = np.repeat(np.arange(count), np.diff(offsets))
    one, other = faces[edges.pairs[:, 0]], faces[edges.pairs[:, 1]]
    apart = one != other
    one, other, turned = one[apart], other[apart], edges.turned[apart]
    links = scipy.sparse.coo_array((np.ones(len(one), np.int8), (one, other)), shape=(count, count))
    pieces, piece_of = scipy.sparse.csgraph.connected_components(links, directed=False)
    parity = _parities(count, one, other, turned, piece_of)

    # from the middle of each piece
    weight = np.bincount(piece_of[faces], minlength=pieces)
    middles = np.stack(
        [np.bincount(piece_of[faces], positions[corners, axis], pieces) / np.maximum(weight, 1) for axis in range(3)],
        axis=1,
    )
    points = positions[corners] - middles[piece_of[faces]]
    volumes, areas = _measure(points, offsets, count)
    sign = 1 - 2 * parity
    volume = np.bincount(piece_of, volumes * sign, pieces)
    size = np.bincount(piece_of, areas, pieces)
    flat = np.abs(volume) < 1e-9 * size**1.5
    most = np.bincount(piece_of, areas * sign, pieces)
    inward = np.where(flat, most < 0, volume < 0)
    return (parity == 1) ^ inward[piece_of]


def _parities(count: int, one: np.ndarray, other: np.ndarray, turned: np.ndarray, piece_of: np.ndarray) -> np.ndarray:
    """For each face 1 when it has to be turned to look as the first face of its piece does, else 0."""
    _, roots = np.unique(piece_of, return_index=True)
    # an extra face that touches one of each piece, so that a single walk reaches all
    rows = np.concatenate([one, other, np.full(len(roots), count), roots])
    columns = np.concatenate([other, one, roots, np.full(len(roots), count)])
    values = np.concatenate([turned + 1, turned + 1, np.ones(len(roots)), np.ones(len(roots))]).astype(np.int8)
    order = np.lexsort((columns, rows))
    rows, columns, values = rows[order], columns[order], values[order]
    first = np.ones(len(rows), bool)
    first[1:] = (rows[1:] != rows[:-1]) | (columns[1:] != columns[:-1])
    graph = scipy.sparse.coo_array((values[first], (rows[first], columns[first])), shape=(count + 1, count + 1)).tocsr()
    walk, before = scipy.sparse.csgraph.breadth_first_order(graph, count, directed=False)
    steps = np.zeros(count + 1, np.int8)
    keys = rows[first] * (count + 1) + columns[first]
    wanted = before[walk[1:]].astype(np.int64) * (count + 1) + walk[1:]
    steps[walk[1:]] = values[first][np.searchsorted(keys, wanted)] - 1
    parity = steps.copy()
    for face, came_from in zip(walk[1:].tolist(), before[walk[1:]].tolist(), strict=True):
        parity[face] = steps[face] ^ parity[came_from]
    return parity[:count]


def _measure(points: np.ndarray, offsets: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Of each face six times the volume under it towards the middle, and twice its area: float64 (faces,)."""
    triangles, face = fan_out(offsets)
    a, b, c = (points[triangles[:, corner]] for corner in range(3))
    across = np.cross(b - a, c - a)
    volumes = np.bincount(face, np.einsum("ij,ij->i", a, across), count)
    areas = np.bincount(face, np.linalg.norm(across, axis=1), count)
    return volumes, areas

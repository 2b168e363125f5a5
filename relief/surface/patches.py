"""Shapes are made of patches: grids of quads on their true surface, joined where their borders meet."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from relief.surface.mesh import Mesh, Part

Place = Callable[[np.ndarray, np.ndarray], tuple[np.ndarray, np.ndarray, np.ndarray]]
"""Positions, normals, both (..., 3), and own uv (..., 2) where two parameters from 0 to 1 lead; all float64."""


@dataclass(frozen=True)
class Patch:
    """A grid on a surface.

    Attributes:
        part: the part of the shape it is, and its own size.
        across, down: quads of the base mesh along its two parameters.
        place: where the parameters lead. The first runs to the right and the second up, seen from outside.
        curved: whether it bends between its points. Its own uv are then its parameters.
    """

    part: Part
    across: int
    down: int
    place: Place
    curved: bool = False


def join_patches(patches: Sequence[Patch], level: int, smoothing: float) -> Mesh:
    """One mesh of patches, each base quad cut in four `level` times.

    The points that are cut in between lie on the true surface, not on the flat base face. Where a border of a patch is
    one point, as at the pole of a sphere, its quads become triangles.

    Args:
        patches: the grids, all about one middle.
        level: how often each base quad is cut.
        smoothing: degrees; borders that meet at a smaller angle share one normal.
    """
    grids = [_lay_out(patch, level) for patch in patches]
    counts = [grid[0].shape[0] * grid[0].shape[1] for grid in grids]
    firsts = np.concatenate([[0], np.cumsum(counts)])
    positions = np.concatenate([grid[0].reshape(-1, 3) for grid in grids])
    normals = np.concatenate([grid[1].reshape(-1, 3) for grid in grids])
    uv = np.concatenate([grid[2].reshape(-1, 2) for grid in grids]).astype(np.float32)
    border = np.concatenate([first + _border(*grid[0].shape[:2]) for first, grid in zip(firsts, grids, strict=False)])
    met = _meet(positions, border)
    vertex_of, vertices = _renumber(met)
    if len(vertices) == len(positions):
        normal_of, chosen_normals = vertex_of, normals
    else:
        normal_of, chosen_normals = _share_normals(normals, met, border, smoothing)

    quads = np.concatenate(
        [first + quads_of_grid(*grid[0].shape[:2]) for first, grid in zip(firsts, grids, strict=False)]
    )
    base, count = [], 0
    for patch in patches:
        rows, columns = np.arange(patch.down << level) >> level, np.arange(patch.across << level) >> level
        base.append((count + rows[:, None] * patch.across + columns).ravel())
        count += patch.across * patch.down
    sizes = [patch.across * patch.down << 2 * level for patch in patches]
    if len(vertices) == len(positions):  # no two points are one
        offsets, points = np.arange(0, quads.size + 1, 4, dtype=np.int32), quads.reshape(-1)
    else:
        # a corner that is the same point as the next one is left out
        keep = vertex_of[quads] != vertex_of[np.roll(quads, -1, axis=1)]
        offsets = np.concatenate([[0], np.cumsum(keep.sum(axis=1))]).astype(np.int32)
        points = quads[keep]
    corners = vertex_of[points]
    return Mesh(
        positions=positions[vertices].astype(np.float32),
        normals=np.ascontiguousarray(chosen_normals, np.float32),
        uv=uv,
        corners=corners,
        uv_corners=corners if len(vertices) == len(uv) else points.astype(np.int32),
        normal_corners=corners if len(chosen_normals) == len(vertices) else normal_of[points],
        offsets=offsets,
        parts=np.repeat(np.arange(len(patches), dtype=np.uint16), sizes),
        base_faces=np.concatenate(base).astype(np.int32),
        part_list=tuple(_with_bounds(patch) for patch in patches),
    )


def find_parameters(patches: Sequence[Patch]) -> tuple[np.ndarray, np.ndarray]:
    """The parameters of the points of base meshes, as `join_patches` numbers its places at level 0.

    Returns:
        float64 (points, 2), and bool (points,): whether it is a pole, where a border of a patch is one point.
    """
    parameters, poles = [], []
    for patch in patches:
        u, v = np.meshgrid(np.linspace(0, 1, patch.across + 1), np.linspace(0, 1, patch.down + 1))
        positions, _, _ = patch.place(u, v)
        at_pole = np.zeros(u.shape, bool)
        for row in (0, -1):
            at_pole[row] = np.ptp(positions[row], axis=0).max() <= 1e-9 * np.abs(positions).max()
        parameters.append(np.stack([u, v], axis=-1).reshape(-1, 2))
        poles.append(at_pole.ravel())
    return np.concatenate(parameters), np.concatenate(poles)


def _with_bounds(patch: Patch) -> Part:
    """The part with the box around its true surface, from places that are the same at every number of segments."""
    positions = patch.place(*np.meshgrid(np.linspace(0, 1, 65), np.linspace(0, 1, 65)))[0].reshape(-1, 3)
    return patch.part._replace(low=tuple(positions.min(axis=0)), high=tuple(positions.max(axis=0)))


def _lay_out(patch: Patch, level: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    across, up = np.linspace(0, 1, (patch.across << level) + 1), np.linspace(0, 1, (patch.down << level) + 1)
    return patch.place(*np.meshgrid(across, up))


def _border(rows: int, columns: int) -> np.ndarray:
    numbers = np.arange(rows * columns).reshape(rows, columns)
    return np.unique(np.concatenate([numbers[0], numbers[-1], numbers[:, 0], numbers[:, -1]]))


def quads_of_grid(rows: int, columns: int) -> np.ndarray:
    """The four points of each quad between points that are numbered row by row, int64 (quads, 4)."""
    numbers = np.arange(rows * columns).reshape(rows, columns)
    corners = numbers[:-1, :-1], numbers[:-1, 1:], numbers[1:, 1:], numbers[1:, :-1]
    return np.stack([corner.ravel() for corner in corners], axis=1)


def _meet(positions: np.ndarray, border: np.ndarray) -> np.ndarray:
    """For each point the first one that lies at its place; only those of borders may meet."""
    met = np.arange(len(positions))
    size = np.abs(positions).max(initial=0) or 1
    _, first, group = np.unique(
        np.rint(positions[border] / size * 1e8).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    met[border] = border[first][group.reshape(-1)]
    return met


def _renumber(met: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """New numbers without gaps, and which of the old ones are left."""
    left = np.flatnonzero(met == np.arange(len(met)))
    numbers = np.zeros(len(met), np.int32)
    numbers[left] = np.arange(len(left), dtype=np.int32)
    return numbers[met], left


def _share_normals(
    normals: np.ndarray, met: np.ndarray, border: np.ndarray, smoothing: float
) -> tuple[np.ndarray, np.ndarray]:
    """The number of each point's normal, and the normals: at a border those that are nearly one become one."""
    rounded = np.rint(normals[border] * 1e5).astype(np.int64)
    kinds, first, group = np.unique(
        np.column_stack([met[border], rounded]), axis=0, return_index=True, return_inverse=True
    )
    group = group.reshape(-1)
    # the kinds stand sorted by the point they meet at; few meet at one
    pairs = []
    for apart in range(1, 4):
        one, other = np.arange(len(kinds) - apart), np.arange(apart, len(kinds))
        cosine = np.einsum("ij,ij->i", normals[border[first[one]]], normals[border[first[other]]])
        near = (kinds[one, 0] == kinds[other, 0]) & (cosine >= np.cos(np.radians(smoothing)) - 1e-9)
        pairs.append(np.stack([one[near], other[near]]))
    one, other = np.concatenate(pairs, axis=1)
    links = scipy.sparse.coo_array((np.ones(len(one), bool), (one, other)), shape=(len(kinds), len(kinds)))
    count, joined = scipy.sparse.csgraph.connected_components(links, directed=False)
    total = np.zeros((count, 3))
    np.add.at(total, joined, normals[border[first]])
    first_point = np.full(count, len(normals))
    np.minimum.at(first_point, joined[group], border)
    number_of = np.arange(len(normals))
    number_of[border] = first_point[joined[group]]
    numbers, left = _renumber(number_of)
    shared = normals.copy()
    shared[first_point] = total / np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-12)
    return numbers, shared[left]

"""How far a mesh is from the surface that it stands for."""

from __future__ import annotations

from collections.abc import Mapping as Dictionary
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from relief.filters.sample import TAPS, height_at
from relief.height import HeightField
from relief.kernels import helper, inlined, kernel
from relief.surface.cover import Covered, CoveredMesh
from relief.surface.mesh import Mesh
from relief.surface.normals import directions, face_areas

MOST_LOOKS = 16
"""Rows of places that a triangle is looked at, at most; there are as many in a row on average."""

CLOSELY, ROUGHLY = 5, 2
"""Rows of places at least: where nothing may be missed, and where a mean is wanted alone."""

CHECKED_FROM = 0.6
"""Of the greatest error found, or of the one asked for: triangles above it are looked at again at other places."""

CHECKED_AT_MOST = 4096
"""Triangles of a mesh that are looked at again at most, the worst ones: in a relief that repeats, most are alike."""

UNSEEN = 1
"""Texels for each look: beyond, what stands out may lie in between."""

UNSURE = 0.1
"""Of what the relief is deep: what is taken for the error there, so that the triangle is cut."""


@dataclass(frozen=True)
class Deviation:
    """How far a built mesh is from the true displaced surface, along the directions it is displaced in.

    Attributes:
        error: the root of the mean square, by area, mm.
        worst: the greatest, mm.
        displacement: the root of the mean square of how far the true surface is from the base, mm.
        where: the middle of the triangle that is farthest off, x, y and z before it is displaced, mm.
    """

    error: float
    worst: float
    displacement: float
    where: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def detail_kept(self) -> float:
        """The share of the displacement that the mesh has, 0 to 1; 1 where there is none."""
        return max(0.0, 1 - self.error / self.displacement) if self.displacement > 0 else 1.0


def measure_deviation(
    covered: CoveredMesh,
    heights: Dictionary[str, HeightField],
    depths: Dictionary[str, tuple[float, float]],
    sags: np.ndarray | None = None,
) -> Deviation:
    """How far a mesh of triangles is from its true surface, seen also at places that no tessellation looks at.

    Args:
        covered: the triangles before they are displaced, and what lies on them.
        heights, depths: of each relief its field, and its amplitude in mm and midlevel.
        sags: how far a curved base is from each triangle, as `find_sags` gives it.
    """
    worst, square, moved = deviations_of_triangles(covered, heights, depths)
    unsure = worst > CHECKED_FROM * worst.max(initial=0)
    if np.count_nonzero(unsure) > CHECKED_AT_MOST:
        unsure = np.zeros(len(worst), bool)
        unsure[np.argpartition(worst, -CHECKED_AT_MOST)[-CHECKED_AT_MOST:]] = True
    again, _, _ = deviations_of_triangles(covered, heights, depths, unsure, rows=3)
    worst = np.maximum(worst, again)
    if sags is not None:
        worst, square = add_sags(worst, square, sags)
    mesh = covered.mesh
    areas = np.linalg.norm(face_areas(mesh.positions, mesh.offsets, mesh.corners), axis=1).astype(np.float64)
    total = max(float(areas.sum()), 1e-300)
    mean = [float(np.sqrt(max(float(areas @ part) / total, 0))) for part in (square, moved)]
    if not mesh.faces:
        return Deviation(0.0, 0.0, 0.0)
    farthest = int(worst.argmax())
    x, y, z = mesh.positions[mesh.corners[3 * farthest : 3 * farthest + 3]].mean(axis=0).tolist()
    return Deviation(mean[0], float(worst[farthest]), mean[1], (x, y, z))


def deviations_of_triangles(
    covered: CoveredMesh,
    heights: Dictionary[str, HeightField],
    depths: Dictionary[str, tuple[float, float]],
    chosen: np.ndarray | None = None,
    fewest: int = CLOSELY,
    rows: int = 1,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Of each triangle how far the true surface is at most, mm; the mean of the square of that; and of what it moves.

    A triangle is what joins the true surface at its own corners. Where a join stays open that is not quite the built
    one, which closes it. Every triangle is looked at in about as many places as it has texels. One that has too many
    for that counts as off by a share of what the relief is deep.

    Args:
        covered, heights, depths: as `measure_deviation` takes them.
        chosen: bool (triangles,), those that are looked at; the others have 0.
        fewest: rows of places that each triangle is looked at in at least.
        rows: times as many of them, at other places the more there are.

    Returns:
        float32 (triangles,) each.
    """
    mesh = covered.mesh
    out = np.zeros((3, mesh.faces), np.float32)
    left = covered.left[mesh.corners]
    for item in covered.covers:
        if not item.relief:
            continue
        names = item.chosen[::3] // 3
        places = np.arange(len(names)) if chosen is None else np.flatnonzero(chosen[names])
        if not len(places):
            continue
        field = heights[item.relief]
        deep = abs(depths[item.relief][0] * item.factor)
        span = float(np.ptp(field.samples[:: max(1, len(field.samples) // 256)])) * deep
        of_corners = (3 * places[:, None] + np.arange(3)).reshape(-1)
        _look(
            lay_on_corners(item, field, of_corners, left[item.chosen[of_corners]], depths[item.relief]),
            names[places],
            np.float32(UNSURE * span),
            fewest,
            rows,
            out,
        )
    return out[0], out[1], out[2]


def find_sags(mesh: Mesh) -> np.ndarray:
    """How far a round surface is from the triangles that stand for it.

    An arc that turns by a (radians) over a chord c stands c a / 8 above its middle, for small a; so does the chord
    between the two normals, whose length is nearly a. Within a triangle a quadratic surface stands above its plane by
    the sum of k u v over the three edges, where k is c a / 2 and u and v are what the ends of the edge count. That is
    greatest where the centre of the circle through a triangle with edges of length sqrt(k) would lie, or at the middle
    of the longest edge.

    Returns:
        float32 (2, triangles): the greatest distance, mm; and the mean of its square, mm².
    """
    sags = np.empty((2, mesh.faces), np.float32)
    _find_sags(mesh.positions, directions(mesh), mesh.corners.reshape(-1, 3), sags)
    return sags


def add_sags(worst: np.ndarray, square: np.ndarray, sags: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The deviations of triangles with those of a round base, as `find_sags` gives them."""
    return worst + sags[0], square + sags[1]


def places_of(item: Covered, chosen: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Where some corners lie on the relief, float64 (places mixed, corners, 2), and how much each counts, float32."""
    laid = item.laid
    if not laid.mixed:
        return laid.uv[laid.corners[chosen]][None].astype(np.float64, copy=False), np.ones((1, len(chosen)), np.float32)
    uv = np.stack([uv[corners[chosen]] for uv, corners, _ in laid.mixed]).astype(np.float64, copy=False)
    return uv, np.stack([weights[corners[chosen]] for _, corners, weights in laid.mixed]).astype(np.float32)


def rest_of(item: Covered, field: HeightField) -> float:
    """The height that stands where no place of a relief counts; it is asked for only where that may be."""
    return field.mean if item.laid.mixed else 0.0


class ReliefOnCorners(NamedTuple):
    """A relief as it lies on the corners of some triangles.

    Attributes:
        samples: its heights, float32 (rows, columns).
        wrap_across, wrap_down: whether it wraps.
        taps: texels that a sample is taken of, in a row.
        mean: the height where no place counts.
        uv: places on it, float64 (places mixed, corners, 2).
        weights: what each counts, float32 (places mixed, corners).
        left: what is left of its strength, float32 (corners,).
        amplitude, midlevel: how deep it is, mm; the height that does not move.
    """

    samples: np.ndarray
    wrap_across: bool
    wrap_down: bool
    taps: int
    mean: float
    uv: np.ndarray
    weights: np.ndarray
    left: np.ndarray
    amplitude: float
    midlevel: float


def lay_on_corners(
    item: Covered, field: HeightField, corners: np.ndarray, left: np.ndarray, depth: tuple[float, float]
) -> ReliefOnCorners:
    """The relief of a cover as it lies on some of its corners.

    Args:
        item: what covers which faces.
        field: its relief.
        corners: their numbers among those of the cover.
        left: what is left of its strength at each.
        depth: its amplitude in mm and its midlevel.
    """
    return ReliefOnCorners(
        field.samples,
        *field.edges.wraps,
        TAPS[item.mapping.sampling],
        rest_of(item, field),
        *places_of(item, corners),
        left,
        depth[0] * item.factor,
        depth[1] + item.midlevel_shift,
    )


@kernel(rows_of="corners")
def _find_sags(begin, end, positions, towards, corners, sags):
    for triangle in range(begin, end):
        bends = np.zeros(3)
        for side in range(3):
            one, other = corners[triangle, side], corners[triangle, (side + 1) % 3]
            chord, turn = 0.0, 0.0
            for axis in range(3):
                chord += (positions[other, axis] - positions[one, axis]) ** 2
                turn += (towards[other, axis] - towards[one, axis]) ** 2
            bends[side] = np.sqrt(chord * turn) / 2
        p, q, r = bends
        pairs = p * q + p * r + q * r
        squares = p * p + q * q + r * r
        most = max(p, q, r)
        within = 2 * pairs - squares
        sags[0, triangle] = p * q * r / within if p + q + r > 2 * most and within > 0 else most / 4
        # the mean of u^2 v^2 over a triangle is 1/90, that of u^2 v w 1/180
        sags[1, triangle] = (squares + pairs) / 90


@inlined
def _move_at(relief, a, first, second, last):
    """How far the true surface moves at a place within a triangle, whose corners count so much there.

    `a` is the first of its three corners among `uv` and `weights`, as `places_of` gives them. What the weights leave of
    1 is `mean`.
    """
    samples, wrap_across, wrap_down, taps, mean, uv, weights, left, amplitude, midlevel = relief
    b, c = a + 1, a + 2
    height = mean
    for layer in range(len(uv)):
        w = first * weights[layer, a] + second * weights[layer, b] + last * weights[layer, c]
        if w > 0:
            u = first * uv[layer, a, 0] + second * uv[layer, b, 0] + last * uv[layer, c, 0]
            v = first * uv[layer, a, 1] + second * uv[layer, b, 1] + last * uv[layer, c, 1]
            height += w * (height_at(samples, u, v, wrap_across, wrap_down, taps) - mean)
    return np.float32((height - midlevel) * amplitude * (first * left[a] + second * left[b] + last * left[c]))


@helper
def _count_texels(uv, weights, a, texels):
    """How many texels a triangle covers."""
    b, c = a + 1, a + 2
    most = 0.0
    for layer in range(len(uv)):
        if weights[layer, a] + weights[layer, b] + weights[layer, c] > 0:
            ux, uy = uv[layer, b, 0] - uv[layer, a, 0], uv[layer, b, 1] - uv[layer, a, 1]
            vx, vy = uv[layer, c, 0] - uv[layer, a, 0], uv[layer, c, 1] - uv[layer, a, 1]
            most = max(most, 0.5 * abs(ux * vy - uy * vx) * texels)
    return most


@kernel(rows_of="names")
def _look(begin, end, relief, names, unsure, fewest, rows, out):
    for number in range(begin, end):
        a = 3 * number
        texels = _count_texels(relief.uv, relief.weights, a, relief.samples.size)
        closely = min(max(int(np.ceil(np.sqrt(texels))), fewest), MOST_LOOKS)
        side = rows * (closely + 1) - 1
        # at a join that stays open a vertex moves by the mean of what its corners ask for; what is looked at here is
        # how far the surface bends between its own corners
        at_a = _move_at(relief, a, 1.0, 0.0, 0.0)
        at_b = _move_at(relief, a, 0.0, 1.0, 0.0)
        at_c = _move_at(relief, a, 0.0, 0.0, 1.0)
        worst, total, whole = np.float32(0), np.float32(0), np.float32(0)
        for row in range(side):
            for column in range(2 * (side - row) - 1):
                # the middles of side * side small triangles, those that stand and those that hang
                third = 2 / 3 if column % 2 else 1 / 3
                second, last = (column // 2 + third) / side, (row + third) / side
                first = 1 - second - last
                true = _move_at(
                    relief,
                    a,
                    first,
                    second,
                    last,
                )
                off = abs(true - np.float32(first * at_a + second * at_b + last * at_c))
                worst = max(worst, off)
                total += off * off
                whole += true * true
        looks = np.float32(side * side)
        name = names[number]
        if texels > UNSEEN * looks:
            worst = max(worst, unsure)
            total = max(total, unsure * unsure * looks * np.float32(0.1))
        out[0, name], out[1, name], out[2, name] = worst, total / looks, whole / looks

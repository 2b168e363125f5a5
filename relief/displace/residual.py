"""The detail split: a normal map that gives a coarse displaced mesh the normals of the true surface."""

from __future__ import annotations

import math
from collections.abc import Mapping as Dictionary
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
import scipy

from relief.displace.deviation import ReliefOnCorners, lay_on_corners
from relief.displace.true_surface import BaseOfCorners, bends_at, bends_of_corners, true_normal
from relief.errors import MeshError
from relief.height import Edges, Footprint, HeightField
from relief.kernels import helper, kernel
from relief.surface.cover import Covered, CoveredMesh
from relief.surface.mesh import Mesh
from relief.surface.normals import directions, face_areas
from relief.surface.patches import Patch
from relief.surface.tangents import with_tangents

MARGIN = 2
"""Texels that a part keeps away from the border of its place on the map."""

MOST = 65_535

LOOKED_AT = 100_000
"""Places at which the finished map is compared with the true surface."""

OVERLAPPING = 0.02
"""Of the texels: where more of them belong to several triangles, parts of the mesh share places."""


@dataclass(frozen=True)
class Split:
    """A displaced mesh of triangles with the normal map that completes it.

    Attributes:
        mesh: its uv are places on that map.
        residual: uint16 (rows, columns, 3), green up, in the tangent space of the mesh (MikkTSpace).
        off_before: the angle between the normals of the mesh alone and those of the true surface, degrees: the mean by
            area, and what 95 % are under.
        off_after: the same with the map, read as a receiver reads it: normals and tangents interpolated over the
            triangle, the map's stored values joined by straight lines.
    """

    mesh: Mesh
    residual: np.ndarray
    off_before: tuple[float, float]
    off_after: tuple[float, float]


@dataclass(frozen=True)
class TrueBase:
    """What is known of the base that a mesh of triangles stands for.

    Attributes:
        own: the triangles with their own uv, from 0 to 1 over each part.
        patches: of a shape of ours, not raised by a base form; none for what the mesh alone tells of.
        turned: whether its faces were turned around.
    """

    own: Mesh
    patches: Sequence[Patch] | None = None
    turned: bool = False


def lay_out_parts(own: Mesh, size: int) -> np.ndarray:
    """Places where no part of a shape lies on another: float32 (uv, 2), all parts side by side in a square.

    Args:
        own: the mesh with its own uv, from 0 to 1 over each part.
        size: texels of a side of the map.
    """
    count = int(own.parts.max(initial=0)) + 1
    if count == 1:
        return own.uv
    across = math.ceil(math.sqrt(count))
    part_of = np.zeros(len(own.uv), np.int64)
    part_of[own.uv_corners] = own.parts[own.face_of_corners]
    corner = np.stack([part_of % across, part_of // across], axis=1)
    margin = MARGIN * across / size
    return ((corner + margin + own.uv * (1 - 2 * margin)) / across).astype(np.float32)


def split_detail(
    true: TrueBase,
    covered: CoveredMesh,
    moved: Mesh,
    heights: Dictionary[str, HeightField],
    depths: Dictionary[str, tuple[float, float]],
    size: int,
) -> Split:
    """The residual normal map of a displaced mesh of triangles.

    In the tangent frame that is interpolated on the displaced triangle, without normalizing (as Mikkelsen 2008 has it),
    the normal of the true surface (`true_surface.py`) is what the map holds.

    Args:
        true: the base, and its triangles.
        covered: these with what lies on them.
        moved: the same, displaced.
        heights, depths: of each relief its field, and its amplitude in mm and midlevel.
        size: texels of a side of the map.

    Raises:
        MeshError: faces lie over each other on the map.
    """
    own = true.own
    laid_out = replace(moved, uv=lay_out_parts(own, size), uv_corners=own.uv_corners)
    framed, tangents = with_tangents(laid_out)
    frames = np.concatenate([framed.normals[framed.corners], tangents[framed.corners]], axis=1)
    at = framed.uv[framed.corners].astype(np.float64) * size
    bends = bends_of_corners(true.patches, own, true.turned)
    residual = np.zeros((size, size, 3), np.uint16)
    hits = np.zeros((size, size), np.uint8)
    for item in covered.covers:
        surface = _lay_open(item, covered, own, heights, depths)
        _bake(
            *surface,
            bends[item.chosen] if len(bends) else bends,
            frames[item.chosen],
            at[item.chosen],
            residual,
            hits,
            len(item.chosen) // 3,
        )
    if (hits > 1).sum() > OVERLAPPING * (hits > 0).sum():
        raise MeshError(
            "The mesh's UVs overlap, so one normal map cannot complete it. Make new UVs for it, or deliver it "
            "without a residual."
        )
    baked = residual.any(axis=2)
    if baked.any():
        nearest = scipy.ndimage.distance_transform_edt(~baked, return_distances=False, return_indices=True)
        residual = residual[tuple(nearest)]
    places = _choose_places(laid_out)
    angles = np.full((len(places.triangles), 2), np.nan, np.float32)
    for item in covered.covers:
        mine = _places_within(item, places, own.faces)
        chosen, triangles, shares = mine
        shown = own.uv[own.uv_corners[item.chosen]].reshape(-1, 3, 2)[triangles]
        bent = bends_at(
            true.patches, own.parts[places.triangles[chosen]], np.einsum("ij,ijk->ik", shares, shown), true.turned
        )
        found = np.full((len(chosen), 2), np.nan, np.float32)
        surface = _lay_open(item, covered, own, heights, depths)
        _compare(*surface, bent, frames[item.chosen], at[item.chosen], residual, triangles, shares, found)
        angles[chosen] = found
    angles = angles[np.isfinite(angles).all(axis=1)]
    if not len(angles):
        angles = np.zeros((1, 2), np.float32)
    before, after = ((float(part.mean()), float(np.percentile(part, 95))) for part in angles.T)
    return Split(laid_out, residual, before, after)


def _lay_open(
    item: Covered,
    covered: CoveredMesh,
    own: Mesh,
    heights: Dictionary[str, HeightField],
    depths: Dictionary[str, tuple[float, float]],
) -> tuple[ReliefOnCorners, BaseOfCorners]:
    """What `true_normal` wants of the corners of some faces and of the relief on them."""
    field, depth = (heights[item.relief], depths[item.relief]) if item.relief else (NOTHING, (0.0, 0.0))
    base = covered.mesh
    corners = base.corners[item.chosen]
    everywhere = np.arange(len(item.chosen))
    return lay_on_corners(item, field, everywhere, covered.left[corners], depth), BaseOfCorners(
        base.positions[corners],
        base.normals[base.normal_corners[item.chosen]],
        directions(base)[corners],
        own.uv[own.uv_corners[item.chosen]],
    )


class _Places(NamedTuple):
    """Places on a mesh: the triangle of each, int64 (places,), and what its corners count, float64 (places, 3)."""

    triangles: np.ndarray
    shares: np.ndarray


def _choose_places(mesh: Mesh) -> _Places:
    """Places all over a mesh of triangles, as many as its area has them anywhere; the same each time."""
    rng = np.random.default_rng(LOOKED_AT)
    areas = np.linalg.norm(face_areas(mesh.positions, mesh.offsets, mesh.corners), axis=1).astype(np.float64)
    total = areas.sum()
    if not total > 0:
        return _Places(np.zeros(0, np.int64), np.zeros((0, 3)))
    triangles = rng.choice(mesh.faces, LOOKED_AT, p=areas / total)
    return _Places(triangles, rng.dirichlet((1, 1, 1), LOOKED_AT))


def _places_within(item: Covered, places: _Places, faces: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Which of some places lie on the faces of one relief, the numbers of their triangles there, and their shares."""
    there = np.full(faces, -1)
    names = item.chosen[::3] // 3
    there[names] = np.arange(len(names))
    numbers = there[places.triangles]
    chosen = np.flatnonzero(numbers >= 0)
    return chosen, numbers[chosen], places.shares[chosen]


NOTHING = HeightField(np.zeros((1, 1), np.float32), Footprint(), Edges())


@helper
def _angle(ax, ay, az, bx, by, bz):
    """Between two vectors, degrees."""
    cross = np.sqrt((ay * bz - az * by) ** 2 + (az * bx - ax * bz) ** 2 + (ax * by - ay * bx) ** 2)
    return np.degrees(np.arctan2(cross, ax * bx + ay * by + az * bz))


@helper
def _frame_at(frames, a, first, second, last):
    """The frame at a place within a triangle as a shader interpolates it: rows of tangent, bitangent and normal."""
    mixed = np.empty(7)
    for part in range(7):
        mixed[part] = first * frames[a, part] + second * frames[a + 1, part] + last * frames[a + 2, part]
    frame = np.empty((3, 3))
    sign = 1.0 if mixed[6] > 0 else -1.0
    for axis in range(3):
        frame[0, axis], frame[2, axis] = mixed[3 + axis], mixed[axis]
    frame[1, 0] = sign * (mixed[1] * mixed[5] - mixed[2] * mixed[4])
    frame[1, 1] = sign * (mixed[2] * mixed[3] - mixed[0] * mixed[5])
    frame[1, 2] = sign * (mixed[0] * mixed[4] - mixed[1] * mixed[3])
    return frame


@kernel(rows_of="triangles")
def _bake(begin, end, relief, base, bends, frames, at, residual, hits, triangles):
    size = len(residual)
    for triangle in range(begin, end):
        a = 3 * triangle
        b, c = a + 1, a + 2
        area = (at[b, 0] - at[a, 0]) * (at[c, 1] - at[a, 1]) - (at[b, 1] - at[a, 1]) * (at[c, 0] - at[a, 0])
        if area == 0:
            continue
        bend = np.zeros(12, np.float32)
        left_most = max(int(np.floor(min(at[a, 0], at[b, 0], at[c, 0]))), 0)
        right_most = min(int(np.ceil(max(at[a, 0], at[b, 0], at[c, 0]))), size)
        lowest = max(int(np.floor(min(at[a, 1], at[b, 1], at[c, 1]))), 0)
        highest = min(int(np.ceil(max(at[a, 1], at[b, 1], at[c, 1]))), size)
        for y in range(lowest, highest):
            for x in range(left_most, right_most):
                px, py = x + 0.5 - at[a, 0], y + 0.5 - at[a, 1]
                second = (px * (at[c, 1] - at[a, 1]) - py * (at[c, 0] - at[a, 0])) / area
                last = (py * (at[b, 0] - at[a, 0]) - px * (at[b, 1] - at[a, 1])) / area
                first = 1 - second - last
                if min(first, second, last) < -1e-9:
                    continue
                if min(first, second, last) > 1e-6:
                    hits[size - 1 - y, x] += 1
                if len(bends):
                    for number in range(12):
                        bend[number] = first * bends[a, number] + second * bends[b, number] + last * bends[c, number]
                tx, ty, tz = true_normal(relief, base, bend, a, first, second, last)
                frame = _frame_at(frames, a, first, second, last)
                # solved for the parts of tangent, bitangent and normal, by Cramer's rule
                parts = np.empty(3)
                for part in range(3):
                    one, other = frame[(part + 1) % 3], frame[(part + 2) % 3]
                    parts[part] = (
                        tx * (one[1] * other[2] - one[2] * other[1])
                        + ty * (one[2] * other[0] - one[0] * other[2])
                        + tz * (one[0] * other[1] - one[1] * other[0])
                    )
                one, other = frame[1], frame[2]
                whole = (
                    frame[0, 0] * (one[1] * other[2] - one[2] * other[1])
                    + frame[0, 1] * (one[2] * other[0] - one[0] * other[2])
                    + frame[0, 2] * (one[0] * other[1] - one[1] * other[0])
                )
                long = np.sqrt(parts[0] ** 2 + parts[1] ** 2 + parts[2] ** 2)
                if abs(whole) < 1e-12 or not long > 0:
                    continue
                if whole < 0:
                    long = -long
                for part in range(3):
                    residual[size - 1 - y, x, part] = np.uint16(np.rint((parts[part] / long * 0.5 + 0.5) * MOST))


@kernel(rows_of="triangles")
def _compare(begin, end, relief, base, bends, frames, at, residual, triangles, shares, angles):
    size = len(residual)
    for place in range(begin, end):
        a = 3 * triangles[place]
        first, second, last = shares[place]
        tx, ty, tz = true_normal(relief, base, bends[place], a, first, second, last)
        if not tx * tx + ty * ty + tz * tz > 0:
            continue
        frame = _frame_at(frames, a, first, second, last)
        x = first * at[a, 0] + second * at[a + 1, 0] + last * at[a + 2, 0] - 0.5
        y = size - (first * at[a, 1] + second * at[a + 1, 1] + last * at[a + 2, 1]) - 0.5
        column, row = int(np.floor(x)), int(np.floor(y))
        right, below = x - column, y - row
        shaded = np.zeros(3)
        for part in range(3):
            held = 0.0
            for down in range(2):
                for across in range(2):
                    count = (right if across else 1 - right) * (below if down else 1 - below)
                    texel = residual[
                        min(max(row + down, 0), size - 1), min(max(column + across, 0), size - 1), part
                    ]  # fmt: skip
                    held += count * (texel / MOST * 2 - 1)
            for axis in range(3):
                shaded[axis] += held * frame[part, axis]
        angles[place, 0] = _angle(tx, ty, tz, frame[2, 0], frame[2, 1], frame[2, 2])
        angles[place, 1] = _angle(tx, ty, tz, shaded[0], shaded[1], shaded[2])

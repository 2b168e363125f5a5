"""The detail split: a normal map that gives a coarse displaced mesh the normals of the true surface."""

from __future__ import annotations

import math
from collections.abc import Mapping as Dictionary
from dataclasses import dataclass, replace

import numpy as np
from scipy.ndimage import distance_transform_edt

from relief.displace.deviation import height_within, places_of
from relief.errors import MeshError
from relief.filters.sample import TAPS
from relief.height import Edges, Footprint, HeightField
from relief.kernels import helper, kernel, prange
from relief.surface.cover import CoveredMesh
from relief.surface.mesh import Mesh
from relief.surface.normals import directions
from relief.surface.tangents import with_tangents

MARGIN = 2
"""Texels that a part keeps away from the border of its place on the map."""

MOST = 65_535

OVERLAPPING = 0.02
"""Of the texels: where more of them belong to several triangles, parts of the mesh share places."""


@dataclass(frozen=True)
class Split:
    """A displaced mesh of triangles with the normal map that completes it.

    Attributes:
        mesh: its uv are places on that map.
        residual: uint16 (rows, columns, 3), green up, in the tangent space of the mesh (MikkTSpace).
        off_before: the angle between the normals of the mesh alone and those of the true surface, degrees: the mean,
            and what 95 % are under.
        off_after: the same with the map as it is stored.
    """

    mesh: Mesh
    residual: np.ndarray
    off_before: tuple[float, float]
    off_after: tuple[float, float]


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
    own: Mesh,
    covered: CoveredMesh,
    moved: Mesh,
    heights: Dictionary[str, HeightField],
    depths: Dictionary[str, tuple[float, float]],
    size: int,
) -> Split:
    """The residual normal map of a displaced mesh of triangles.

    The true surface is P(u) = B(u) + n(u) d(u), with B and n interpolated on the base triangle; its normal is the cross
    product of the derivatives of P along two edges. In the tangent frame that is interpolated on the displaced
    triangle, without normalizing (as Mikkelsen 2008 has it), that normal is what the map holds.

    Args:
        own: the triangles with their own uv, from 0 to 1 over each part.
        covered: the same with what lies on them.
        moved: the same, displaced.
        heights, depths: of each relief its field, and its amplitude in mm and midlevel.
        size: texels of a side of the map.

    Raises:
        MeshError: faces lie over each other on the map.
    """
    base = covered.mesh
    laid_out = replace(moved, uv=lay_out_parts(own, size), uv_corners=own.uv_corners)
    framed, tangents = with_tangents(laid_out)
    frames = np.concatenate([framed.normals[framed.corners], tangents[framed.corners]], axis=1)
    at = framed.uv[framed.corners].astype(np.float64) * size
    towards = directions(base)
    residual = np.zeros((size, size, 3), np.float32)
    angles = np.full((size, size, 2), np.nan, np.float32)
    hits = np.zeros((size, size), np.uint8)
    for item in covered.covers:
        if item.relief:
            field, (amplitude, midlevel) = heights[item.relief], depths[item.relief]
        else:
            field, amplitude, midlevel = NOTHING, 0.0, 0.0
        corners = base.corners[item.chosen]
        _bake(
            field.samples,
            *field.edges.wraps,
            TAPS[item.mapping.sampling],
            *places_of(item, np.arange(len(item.chosen))),
            covered.left[corners],
            amplitude * item.factor,
            midlevel + item.midlevel_shift,
            base.positions[corners],
            towards[corners],
            frames[item.chosen],
            at[item.chosen],
            residual,
            angles,
            hits,
        )
    if (hits > 1).sum() > OVERLAPPING * (hits > 0).sum():
        raise MeshError(
            "The mesh's own places lie over each other, so that one normal map cannot complete it. Make a mapping for "
            "it, or deliver it without a residual."
        )
    baked = np.isfinite(angles[..., 0])
    stored = np.rint((residual * 0.5 + 0.5) * MOST).astype(np.uint16)
    if baked.any():
        nearest = distance_transform_edt(~baked, return_distances=False, return_indices=True)
        stored = stored[tuple(nearest)]
    before, after = ((float(part.mean()), float(np.percentile(part, 95))) for part in angles[baked].T)
    return Split(laid_out, stored, before, after)


NOTHING = HeightField(np.zeros((1, 1), np.float32), Footprint(), Edges())


@helper
def _true_normal(
    samples, wrap_across, wrap_down, taps, uv, weights, left, amplitude, midlevel, base, towards, a, first, second, last
):
    """The normal of the true surface at a place within a triangle, as a tuple, not of unit length."""
    b, c = a + 1, a + 2
    rows, columns = samples.shape
    here = height_within(samples, wrap_across, wrap_down, taps, uv, weights, a, first, second, last, 0.0, 0.0)
    step, lift = 0.25 / columns, 0.25 / rows
    across = (
        height_within(samples, wrap_across, wrap_down, taps, uv, weights, a, first, second, last, step, 0.0)
        - height_within(samples, wrap_across, wrap_down, taps, uv, weights, a, first, second, last, -step, 0.0)
    ) / (2 * step)
    up = (
        height_within(samples, wrap_across, wrap_down, taps, uv, weights, a, first, second, last, 0.0, lift)
        - height_within(samples, wrap_across, wrap_down, taps, uv, weights, a, first, second, last, 0.0, -lift)
    ) / (2 * lift)
    layer = 0
    for other in range(1, len(uv)):  # of a soft passage the one that counts most
        if weights[other, a] > weights[layer, a]:
            layer = other
    stays = first * left[a] + second * left[b] + last * left[c]
    moved = (here - midlevel) * amplitude
    slopes = np.empty(2)
    for side in range(2):
        end = b if side == 0 else c
        du, dv = uv[layer, end, 0] - uv[layer, a, 0], uv[layer, end, 1] - uv[layer, a, 1]
        slopes[side] = amplitude * stays * (across * du + up * dv) + moved * (left[end] - left[a])
    direction = np.empty(3)
    for axis in range(3):
        direction[axis] = first * towards[a, axis] + second * towards[b, axis] + last * towards[c, axis]
    long = max(np.sqrt(direction[0] ** 2 + direction[1] ** 2 + direction[2] ** 2), 1e-12)
    along = np.empty((2, 3))
    for side in range(2):
        end = b if side == 0 else c
        turn = 0.0
        for axis in range(3):
            turn += direction[axis] / long * (towards[end, axis] - towards[a, axis])
        for axis in range(3):
            unit = direction[axis] / long
            bent = (towards[end, axis] - towards[a, axis] - unit * turn) / long
            along[side, axis] = base[end, axis] - base[a, axis] + unit * slopes[side] + moved * stays * bent
    return (
        along[0, 1] * along[1, 2] - along[0, 2] * along[1, 1],
        along[0, 2] * along[1, 0] - along[0, 0] * along[1, 2],
        along[0, 0] * along[1, 1] - along[0, 1] * along[1, 0],
    )


@helper
def _angle(ax, ay, az, bx, by, bz):
    """Between two vectors, degrees."""
    cross = np.sqrt((ay * bz - az * by) ** 2 + (az * bx - ax * bz) ** 2 + (ax * by - ay * bx) ** 2)
    return np.degrees(np.arctan2(cross, ax * bx + ay * by + az * bz))


@kernel
def _bake(
    samples, wrap_across, wrap_down, taps, uv, weights, left, amplitude, midlevel, base, towards, frames, at, residual,
    angles, hits,
):  # fmt: skip
    size = len(residual)
    for triangle in prange(len(at) // 3):
        a = 3 * triangle
        b, c = a + 1, a + 2
        area = (at[b, 0] - at[a, 0]) * (at[c, 1] - at[a, 1]) - (at[b, 1] - at[a, 1]) * (at[c, 0] - at[a, 0])
        if area == 0:
            continue
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
                tx, ty, tz = _true_normal(
                    samples, wrap_across, wrap_down, taps, uv, weights, left, amplitude, midlevel, base, towards,
                    a, first, second, last,
                )  # fmt: skip
                # the frame as a shader interpolates it: normal, tangent, and the bitangent from both
                n = np.empty(7)
                for part in range(7):
                    n[part] = first * frames[a, part] + second * frames[b, part] + last * frames[c, part]
                sign = 1.0 if n[6] > 0 else -1.0
                bx = sign * (n[1] * n[5] - n[2] * n[4])
                by = sign * (n[2] * n[3] - n[0] * n[5])
                bz = sign * (n[0] * n[4] - n[1] * n[3])
                # solved for the parts of tangent, bitangent and normal, by Cramer's rule
                cx, cy, cz = by * n[2] - bz * n[1], bz * n[0] - bx * n[2], bx * n[1] - by * n[0]
                whole = n[3] * cx + n[4] * cy + n[5] * cz
                if abs(whole) < 1e-12:
                    continue
                red = (tx * cx + ty * cy + tz * cz) / whole
                dx, dy, dz = n[1] * n[5] - n[2] * n[4], n[2] * n[3] - n[0] * n[5], n[0] * n[4] - n[1] * n[3]
                green = (tx * dx + ty * dy + tz * dz) / whole
                ex, ey, ez = n[4] * bz - n[5] * by, n[5] * bx - n[3] * bz, n[3] * by - n[4] * bx
                blue = (tx * ex + ty * ey + tz * ez) / whole
                long = np.sqrt(red * red + green * green + blue * blue)
                if not long > 0:
                    continue
                row = size - 1 - y
                red, green, blue = red / long, green / long, blue / long
                residual[row, x, 0], residual[row, x, 1], residual[row, x, 2] = red, green, blue
                red = np.rint((red * 0.5 + 0.5) * 65535) / 65535 * 2 - 1
                green = np.rint((green * 0.5 + 0.5) * 65535) / 65535 * 2 - 1
                blue = np.rint((blue * 0.5 + 0.5) * 65535) / 65535 * 2 - 1
                angles[row, x, 0] = _angle(tx, ty, tz, n[0], n[1], n[2])
                angles[row, x, 1] = _angle(
                    tx, ty, tz,
                    red * n[3] + green * bx + blue * n[0],
                    red * n[4] + green * by + blue * n[1],
                    red * n[5] + green * bz + blue * n[2],
                )  # fmt: skip

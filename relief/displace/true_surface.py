"""What is true: the surface that a displaced mesh stands for.

For a shape of ours it is the shape itself, for an own mesh what its corner normals, interpolated, make of it, and for
one that is subdivided smoothly its limit; each displaced along its own directions. A place on a triangle stands for the
place of the true base that has the interpolated normal, and carries the relief that the triangle's uv say. Deviation,
detail kept and the residual normal map are all measured against this surface.

The true surface is S = B + D d, with the base B, the direction D that it moves in and the distance d. Its normal is the
cross product of its derivatives along two edges of the triangle: of B they lie in the plane of the smooth normal, not
in the facet.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from relief.filters.sample import height_at
from relief.kernels import helper
from relief.surface.mesh import Mesh
from relief.surface.patches import Patch

STEP = 1e-5
"""Of a patch's parameters, over which its derivatives are taken."""

FINE = 1_000_000
"""Triangles beyond which facets are so small that a shape of ours need not be asked how it bends."""

BENDS = 12
"""Numbers of one bend: the derivatives of position and normal along both parameters."""


def bends_at(
    patches: Sequence[Patch] | None, parts: np.ndarray, places: np.ndarray, turned: bool = False
) -> np.ndarray:
    """How a shape of ours bends at places of its patches.

    Args:
        patches: of the shape; none for what is no shape of ours.
        parts: the patch of each place, integers (places,).
        places: its parameters, float (places, 2).
        turned: whether its faces, and so its normals, were turned around.

    Returns:
        float32 (places, 12): the derivative of the position along the first and the second parameter, then those of
        the normal; all 0 where the patch is flat. Central differences in float64.
    """
    found = np.zeros((len(places), BENDS), np.float32)
    for number, patch in enumerate(patches or ()):
        here = np.flatnonzero(parts == number) if patch.curved else np.zeros(0, int)
        if not len(here):
            continue
        u, v = places[here].astype(np.float64).T[:, None]
        for side, (across, up) in enumerate(((STEP, 0), (0, STEP))):
            ahead, behind = patch.place(u + across, v + up), patch.place(u - across, v - up)
            for kind in range(2):  # positions, normals
                first = 6 * kind + 3 * side
                found[here, first : first + 3] = ((ahead[kind] - behind[kind]) / (2 * STEP))[0]
    if turned:
        found[:, 6:] *= -1
    return found


def bends_of_corners(patches: Sequence[Patch] | None, own: Mesh, turned: bool = False) -> np.ndarray:
    """How a shape of ours bends at the corners of its triangles: float32 (corners, 12); (0, 12) where it is not asked.

    Args:
        patches, turned: as `bends_at` takes them.
        own: the triangles with their own uv.
    """
    if not any(patch.curved for patch in patches or ()) or own.faces > FINE:
        return np.zeros((0, BENDS), np.float32)
    return bends_at(patches, own.parts[own.face_of_corners], own.uv[own.uv_corners], turned)


class BaseOfCorners(NamedTuple):
    """The base at the corners of some triangles.

    Attributes:
        places: positions, float64 (corners, 3), mm.
        smooth: normals, float32 (corners, 3).
        towards: the directions in which it is displaced, (corners, 3).
        own: parameters of the shape, float32 (corners, 2).
    """

    places: np.ndarray
    smooth: np.ndarray
    towards: np.ndarray
    own: np.ndarray


@helper
def true_normal(relief, base, bend, a, first, second, last):
    """The normal of the true surface at a place within a triangle, as a tuple, not of unit length.

    `a` is the first of its corners among those of `relief` (`ReliefOnCorners`) and `base` (`BaseOfCorners`); `bend` is
    how the base bends at the place, all 0 where that is not known.
    """
    samples, wrap_across, wrap_down, taps, mean, uv, weights, left, amplitude, midlevel = relief
    places, smooth, towards, own = base
    b, c = a + 1, a + 2
    rows, columns = samples.shape
    step, lift = 0.25 / columns, 0.25 / rows
    here = mean
    rises = np.zeros(2)  # of the height along both edges
    for layer in range(len(uv)):
        w = first * weights[layer, a] + second * weights[layer, b] + last * weights[layer, c]
        if w <= 0:
            continue
        u = first * uv[layer, a, 0] + second * uv[layer, b, 0] + last * uv[layer, c, 0]
        v = first * uv[layer, a, 1] + second * uv[layer, b, 1] + last * uv[layer, c, 1]
        height = height_at(samples, u, v, wrap_across, wrap_down, taps)
        across = (
            height_at(samples, u + step, v, wrap_across, wrap_down, taps)
            - height_at(samples, u - step, v, wrap_across, wrap_down, taps)
        ) / (2 * step)
        up = (
            height_at(samples, u, v + lift, wrap_across, wrap_down, taps)
            - height_at(samples, u, v - lift, wrap_across, wrap_down, taps)
        ) / (2 * lift)
        here += w * (height - mean)
        for side in range(2):
            end = b if side == 0 else c
            du, dv = uv[layer, end, 0] - uv[layer, a, 0], uv[layer, end, 1] - uv[layer, a, 1]
            rises[side] += w * (across * du + up * dv) + (weights[layer, end] - weights[layer, a]) * (height - mean)
    stays = first * left[a] + second * left[b] + last * left[c]
    moved = (here - midlevel) * amplitude
    direction, upright, facet = np.empty(3), np.empty(3), np.empty(3)
    for axis in range(3):
        one, other = (axis + 1) % 3, (axis + 2) % 3
        direction[axis] = first * towards[a, axis] + second * towards[b, axis] + last * towards[c, axis]
        upright[axis] = first * smooth[a, axis] + second * smooth[b, axis] + last * smooth[c, axis]
        facet[axis] = (places[b, one] - places[a, one]) * (places[c, other] - places[a, other]) - (
            places[b, other] - places[a, other]
        ) * (places[c, one] - places[a, one])
    long = max(np.sqrt(direction[0] ** 2 + direction[1] ** 2 + direction[2] ** 2), 1e-12)
    tall = max(np.sqrt(upright[0] ** 2 + upright[1] ** 2 + upright[2] ** 2), 1e-12)
    flat = max(np.sqrt(facet[0] ** 2 + facet[1] ** 2 + facet[2] ** 2), 1e-300)
    cosine = 0.0
    bends = False
    for axis in range(3):
        direction[axis], upright[axis], facet[axis] = direction[axis] / long, upright[axis] / tall, facet[axis] / flat
        cosine += facet[axis] * upright[axis]
    for number in range(12):
        bends = bends or bend[number] != 0
    along = np.empty((2, 3))
    lain, bent = np.empty(3), np.empty(3)
    for side in range(2):
        end = b if side == 0 else c
        slope = amplitude * stays * rises[side] + moved * (left[end] - left[a])
        if bends:
            du, dv = own[end, 0] - own[a, 0], own[end, 1] - own[a, 1]
            for axis in range(3):
                lain[axis] = bend[axis] * du + bend[3 + axis] * dv
                bent[axis] = bend[6 + axis] * du + bend[9 + axis] * dv
                # at a rim it does not move along its normal
                bent[axis] += (towards[end, axis] - towards[a, axis] - smooth[end, axis] + smooth[a, axis]) / long
        else:
            tilt = turn = 0.0
            for axis in range(3):
                lain[axis] = places[end, axis] - places[a, axis]
                bent[axis] = (towards[end, axis] - towards[a, axis]) / long
                tilt += upright[axis] * lain[axis]
            if cosine > -0.5:
                # the edge, turned as the facet has to be turned to lie on the smooth base
                for axis in range(3):
                    lain[axis] -= tilt / (1 + cosine) * (facet[axis] + upright[axis])
        tilt = turn = 0.0
        for axis in range(3):
            tilt += upright[axis] * lain[axis]
            turn += direction[axis] * bent[axis]
        for axis in range(3):
            if bends:
                lain[axis] -= tilt * upright[axis]
            bent[axis] -= turn * direction[axis]
            along[side, axis] = lain[axis] + direction[axis] * slope + moved * stays * bent[axis]
    return (
        along[0, 1] * along[1, 2] - along[0, 2] * along[1, 1],
        along[0, 2] * along[1, 0] - along[0, 0] * along[1, 2],
        along[0, 0] * along[1, 1] - along[0, 1] * along[1, 0],
    )

"""Photometric stereo: the normals and the colours of a surface from photos with the light moved between them.

In linear light a dull surface shows I = a (s + n . l) where the light l reaches it, a being its colour and s the share
of light that comes from everywhere (Woodham 1980, Photometric method for determining surface orientation from multiple
images, Optical Engineering 19). For each texel g = a n is fitted by least squares; observations that lie far off, as
they are in shadow or glossy, lose their weight step by step (Holland & Welsch 1977, iteratively reweighted least
squares, with Tukey's biweight). What is seen in shadow tells how much light comes from everywhere; that is taken off.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from relief.depth.lamps import Lamps
from relief.errors import ReliefError
from relief.kernels import helper, kernel
from relief.progress import Progress

FEWEST, MOST = 3, 24
"""Photos in a lit series."""

STEPS = 6
"""Times that each texel is fitted anew."""

SETTLED = 0.002
"""A change by less than this part of the brightness ends the fitting of a texel."""

CUT = 4.685
"""Tukey's: beyond so many scales of the residuals an observation has no weight."""

LEAST_SCALE = 0.01
"""The least scale of the residuals, as a part of a texel's brightness: grain alone does not cast observations out."""

SHADOW = 0.5
"""An observation darker than this part of what it should be lies in shadow."""

LOOKED_AT = 256
"""Texels on the long side, about, at which shadows are looked into."""

FEW_DARK = 0.002
"""Observations in shadow, as a part of the texels, from which on they tell how much light comes from everywhere."""

LIT, FEWEST_LIT = 0.35, 100
"""A texel that is nowhere darker than this part of its mean is reached by all lights; and so many there have to be."""

ONE_RING = 0.02
"""Least ratio of the singular values of the directions and a 1: below it the lights stand at one height."""

ROUNDS = 3
"""Times that the light from everywhere is measured."""

MOST_AROUND = 0.8
"""Beyond this share the light comes from everywhere rather than from a lamp, and little can be told."""

PLANAR = 0.02
"""Least ratio of the smallest to the largest singular value of the directions."""


@dataclass(frozen=True)
class Solution:
    """What a lit series tells of a surface.

    Attributes:
        normals: unit vectors, float32 (rows, columns, 3): x right, y up, z out of the surface.
        brightness: of the surface without any light in it, float32 (rows, columns), in the unit of the photos.
        weights: how much each photo counted at each texel, uint8 (photos, rows, columns), 255 for all.
        around: the share of light that comes from everywhere, of the lamp's.
    """

    normals: np.ndarray
    brightness: np.ndarray
    weights: np.ndarray
    around: float

    @property
    def seen(self) -> float:
        """The mean share of photos that counted at a texel."""
        return float(self.weights.mean()) / 255

    @property
    def turned(self) -> Solution:
        """The same by lights turned around: hills are hollows."""
        return replace(self, normals=self.normals * np.array([-1, -1, 1], np.float32))

    def under(self, lamps: Lamps, number: int) -> np.ndarray:
        """What the surface looks like under one of the lamps, cast shadows apart: float32 (rows, columns)."""
        if not lamps.nearness:
            lit = np.maximum(self.normals @ lamps.directions[number].astype(np.float32), 0)
        else:
            towards, square = lamps.over(number, *self.brightness.shape)
            lit = np.maximum((self.normals * towards).sum(axis=2), 0) / square
        return np.asarray(self.brightness * (lit + np.float32(self.around)))


def solve_series(
    photos: np.ndarray, lamps: Lamps, progress: Progress | None = None, *, roughly: bool = False
) -> Solution:
    """The normals of a surface, texel by texel.

    Args:
        photos: linear light, float32 (photos, rows, columns), of one brightness of the lamp.
        lamps: of each photo.
        progress: told of each round; may cancel between two.
        roughly: whether shadows alone tell of light from everywhere, as for photos that do not lie on each other yet.

    Raises:
        ReliefError: too few photos, or lights that lie in one plane.
    """
    if not FEWEST <= len(photos) <= MOST:
        raise ReliefError(f"A lit series has {FEWEST} to {MOST} photos; these are {len(photos)}.")
    singular = np.linalg.svd(lamps.directions, compute_uv=False)
    if singular[2] < PLANAR * singular[0]:
        raise ReliefError("The lights are coplanar with the surface centre. Move one of them aside.")
    progress = progress or Progress()
    few, few_lamps = thin_out(photos), lamps.thin_out(thinning(photos))
    around = 0.0
    for number in range(ROUNDS):
        progress.step(0.3 + 0.1 * number, "Finding the shadows")
        shade = _fit_all(few, few_lamps, around)[2]
        dark = shade[:, 0].sum()
        if dark < few[0].size * FEW_DARK:
            if not number and not roughly:  # too little lies in shadow to tell what shines into it
                around = _shine_without_shadow(few, few_lamps)
            break
        around = min(float(shade[:, 1].sum() / dark), MOST_AROUND)
    progress.step(0.6, "Fitting normals")
    fitted, weights, _ = _fit_all(photos, lamps, around)
    brightness = np.linalg.norm(fitted, axis=2)
    normals = fitted / np.maximum(brightness, 1e-9)[..., None]
    normals[brightness <= 1e-9] = (0, 0, 1)
    return Solution(_face_out(normals), brightness, weights, around)


def thin_out(photos: Sequence[np.ndarray] | np.ndarray) -> np.ndarray:
    """A few texels of photos, about `LOOKED_AT` on the long side: float32 (photos, rows, columns)."""
    step = thinning(photos)
    return np.stack([photo[::step, ::step] for photo in photos])


def thinning(photos: Sequence[np.ndarray] | np.ndarray) -> int:
    """Of how many texels `thin_out` takes one, in both directions."""
    return max(1, max(photos[0].shape) // LOOKED_AT)


def find_lit_by_all(photos: np.ndarray) -> np.ndarray:
    """Which texels of photos (photos, rows, columns) lie in the shadow of no light: bool (rows, columns)."""
    mean = photos.mean(axis=0)
    return np.asarray((photos.min(axis=0) > LIT * mean) & (mean > 0))


def measure_residual(photos: np.ndarray, lamps: Lamps) -> float:
    """What the surface that is measured does not explain of the photos: the median, as a part of its brightness.

    Arguments and errors are those of `solve_series`.
    """
    solution = solve_series(photos, lamps)
    off = [np.abs(photo - solution.under(lamps, number)) for number, photo in enumerate(photos)]
    return float(np.median(np.stack(off) / np.maximum(solution.brightness, 1e-6)))


def _shine_without_shadow(photos: np.ndarray, lamps: Lamps) -> float:
    """The share of light from everywhere where nothing lies in shadow: what is left of all photos beside a normal.

    A texel that every light reaches shows I = g . l + c, which four lights of different heights tell apart. One ring of
    lights does not: there 0 is taken.
    """
    singular = np.linalg.svd(np.column_stack([lamps.directions, np.ones(len(photos))]), compute_uv=False)
    lit = find_lit_by_all(photos)
    if len(photos) < 4 or singular[3] < ONE_RING * singular[0] or lit.sum() < FEWEST_LIT:
        return 0.0
    over = [lamps.over(number, *lit.shape) for number in range(len(photos))]
    unknowns = np.stack(
        [np.column_stack([(way / square[..., None])[lit], np.ones(lit.sum())]) for way, square in over], 1
    )
    turned = unknowns.transpose(0, 2, 1)
    *normal, rest = np.linalg.solve(turned @ unknowns, turned @ photos[:, lit].T[..., None])[..., 0].T
    share = float(np.median(rest / np.maximum(np.linalg.norm(normal, axis=0), 1e-9)))
    return min(max(share, 0.0), MOST_AROUND)


def colours_of_series(photos: list[np.ndarray], lamps: Lamps, solution: Solution) -> np.ndarray:
    """The colours of the surface without any light in them: float32 (rows, columns, 3), linear.

    Args:
        photos: each float32 (rows, columns, 3), linear light.
        lamps: as for `solve_series`.
        solution: what that gave.
    """
    above = np.zeros_like(photos[0])
    below = np.full(photos[0].shape[:2], 1e-6, np.float32)
    around, rise = np.float32(solution.around), lamps.rise(*photos[0].shape[:2])
    for photo, direction, weights in zip(photos, lamps.directions.astype(np.float32), solution.weights, strict=True):
        _add_colours(photo, solution.normals, direction, lamps.steps, rise, around, weights, above, below)
    above /= below[..., None]
    return above


def _fit_all(photos: np.ndarray, lamps: Lamps, around: float) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Normals times brightness, the weights of the photos, and by rows what lies in shadow."""
    count, rows, columns = photos.shape
    fitted, weights = np.empty((rows, columns, 3), np.float32), np.empty((count, rows, columns), np.uint8)
    shade = np.zeros((rows, 2))
    directions = lamps.directions.astype(np.float32)
    _fit(photos, directions, lamps.steps, lamps.rise(rows, columns), np.float32(around), fitted, weights, shade)
    return fitted, weights, shade


LEAST_UP = 0.05
"""The least part of a normal that stands out of the surface."""


def _face_out(normals: np.ndarray) -> np.ndarray:
    """Normals that stand out of the surface: one that would overhang is laid as flat as may be."""
    low = normals[..., 2] < LEAST_UP
    normals[low, 2] = LEAST_UP
    normals[low] /= np.linalg.norm(normals[low], axis=1, keepdims=True)
    return normals.astype(np.float32)


@helper
def _light_from(lamp, right, up, rise, out):
    """The unit vector towards a lamp from a place, and by how much its light is weaker there than in the middle."""
    x, y, z = lamp[0] - right, lamp[1] - up, lamp[2] - rise
    square = x * x + y * y + z * z
    part = np.float32(1) / np.sqrt(square)
    out[0], out[1], out[2], out[3] = x * part, y * part, z * part, square


@kernel(rows_of="photo")
def _add_colours(begin, end, photo, normals, lamp, steps, rise, around, weights, above, below):
    rows, columns = below.shape
    for row in range(begin, end):
        light = np.empty(4, np.float32)
        up = (np.float32(0.5) * rows - np.float32(0.5) - row) * steps[1]
        for column in range(columns):
            right = (column + np.float32(0.5) - np.float32(0.5) * columns) * steps[0]
            _light_from(lamp, right, up, rise[row, column], light)
            lit = np.float32(0)
            for axis in range(3):
                lit += normals[row, column, axis] * light[axis]
            shade = max(lit, np.float32(0)) / light[3] + around
            weighed = shade * weights[row, column] / np.float32(255)
            below[row, column] += weighed * shade
            for channel in range(3):
                above[row, column, channel] += weighed * photo[row, column, channel]


@helper
def _solve_three(m, v):
    """x of m x = v for a symmetric matrix given as (xx, xy, xz, yy, yz, zz), by cofactors."""
    xx, xy, xz, yy, yz, zz = m
    a, b, c = yy * zz - yz * yz, xz * yz - xy * zz, xy * yz - xz * yy
    whole = xx * a + xy * b + xz * c
    if abs(whole) < 1e-12:
        return 0.0, 0.0, 0.0, False
    d, e, f = xx * zz - xz * xz, xy * xz - xx * yz, xx * yy - xy * xy
    x = (a * v[0] + b * v[1] + c * v[2]) / whole
    y = (b * v[0] + d * v[1] + e * v[2]) / whole
    z = (c * v[0] + e * v[1] + f * v[2]) / whole
    return x, y, z, True


@helper
def _order(values, out):
    """A few values, the smallest first."""
    for i in range(values.size):
        value, place = values[i], i
        while place > 0 and out[place - 1] > value:
            out[place] = out[place - 1]
            place -= 1
        out[place] = value


@kernel(rows_of="shade")
def _fit(begin, end, photos, lamps, steps, rise, around, fitted, weights, shade):
    """Fits each texel; sums up by rows what lies in shadow: how many observations, and their shares of brightness."""
    count, rows, columns = photos.shape
    for row in range(begin, end):
        seen, weight = np.empty(count, np.float32), np.empty(count, np.float32)
        off, order = np.empty(count, np.float32), np.empty(count, np.float32)
        lights = np.empty((count, 4), np.float32)
        up = (np.float32(0.5) * rows - np.float32(0.5) - row) * steps[1]
        dark, share = 0.0, 0.0
        for column in range(columns):
            brightest = np.float32(0)
            right = (column + np.float32(0.5) - np.float32(0.5) * columns) * steps[0]
            for i in range(count):
                _light_from(lamps[i], right, up, rise[row, column], lights[i])
                seen[i] = photos[i, row, column] * lights[i, 3]
                brightest = max(brightest, seen[i])
            for i in range(count):
                # what is far darker than the brightest lies in shadow or nearly so, what is the brightest may be glossy
                weight[i] = 1.0 if seen[i] > 0.2 * brightest else 0.1
            x, y, z = 0.0, 0.0, float(brightest)
            for _ in range(STEPS):
                length = np.sqrt(x * x + y * y + z * z)
                xx, xy, xz, yy, yz, zz = 1e-9, 0.0, 0.0, 1e-9, 0.0, 1e-9
                vx, vy, vz = 0.0, 0.0, 0.0
                for i in range(count):
                    a, b, c, w = lights[i, 0], lights[i, 1], lights[i, 2], weight[i]
                    value = seen[i] - around * lights[i, 3] * length
                    xx, xy, xz = xx + w * a * a, xy + w * a * b, xz + w * a * c
                    yy, yz, zz = yy + w * b * b, yz + w * b * c, zz + w * c * c
                    vx, vy, vz = vx + w * a * value, vy + w * b * value, vz + w * c * value
                new_x, new_y, new_z, solved = _solve_three((xx, xy, xz, yy, yz, zz), (vx, vy, vz))
                if not solved:
                    break
                change = max(abs(new_x - x), abs(new_y - y), abs(new_z - z))
                x, y, z = new_x, new_y, new_z
                length = np.sqrt(x * x + y * y + z * z)
                for i in range(count):
                    lit = max(lights[i, 0] * x + lights[i, 1] * y + lights[i, 2] * z, 0.0)
                    off[i] = abs(seen[i] - around * lights[i, 3] * length - lit)
                # the third of the residuals from below that three unknowns leave: the median of those that are free
                _order(off, order)
                scale = max(1.4826 * order[min(3 + (count - 3) // 2, count - 1)], LEAST_SCALE * length)
                trusted = 0
                for i in range(count):
                    part = off[i] / (CUT * scale)
                    weight[i] = (1 - part * part) ** 2 if part < 1 else 0.0
                    if lights[i, 0] * x + lights[i, 1] * y + lights[i, 2] * z <= 0:
                        weight[i] = 0.0  # the surface turns away from it
                    trusted += weight[i] > 0.05
                if change < SETTLED * length:
                    break
                if trusted < 3:
                    for i in range(count):
                        weight[i] = max(weight[i], 0.05)
            fitted[row, column, 0], fitted[row, column, 1], fitted[row, column, 2] = x, y, z
            length = np.sqrt(x * x + y * y + z * z)
            for i in range(count):
                weights[i, row, column] = np.uint8(255 * min(weight[i], 1.0))
                lit = lights[i, 0] * x + lights[i, 1] * y + lights[i, 2] * z
                if length > 0 and (lit <= 0 or (lit > 0.15 * length and seen[i] < SHADOW * lit)):
                    dark += 1
                    share += seen[i] / (length * lights[i, 3])
        shade[row, 0], shade[row, 1] = dark, share

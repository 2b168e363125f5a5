"""Height fields and pictures at another number of texels.

Shrinking by area is the mean of what each new texel covers, exact for ramps and at every ratio. Enlarging interpolates;
beyond an edge that does not wrap the samples go straight on, so that a ramp keeps its slope.

References:
    B. van Leer 1977, Towards the ultimate conservative difference scheme IV, J. Computational Physics 23 (a plane in
    each cell that keeps its mean; cited from memory).
    R. G. Keys 1981, Cubic convolution interpolation for digital image processing, IEEE Trans. ASSP 29 (bicubic with
    a = -1/2, exact on quadratics).
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from PIL import Image

from relief.height import HeightField, extend, fit_size, pad
from relief.kernels import inlined, kernel

Method = Literal["area", "lanczos", "bicubic", "bilinear", "nearest"]
METHOD_NAMES = {
    "area": "By area; bicubic where it enlarges",
    "lanczos": "Lanczos",
    "bicubic": "Bicubic",
    "bilinear": "Bilinear",
    "nearest": "Nearest",
}
FILTERS = {
    "lanczos": Image.Resampling.LANCZOS,
    "bicubic": Image.Resampling.BICUBIC,
    "bilinear": Image.Resampling.BILINEAR,
    "nearest": Image.Resampling.NEAREST,
}
SUPPORT = 3
"""Texels that the widest filter reaches beyond a place."""


def resample(samples: np.ndarray, rows: int, columns: int, method: Method, wraps: tuple[bool, bool]) -> np.ndarray:
    """Samples on another grid over the same footprint.

    Args:
        samples: float32 (rows, columns) or (rows, columns, channels).
        rows, columns: the new size.
        method: `area` is the mean of what a texel covers along a side that shrinks, and bicubic along one that grows.
            The other filters are widened when shrinking, all but `nearest`, so that no texel is left out.
        wraps: whether the field wraps (across, down).

    Returns:
        float32 (rows, columns[, channels]). What wraps keeps wrapping.
    """
    old_rows, old_columns = samples.shape[:2]
    if (old_rows, old_columns) == (rows, columns):
        return np.asarray(samples, np.float32)
    if method == "area":
        samples = resample_by_area(samples, min(rows, old_rows), min(columns, old_columns), wraps)
        method = "bicubic"
    if samples.shape[:2] == (rows, columns):
        return samples
    if method == "bicubic" and rows >= samples.shape[0] and columns >= samples.shape[1]:
        return enlarge(samples, rows, columns, wraps)
    if samples.ndim == 3:
        parts = [_filter(samples[..., part], rows, columns, method, wraps) for part in range(samples.shape[2])]
        return np.dstack(parts)
    return _filter(samples, rows, columns, method, wraps)


def _filter(samples: np.ndarray, rows: int, columns: int, method: Method, wraps: tuple[bool, bool]) -> np.ndarray:
    """Samples (rows, columns) on another grid by one of Pillow's filters: float32."""
    old_rows, old_columns = samples.shape
    beyond_across = int(np.ceil(SUPPORT * max(1, old_columns / columns)))
    beyond_down = int(np.ceil(SUPPORT * max(1, old_rows / rows)))
    beyond = pad if method == "nearest" else extend
    wide = beyond(np.asarray(samples, np.float32), (beyond_across, beyond_down), wraps)
    box = (beyond_across, beyond_down, beyond_across + old_columns, beyond_down + old_rows)
    return np.asarray(Image.fromarray(wide).resize((columns, rows), FILTERS[method], box))


def resample_by_area(
    samples: np.ndarray, rows: int, columns: int, wraps: tuple[bool, bool] = (False, False)
) -> np.ndarray:
    """Samples shrunk by area: each new one is the mean of the old surface over what it covers.

    Within an old texel the surface is the plane through its mean with the slope to its neighbours, made less where it
    would leave their range (the monotonised slope of B. van Leer 1977, J. Comput. Phys. 23, in either direction). So
    whole texels count as they are, parts of one as that part of the plane; ramps come through as ramps, the mean of all
    stays, and nothing goes beyond what is averaged.

    Args:
        samples: (rows, columns) or (rows, columns, channels), whole numbers or floats.
        rows, columns: the new size, at most the old one.
        wraps: whether the field wraps (across, down).

    Returns:
        float32 of the new size, in the units of the samples.
    """
    if samples.shape[:2] == (rows, columns):
        return np.asarray(samples, np.float32)
    channels = samples.shape[2] if samples.ndim == 3 else 1
    flat = np.ascontiguousarray(samples).reshape(samples.shape[0], -1)
    out = np.empty((rows, columns * channels), np.float32)
    down, (numbers, parts, leans) = _parts(samples.shape[0], rows), _parts(samples.shape[1], columns)
    # across, the channels of a texel lie side by side
    numbers = (numbers.T[..., None] * channels + np.arange(channels)).reshape(numbers.shape[1], -1)
    parts, leans = (np.repeat(each.T, channels, axis=1) for each in (parts, leans))
    leaning = leans.any(axis=1)
    across = np.ascontiguousarray(numbers, np.uint64), parts, leans, leaning
    _average(flat, down, across, wraps, channels, out)
    return out.reshape(rows, columns, *samples.shape[2:])


def enlarge(samples: np.ndarray, rows: int, columns: int, wraps: tuple[bool, bool]) -> np.ndarray:
    """Samples (rows, columns[, channels]) at a size no smaller, by Keys' bicubic: float32. Ramps stay ramps."""
    wide = extend(np.asarray(samples, np.float32), (2, 2), wraps)
    return _mix_taps(wide, _cubic_shares(samples.shape[0], rows), _cubic_shares(samples.shape[1], columns))


def _cubic_shares(old: int, new: int) -> tuple[np.ndarray, np.ndarray]:
    """What each new texel along a side is made of, as `_shares` has it; two more texels lie before the first one."""
    place = (np.arange(new)[:, None] + 0.5) * (old / new) - 0.5
    numbers = np.floor(place).astype(np.int64) + np.arange(-1, 3)
    far = np.abs(place - numbers)
    near, wide = (1.5 * far - 2.5) * far**2 + 1, ((-0.5 * far + 2.5) * far - 4) * far + 2
    return numbers + 2, np.where(far <= 1, near, wide)


def _mix_taps(samples: np.ndarray, down: tuple[np.ndarray, ...], across: tuple[np.ndarray, ...]) -> np.ndarray:
    """Rows and columns each mixed of others, by their numbers and shares: float32."""
    channels = samples.shape[2] if samples.ndim == 3 else 1
    # across, the channels of a texel lie side by side
    numbers = (across[0].T[..., None] * channels + np.arange(channels)).reshape(across[0].shape[1], -1)
    shares = np.repeat(across[1].T, channels, axis=1)
    out = np.empty((len(down[0]), numbers.shape[1]), np.float32)
    flat = np.ascontiguousarray(samples).reshape(samples.shape[0], -1)
    _mix(flat, *down, np.ascontiguousarray(numbers, np.uint64), shares, out)
    return out.reshape(len(down[0]), -1, *samples.shape[2:])


def _parts(old: int, new: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """What each new texel along a side covers.

    Returns:
        Numbers of the old texels, int64 (new, taps); how much of the new texel each is, float64 (new, taps), which add
        up to 1; and that times how far the middle of what is covered lies from the old texel's own, in old texels.
    """
    count = -(-old // new) + 1
    # lengths in parts of which both sizes hold a whole number, so that nothing is lost
    first = np.arange(new)[:, None] * old
    texel = first // new + np.arange(count)
    begin, end = np.maximum(texel * new, first), np.minimum((texel + 1) * new, first + old)
    length = np.maximum(end - begin, 0) / old
    lean = length * ((begin + end) / (2 * new) - texel - 0.5)
    lean[np.abs(lean) < 1e-12] = 0
    return np.minimum(texel, old - 1), length, lean


@inlined
def _limit_slope(before, here, after):
    """The slope of a texel's plane: the mean of both sides', never steeper than twice either, none at a top."""
    left, right = here - before, after - here
    most = 2 * min(abs(left), abs(right)) if left * right > 0 else 0.0
    return min(max(0.5 * (left + right), -most), most)


@kernel(rows_of="out")
def _average(begin, end, samples, down, across, wraps, channels, out):
    """In double precision, so that 1 stays 1; down first, then across."""
    rows_of, row_parts, row_leans = down
    numbers, parts, leans, leaning = across
    wrap_across, wrap_down = wraps
    old_rows, width = samples.shape
    for row in range(begin, end):
        line = np.zeros(width, np.float64)
        for tap in range(rows_of.shape[1]):
            part, lean = row_parts[row, tap], row_leans[row, tap]
            if part == 0:
                continue
            number = rows_of[row, tap]
            here = samples[number]
            for place in range(width):
                line[place] += part * here[place]
            if lean != 0:
                above, below = number - 1, number + 1
                if above < 0:
                    above = old_rows - 1 if wrap_down else 0
                if below == old_rows:
                    below = 0 if wrap_down else number
                before, after = samples[above], samples[below]
                for place in range(width):
                    line[place] += lean * _limit_slope(
                        np.float64(before[place]), np.float64(here[place]), np.float64(after[place])
                    )
        total = np.zeros(out.shape[1], np.float64)
        for tap in range(numbers.shape[0]):
            taken, counts = numbers[tap], parts[tap]
            for place in range(total.size):
                total[place] += counts[place] * line[taken[place]]
        if leaning.any():
            slopes = np.empty(width, np.float64)
            for place in range(channels, width - channels):
                slopes[place] = _limit_slope(line[place - channels], line[place], line[place + channels])
            for place in range(min(channels, width)):
                last = width - channels + place
                left, right = (line[last], line[place]) if wrap_across else (line[place], line[last])
                after = line[place + channels] if width > channels else line[place]
                before = line[last - channels] if width > channels else line[last]
                slopes[place] = _limit_slope(left, line[place], after)
                slopes[last] = _limit_slope(before, line[last], right)
            for tap in range(numbers.shape[0]):
                if leaning[tap]:
                    taken, counts = numbers[tap], leans[tap]
                    for place in range(total.size):
                        total[place] += counts[place] * slopes[taken[place]]
        for place in range(total.size):
            out[row, place] = total[place]


@kernel(rows_of="out")
def _mix(begin, end, samples, from_rows, row_shares, from_columns, column_shares, out):
    """Tap after tap over a whole row, so that it runs on vector registers; in double precision, so that 1 stays 1."""
    for row in range(begin, end):
        line = np.zeros(samples.shape[1], np.float64)
        for tap in range(from_rows.shape[1]):
            share = row_shares[row, tap]
            if share != 0:
                here = samples[from_rows[row, tap]]
                for place in range(line.size):
                    line[place] += share * here[place]
        total = np.zeros(out.shape[1], np.float64)
        for tap in range(from_columns.shape[0]):
            numbers, shares = from_columns[tap], column_shares[tap]
            for place in range(total.size):
                total[place] += shares[place] * line[numbers[place]]
        for place in range(total.size):
            out[row, place] = total[place]


def shrink(samples: np.ndarray, longest: int | None) -> np.ndarray:
    """Samples averaged by area so that the longer side has at most `longest` texels.

    Args:
        samples: (rows, columns[, channels]).
        longest: none leaves them as they are.

    Returns:
        Samples of the same type; whole numbers at the nearest level.
    """
    rows, columns = fit_size(samples.shape[0], samples.shape[1], longest)
    if (rows, columns) == samples.shape[:2]:
        return samples
    return as_type(resample_by_area(samples, rows, columns), samples.dtype)


def as_type(samples: np.ndarray, dtype: np.dtype) -> np.ndarray:
    """Interpolated samples in the type they had: whole numbers at the nearest level, cut off at the type's ends."""
    if dtype.kind == "f":
        return samples
    # the largest 32-bit number has no float32, the next lower one has
    most = min(np.iinfo(dtype).max, 2**32 - 256)
    return np.clip(np.rint(samples), 0, most).astype(dtype)


def resample_field(field: HeightField, rows: int, columns: int, method: Method) -> HeightField:
    """The height field, and its alpha, at another number of texels."""
    if field.samples.shape == (rows, columns):
        return field
    wraps = field.edges.wraps
    alpha = None
    if field.alpha is not None:
        alpha = np.clip(resample(field.alpha, rows, columns, method, wraps), 0, 1)
    return replace(field, samples=resample(field.samples, rows, columns, method, wraps), alpha=alpha)

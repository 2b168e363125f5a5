"""Heights between the texels of a field."""

from __future__ import annotations

from typing import Literal

import numpy as np

from relief.height import HeightField
from relief.kernels import helper, inlined, kernel

Sampling = Literal["nearest", "bilinear", "bicubic"]
SAMPLING_NAMES = {"nearest": "Nearest", "bilinear": "Bilinear", "bicubic": "Bicubic"}
TAPS = {"nearest": 1, "bilinear": 2, "bicubic": 4}


def sample_heights(field: HeightField, u: np.ndarray, v: np.ndarray, sampling: Sampling = "bilinear") -> np.ndarray:
    """Heights at places of the footprint and of its repeats.

    Args:
        field: the height field.
        u: 0 at the left edge to 1 at the right edge, any shape; beyond that lie further repeats.
        v: 0 at the bottom edge to 1 at the top edge, same shape.
        sampling: `nearest` takes the texel there; `bilinear` joins texel centres by straight lines; `bicubic` by the
            cubic convolution of Keys 1981 (a = -1/2), which passes through every sample. Over an edge that wraps the
            neighbours are those of the other side; at one that clamps the last texel goes on.

    Returns:
        float32 heights of the shape of `u`.
    """
    across, up = np.broadcast_arrays(np.asarray(u, np.float64), np.asarray(v, np.float64))
    out = np.empty(across.size, np.float32)
    places = (np.ascontiguousarray(part).ravel() for part in (across, up))
    _sample(field.samples, *places, *field.edges.wraps, TAPS[sampling], out)
    return out.reshape(across.shape)


@inlined
def _neighbour(number, count, wrap):
    if 0 <= number < count:  # nearly always, and a remainder takes long
        return number
    return number % count if wrap else min(max(number, 0), count - 1)


@inlined
def _in_repeat(place):
    """The place in its own repeat; both edges of one belong to it."""
    return place - np.floor(place) if place < 0 or place > 1 else place


@inlined
def _share(tap, taps, past):
    """What one of the texels around a place counts; `past` is how far it lies behind the second middle one, 0 to 1."""
    if taps == 1:
        return np.float32(1)
    if taps == 2:
        return np.float32(1 - past) if tap == 0 else np.float32(past)
    far = abs(tap - 1 - past)
    if far <= 1:
        return np.float32((1.5 * far - 2.5) * far * far + 1)
    return np.float32(((-0.5 * far + 2.5) * far - 4) * far + 2)


@helper
def height_at(samples, u, v, wrap_across, wrap_down, taps):
    """The height at one place, as `sample_heights` takes it; `taps` are those of `TAPS`."""
    rows, columns = samples.shape
    middle = 0.0 if taps == 1 else 0.5
    before = 1 if taps == 4 else 0
    x, y = _in_repeat(u) * columns - middle, (1 - _in_repeat(v)) * rows - middle
    column, row = np.int64(np.floor(x)), np.int64(np.floor(y))
    right, below = x - column, y - row
    if taps == 1:
        return samples[_neighbour(row, rows, wrap_down), _neighbour(column, columns, wrap_across)]
    total = np.float32(0)
    first = column - before
    # the shares of the texels across are the same in each row
    one, two = _share(0, taps, right), _share(1, taps, right)
    left, second = _neighbour(first, columns, wrap_across), _neighbour(first + 1, columns, wrap_across)
    if taps == 2:
        for tap in range(2):
            line = samples[_neighbour(row + tap, rows, wrap_down)]
            total += (line[left] * one + line[second] * two) * _share(tap, 2, below)
        return total
    three, four = _share(2, 4, right), _share(3, 4, right)
    third, fourth = _neighbour(first + 2, columns, wrap_across), _neighbour(first + 3, columns, wrap_across)
    for tap in range(4):
        line = samples[_neighbour(row - 1 + tap, rows, wrap_down)]
        across = line[left] * one + line[second] * two + line[third] * three + line[fourth] * four
        total += across * _share(tap, 4, below)
    return total


@kernel(rows_of="out")
def _sample(begin, end, samples, u, v, wrap_across, wrap_down, taps, out):
    for place in range(begin, end):
        out[place] = height_at(samples, u[place], v[place], wrap_across, wrap_down, taps)

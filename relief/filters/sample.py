"""Heights between the texels of a field."""

from __future__ import annotations

from typing import Literal

import numpy as np

from relief.height import HeightField
from relief.kernels import inlined, kernel, prange

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


@kernel
def _sample(samples, u, v, wrap_across, wrap_down, taps, out):
    rows, columns = samples.shape
    middle = 0.0 if taps == 1 else 0.5
    before = 1 if taps == 4 else 0
    for place in prange(out.size):
        x, y = _in_repeat(u[place]) * columns - middle, (1 - _in_repeat(v[place])) * rows - middle
        column, row = np.int64(np.floor(x)), np.int64(np.floor(y))
        right, below = x - column, y - row
        total = np.float32(0)
        for tap in range(taps):
            at = _neighbour(row - before + tap, rows, wrap_down)
            line = np.float32(0)
            for other in range(taps):
                near = _neighbour(column - before + other, columns, wrap_across)
                line += samples[at, near] * _share(other, taps, right)
            total += line * _share(tap, taps, below)
        out[place] = total

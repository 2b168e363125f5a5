"""Samples taken at places between texels, as a turn, a perspective or an imprint asks for them.

Reference:
    R. G. Keys 1981, Cubic convolution interpolation for digital image processing, IEEE Trans. ASSP 29: a = -1/2, exact
    on quadratics. Places are not rounded.
"""

from __future__ import annotations

import numpy as np

from relief.height import extend
from relief.kernels import inlined, kernel

BEYOND = 2
"""Texels that the cubic reaches beyond a place."""


@inlined
def _weights(part):
    """Keys' weights of the four samples around a place, `part` of the way from the second to the third."""
    half = np.float32(0.5)
    square = part * part
    cube = square * part
    return (
        half * (np.float32(2) * square - part - cube),
        half * (np.float32(3) * cube - np.float32(5) * square) + np.float32(1),
        half * (np.float32(4) * square + part - np.float32(3) * cube),
        half * (cube - square),
    )


@inlined
def cubic_at(wide, channels, channel, x, y):
    """One channel of samples with `BEYOND` more on each side, its channels side by side, at a place inside of them."""
    left, above = int(np.floor(x)), int(np.floor(y))
    x0, x1, x2, x3 = _weights(np.float32(x - left))
    y0, y1, y2, y3 = _weights(np.float32(y - above))
    first = above - 1 + BEYOND
    one, two, three, four = wide[first], wide[first + 1], wide[first + 2], wide[first + 3]
    a = (left - 1 + BEYOND) * channels + channel
    b, c, d = a + channels, a + 2 * channels, a + 3 * channels
    return (
        y0 * (x0 * one[a] + x1 * one[b] + x2 * one[c] + x3 * one[d])
        + y1 * (x0 * two[a] + x1 * two[b] + x2 * two[c] + x3 * two[d])
        + y2 * (x0 * three[a] + x1 * three[b] + x2 * three[c] + x3 * three[d])
        + y3 * (x0 * four[a] + x1 * four[b] + x2 * four[c] + x3 * four[d])
    )


@kernel(rows_of="out")
def _warp(begin, end, wide, channels, matrix, out):
    rows, columns = wide.shape[0] - 2 * BEYOND, wide.shape[1] // channels - 2 * BEYOND
    for row in range(begin, end):
        for column in range(out.shape[1] // channels):
            x = matrix[0, 0] * column + matrix[0, 1] * row + matrix[0, 2]
            y = matrix[1, 0] * column + matrix[1, 1] * row + matrix[1, 2]
            far = matrix[2, 0] * column + matrix[2, 1] * row + matrix[2, 2]
            if far != 1:
                x /= far
                y /= far
            x = min(max(x, -0.5), columns - 0.5)
            y = min(max(y, -0.5), rows - 0.5)
            for channel in range(channels):
                out[row, column * channels + channel] = cubic_at(wide, channels, channel, x, y)


def warp(samples: np.ndarray, matrix: np.ndarray, rows: int, columns: int) -> np.ndarray:
    """Samples at the places that a projective map leads to, by Keys' bicubic.

    Args:
        samples: (old rows, old columns[, channels]), whole numbers or floats. From their outermost centres they go
            straight on to the edge of the picture, and beyond it stay as they are there.
        matrix: (3, 3), takes (column, row, 1) of the result to (column, row, 1) of the samples, up to a factor. Whole
            numbers are the centres of texels.
        rows, columns: size of the result.

    Returns:
        float32 (rows, columns[, channels]), in the units of the samples; it may leave their range by a little.
    """
    wide = extend(np.asarray(samples, np.float32), (BEYOND, BEYOND), (False, False))
    channels = samples.shape[2] if samples.ndim == 3 else 1
    out = np.empty((rows, columns * channels), np.float32)
    _warp(np.ascontiguousarray(wide).reshape(len(wide), -1), channels, np.asarray(matrix, np.float64), out)
    return out.reshape(rows, columns, *samples.shape[2:])


def perspective(places: np.ndarray, onto: np.ndarray) -> np.ndarray:
    """The projective map, float64 (3, 3), that takes four places to four others; each (4, 2), no three in a line."""
    rows, values = [], []
    for (x, y), wanted in zip(places, onto, strict=True):
        for axis, value in enumerate(wanted):
            own = [x, y, 1] if axis == 0 else [0, 0, 0]
            other = [0, 0, 0] if axis == 0 else [x, y, 1]
            rows.append([*own, *other, -value * x, -value * y])
            values.append(value)
    return np.append(np.linalg.solve(rows, values), 1).reshape(3, 3)

"""Height from normals: the surface whose slopes are nearest to those of a normal map.

References:
    R. T. Frankot & R. Chellappa 1988, A method for enforcing integrability in shape from shading, IEEE Trans. PAMI 10
    (where the field tiles).
    T. Simchony, R. Chellappa & M. Shao 1990, Direct analytical methods for solving Poisson equations in computer vision
    problems, IEEE Trans. PAMI 12 (cosine transform, where it does not).
"""

from __future__ import annotations

import numpy as np
import scipy

from relief.sources.colour import full_scale
from relief.sources.roles import Green

STEEPEST = 30.0
"""A normal that lies flatter than this slope is taken for this slope; behind it the surface would overhang."""


def slopes_of_normals(pixels: np.ndarray, green: Green) -> tuple[np.ndarray, np.ndarray]:
    """Slopes dd/dx and dd/dy (y up) of an encoded normal map.

    Args:
        pixels: (rows, columns, 3), whole numbers, or floats from 0 to 1.
        green: which way green faces.

    Returns:
        Two float32 (rows, columns).
    """
    vectors = full_scale(pixels) * 2 - 1
    upright = np.maximum(vectors[..., 2], np.float32(1 / STEEPEST))
    across, up = -vectors[..., 0] / upright, -vectors[..., 1] / upright
    across, up = (np.clip(slope, -STEEPEST, STEEPEST) for slope in (across, up))
    return across, up if green == "up" else -up


def height_from_slopes(
    across: np.ndarray, up: np.ndarray, spacing: tuple[float, float], wraps: tuple[bool, bool]
) -> np.ndarray:
    """The field of mean 0 whose slopes are nearest, in least squares, to the given ones.

    Args:
        across, up: dd/dx and dd/dy, float32 (rows, columns), mm per mm.
        spacing: width and height of a texel, mm.
        wraps: whether the field wraps (across, down). Unless it wraps both ways its border is left free.

    Returns:
        float32 (rows, columns), mm.
    """
    rows, columns = across.shape
    down = -up
    if all(wraps):
        column = 2j * np.pi * scipy.fft.rfftfreq(columns, spacing[0]).astype(np.float32)[None, :]
        row = 2j * np.pi * scipy.fft.fftfreq(rows, spacing[1]).astype(np.float32)[:, None]
        change = np.conj(column) * scipy.fft.rfft2(across, workers=-1) + np.conj(row) * scipy.fft.rfft2(
            down, workers=-1
        )
        power = (np.abs(column) ** 2 + np.abs(row) ** 2).astype(np.float32)
        power[0, 0] = 1
        change[0, 0] = 0
        return scipy.fft.irfft2(change / power, (rows, columns), workers=-1).astype(np.float32)
    # the slope between two neighbours is the mean of theirs; nothing flows over the border
    flow = np.zeros((rows, columns), np.float32)
    between = (across[:, 1:] + across[:, :-1]) / np.float32(2 * spacing[0])
    flow[:, :-1] += between
    flow[:, 1:] -= between
    between = (down[1:] + down[:-1]) / np.float32(2 * spacing[1])
    flow[:-1] += between
    flow[1:] -= between
    column = (2 - 2 * np.cos(np.pi * np.arange(columns, dtype=np.float32) / columns)) / np.float32(spacing[0] ** 2)
    row = (2 - 2 * np.cos(np.pi * np.arange(rows, dtype=np.float32) / rows)) / np.float32(spacing[1] ** 2)
    power = column[None, :] + row[:, None]
    power[0, 0] = 1
    waves = scipy.fft.dctn(flow, norm="ortho", workers=-1)
    waves[0, 0] = 0
    return -scipy.fft.idctn(waves / power, norm="ortho", workers=-1).astype(np.float32)


def height_from_normals(
    pixels: np.ndarray, green: Green, spacing: tuple[float, float], wraps: tuple[bool, bool]
) -> tuple[np.ndarray, float]:
    """Heights of a normal map.

    Args:
        pixels, green: as for `slopes_of_normals`.
        spacing, wraps: as for `height_from_slopes`.

    Returns:
        float32 (rows, columns) from 0 to 1, and the amplitude in mm at which their slopes are those of the map.
    """
    distances = height_from_slopes(*slopes_of_normals(pixels, green), spacing, wraps)
    low, high = float(distances.min()), float(distances.max())
    if high - low < 1e-9:
        return np.full_like(distances, 0.5), 0.0
    return (distances - np.float32(low)) / np.float32(high - low), high - low

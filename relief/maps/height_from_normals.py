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

LEAST_WEIGHT = 0.002
"""Of a slope: what counts for nothing would leave places whose height nothing tells."""

MOST_STEPS, SETTLED = 40, 0.02
"""Steps of a weighted surface at most; it is settled when this part of what was wrong is left."""


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
    across: np.ndarray,
    up: np.ndarray,
    spacing: tuple[float, float],
    wraps: tuple[bool, bool],
    weights: np.ndarray | None = None,
) -> np.ndarray:
    """The field of mean 0 whose slopes are nearest, in least squares, to the given ones.

    Args:
        across, up: dd/dx and dd/dy, float32 (rows, columns), mm per mm.
        spacing: width and height of a texel, mm.
        wraps: whether the field wraps (across, down). Elsewhere its border is left free; with weights all of its border
            is, unless it wraps both ways.
        weights: how much each slope counts, above 0 to 1, float32 (rows, columns); all alike without.

    Returns:
        float32 (rows, columns), mm.
    """
    down = -up
    if weights is None:
        return _of_waves(across, down, spacing, wraps)
    # the slope between two neighbours is the mean of theirs; nothing flows over a border that is free
    between = _Between(spacing, all(wraps))
    slopes = between.mean(across, 1), between.mean(down, 0)
    level = _Leveller(across.shape, spacing, all(wraps))
    height = level(between.spread(*slopes))
    height = _settle(height, slopes, np.clip(weights, LEAST_WEIGHT, 1), between, level)
    return height - height.mean()


def weights_of_slopes(across: np.ndarray, up: np.ndarray) -> np.ndarray:
    """How much slopes that stem from normals count: 1 where level, 1 / (1 + slope^2) elsewhere, float32.

    An error of a normal's angle is one of its slope times 1 + slope^2. Least squares would weigh by its square; but
    what is steep is mostly the drop of a step, which would then be lost altogether.
    """
    return np.asarray(1 / (1 + across * across + up * up))


def _of_waves(
    across: np.ndarray, down: np.ndarray, spacing: tuple[float, float], wraps: tuple[bool, bool]
) -> np.ndarray:
    """The field of mean 0, wave by wave: of whole waves where it wraps (Frankot & Chellappa), of cosines, whose slopes
    are sines, where its border is free (Simchony, Chellappa & Shao).
    """
    shape = across.shape
    columns, rows = (_rates(shape, axis, spacing[1 - axis], wraps) for axis in (1, 0))
    change = np.conj(columns) * _to_waves(across, wraps, 1) + np.conj(rows) * _to_waves(down, wraps, 0)
    power = np.abs(columns) ** 2 + np.abs(rows) ** 2
    power[0, 0] = 1
    change[0, 0] = 0
    height = change / power
    wrapping, free = _axes(wraps)
    if wrapping:
        height = scipy.fft.irfftn(height, [shape[axis] for axis in wrapping], axes=wrapping, workers=-1)
    for axis in free:
        height = scipy.fft.idct(height, axis=axis, workers=-1, overwrite_x=True)
    return np.asarray(height, np.float32)


def _axes(wraps: tuple[bool, bool]) -> tuple[list[int], list[int]]:
    """The axes of an array along which a field wraps, and those along which it does not."""
    return [axis for axis in (0, 1) if wraps[1 - axis]], [axis for axis in (0, 1) if not wraps[1 - axis]]


def _to_waves(slopes: np.ndarray, wraps: tuple[bool, bool], along: int) -> np.ndarray:
    """The waves of slopes along an axis; those of sines in the places of their cosines."""
    wrapping, free = _axes(wraps)
    waves = slopes
    for axis in free:
        if axis == along:  # the first sine belongs to the second cosine, and the last to none
            waves = np.roll(scipy.fft.dst(waves, axis=axis, workers=-1), 1, axis)
            waves[(slice(None),) * axis + (0,)] = 0
        else:
            waves = scipy.fft.dct(waves, axis=axis, workers=-1)
    return np.asarray(scipy.fft.rfftn(waves, axes=wrapping, workers=-1) if wrapping else waves)


def _rates(shape: tuple[int, ...], axis: int, spacing: float, wraps: tuple[bool, bool]) -> np.ndarray:
    """What the waves along an axis are multiplied by where slopes are taken along it: a row or a column."""
    wrapping, free = _axes(wraps)
    count = shape[axis]
    if axis in free:
        rates = -np.pi * np.arange(count, dtype=np.float32) / np.float32(count * spacing)
    else:  # of real numbers half the waves along the last axis are enough
        cycles = scipy.fft.rfftfreq if axis == wrapping[-1] else scipy.fft.fftfreq
        rates = 2j * np.pi * cycles(count, spacing).astype(np.float32)
    return rates[None, :] if axis else rates[:, None]


class _Between:
    """What lies between neighbouring texels: means, differences, and the balance of what flows over them."""

    def __init__(self, spacing: tuple[float, float], wraps: bool) -> None:
        self.spacing, self.wraps = spacing, wraps

    def _next(self, field: np.ndarray, axis: int) -> tuple[np.ndarray, np.ndarray]:
        if self.wraps:
            return field, np.roll(field, -1, axis)
        return (field[:, :-1], field[:, 1:]) if axis else (field[:-1], field[1:])

    def mean(self, field: np.ndarray, axis: int) -> np.ndarray:
        one, other = self._next(field, axis)
        return (one + other) / np.float32(2)

    def least(self, field: np.ndarray, axis: int) -> np.ndarray:
        return np.minimum(*self._next(field, axis))

    def slope(self, field: np.ndarray, axis: int) -> np.ndarray:
        one, other = self._next(field, axis)
        return (other - one) / np.float32(self.spacing[1 - axis])

    def spread(self, right: np.ndarray, below: np.ndarray) -> np.ndarray:
        """The transpose of `slope` along both axes: what flows out of each texel."""
        right, below = right / np.float32(self.spacing[0]), below / np.float32(self.spacing[1])
        if self.wraps:
            return np.roll(right, 1, 1) - right + np.roll(below, 1, 0) - below
        flow = np.zeros((below.shape[0] + 1, right.shape[1] + 1), np.float32)
        flow[:, :-1] -= right
        flow[:, 1:] += right
        flow[:-1] -= below
        flow[1:] += below
        return flow


class _Leveller:
    """Solves where every slope counts alike, by cosine or Fourier transform (Simchony, Chellappa & Shao)."""

    def __init__(self, shape: tuple[int, ...], spacing: tuple[float, float], wraps: bool) -> None:
        self.wraps, (rows, columns) = wraps, shape
        if wraps:
            column = 2 * np.pi * scipy.fft.rfftfreq(columns).astype(np.float32)
            row = 2 * np.pi * scipy.fft.fftfreq(rows).astype(np.float32)
        else:
            column = np.pi * np.arange(columns, dtype=np.float32) / np.float32(columns)
            row = np.pi * np.arange(rows, dtype=np.float32) / np.float32(rows)
        across = (2 - 2 * np.cos(column)) / np.float32(spacing[0] ** 2)
        down = (2 - 2 * np.cos(row)) / np.float32(spacing[1] ** 2)
        self.power, self.shape = across[None, :] + down[:, None], (rows, columns)
        self.power[0, 0] = np.inf

    def __call__(self, flow: np.ndarray) -> np.ndarray:
        if self.wraps:
            return np.asarray(scipy.fft.irfft2(scipy.fft.rfft2(flow, workers=-1) / self.power, self.shape, workers=-1))
        waves = scipy.fft.dctn(flow, norm="ortho", workers=-1)
        waves /= self.power
        return np.asarray(scipy.fft.idctn(waves, norm="ortho", workers=-1, overwrite_x=True))


def _settle(
    height: np.ndarray, slopes: tuple[np.ndarray, np.ndarray], weights: np.ndarray, between: _Between, level: _Leveller
) -> np.ndarray:
    """The height whose weighted slopes are nearest, from the one where all count alike, by conjugate gradients.

    The equations of the surface where all count alike precondition them (Ghiglia & Romero 1994, Robust two-dimensional
    weighted and unweighted phase unwrapping that uses fast transforms and iterative methods, J. Optical Society of
    America A 11): where few places count for little, ten to twenty steps are enough.
    """
    sides = between.least(weights, 1), between.least(weights, 0)

    def flow_of(field: np.ndarray) -> np.ndarray:
        return between.spread(*(side * between.slope(field, axis) for side, axis in zip(sides, (1, 0), strict=True)))

    left = between.spread(*(side * slope for side, slope in zip(sides, slopes, strict=True))) - flow_of(height)
    step, size, first = np.zeros_like(height), 0.0, 0.0
    for number in range(MOST_STEPS):
        ahead = level(left)
        before, size = size, float(np.vdot(left, ahead))
        first = first or size
        if size <= SETTLED**2 * first:
            break
        step = ahead + np.float32(size / before) * step if number else ahead
        flow = flow_of(step)
        length = np.float32(size / float(np.vdot(step, flow)))
        height = height + length * step
        left -= length * flow
    return height


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

"""Gaussian blur, in texels of samples or in mm on the footprint of a field."""

from __future__ import annotations

import math

import cv2
import numpy as np

from relief.filters.resample import resample, resample_by_area
from relief.height import HeightField, extend, pad

REACH = 4
"""The Gaussian is cut off at this many standard deviations, as `scipy.ndimage.gaussian_filter` does."""

COARSE = 8.0
"""Texels of standard deviation that are enough to work with: a wider blur is made on a coarser grid."""


def gaussian(samples: np.ndarray, sigma: tuple[float, float], wraps: tuple[bool, bool]) -> np.ndarray:
    """Gaussian blur with its own width across and down.

    Args:
        samples: float32 (rows, columns).
        sigma: standard deviations in texels (across, down); 0 leaves that direction alone.
        wraps: whether the field wraps (across, down); otherwise the last sample goes on.

    Returns:
        float32 (rows, columns), equal to `scipy.ndimage.gaussian_filter` with modes `wrap` and `nearest`; within a
        thousandth of the range where a blur of 16 texels and more is made on a coarser grid.
    """
    factors = [max(1, int(width / COARSE)) for width in sigma]
    if max(factors) < 2:
        return _blur(samples, sigma, wraps)
    # an edge that does not wrap goes on with its last sample, which a coarse texel over the edge would mix with others
    beyond = [0 if wrap or factor < 2 else 2 * factor for wrap, factor in zip(wraps, factors, strict=True)]
    wide = pad(samples, (beyond[0], beyond[1]), (False, False))
    rows, columns = wide.shape
    few_rows, few_columns = -(-rows // factors[1]), -(-columns // factors[0])
    small = resample_by_area(wide, few_rows, few_columns, wraps)
    ratios = columns / few_columns, rows / few_rows
    # averaging texels is a blur of its own, which the Gaussian need not do again
    left = [np.sqrt(max(width**2 - (ratio**2 - 1) / 12, 0)) / ratio for width, ratio in zip(sigma, ratios, strict=True)]
    blurred = resample(_blur(small, (left[0], left[1]), wraps), rows, columns, "bicubic", wraps)
    return blurred[beyond[1] : rows - beyond[1], beyond[0] : columns - beyond[0]]


def _blur(samples: np.ndarray, sigma: tuple[float, float], wraps: tuple[bool, bool]) -> np.ndarray:
    """A blur of samples (rows, columns) by separable windows; sigma is in texels, across and down."""
    rows, columns = samples.shape
    across, down = (_weights(width) for width in sigma)
    beyond_across, beyond_down = len(across) // 2, len(down) // 2
    wide = pad(samples, (beyond_across, beyond_down), wraps)
    blurred = cv2.sepFilter2D(wide, cv2.CV_32F, across, down, borderType=cv2.BORDER_REPLICATE)
    return blurred[beyond_down : beyond_down + rows, beyond_across : beyond_across + columns]


def _weights(sigma: float) -> np.ndarray:
    if sigma <= 0:
        return np.ones(1, np.float32)
    places = np.arange(-int(REACH * sigma + 0.5), int(REACH * sigma + 0.5) + 1)
    weights = np.exp(-0.5 * (places / sigma) ** 2)
    return (weights / weights.sum()).astype(np.float32)


def soften_field(field: HeightField, radius: float) -> np.ndarray:
    """The samples of a field blurred by a Gaussian whose standard deviation is `radius` mm."""
    sigma = _in_texels(field, radius)
    return gaussian(field.samples, sigma, field.edges.wraps) if radius else field.samples


def soften_slopes(field: HeightField, radius: float) -> np.ndarray:
    """As `soften_field`, for what slopes or bends are then asked of.

    Beyond an edge that does not wrap the surface goes straight on, not level, so a ramp is a ramp up to its border.
    """
    sigma, wraps = _in_texels(field, radius), field.edges.wraps
    rows, columns = field.samples.shape
    across, down = (
        0 if wrap else min(math.ceil(REACH * width), count // 2)
        for wrap, width, count in zip(wraps, sigma, (columns, rows), strict=True)
    )
    if not radius or not (across or down):
        return soften_field(field, radius)
    wide = gaussian(extend(field.samples, (across, down), wraps), sigma, wraps)
    return np.ascontiguousarray(wide[down : down + rows, across : across + columns])


def _in_texels(field: HeightField, radius: float) -> tuple[float, float]:
    """A length in texels (across, down)."""
    # beyond the size of the footprint all is one height; a wider window would only cost memory
    radius = min(radius, *field.footprint.sides)
    width, height = field.spacing
    return radius / width, radius / height

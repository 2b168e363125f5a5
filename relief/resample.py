"""Height fields and pictures at another number of texels.

References:
    R. G. Keys 1981, Cubic convolution interpolation for digital image processing, IEEE Trans. ASSP 29 (bicubic, exact
    on quadratics).
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from PIL import Image

from relief.height import HeightField, padded

Method = Literal["area", "lanczos", "bicubic", "bilinear", "nearest"]
METHOD_NAMES = {
    "area": "By area",
    "lanczos": "Lanczos",
    "bicubic": "Bicubic",
    "bilinear": "Bilinear",
    "nearest": "Nearest",
}
FILTERS = {
    "area": Image.Resampling.BOX,
    "lanczos": Image.Resampling.LANCZOS,
    "bicubic": Image.Resampling.BICUBIC,
    "bilinear": Image.Resampling.BILINEAR,
    "nearest": Image.Resampling.NEAREST,
}
SUPPORT = 3
"""Texels that the widest filter reaches beyond a place."""


def resampled(samples: np.ndarray, rows: int, columns: int, method: Method, wraps: tuple[bool, bool]) -> np.ndarray:
    """Samples on another grid over the same footprint.

    Args:
        samples: float32 (rows, columns) or (rows, columns, channels).
        rows, columns: the new size.
        method: the filter. When shrinking all but `nearest` are widened so that no texel is left out.
        wraps: whether the field wraps (across, down).

    Returns:
        float32 (rows, columns[, channels]). What wraps keeps wrapping.
    """
    if samples.ndim == 3:
        parts = [resampled(samples[..., part], rows, columns, method, wraps) for part in range(samples.shape[2])]
        return np.dstack(parts)
    old_rows, old_columns = samples.shape
    if (old_rows, old_columns) == (rows, columns):
        return np.asarray(samples, np.float32)
    beyond_across = int(np.ceil(SUPPORT * max(1, old_columns / columns)))
    beyond_down = int(np.ceil(SUPPORT * max(1, old_rows / rows)))
    wide = padded(np.asarray(samples, np.float32), (beyond_across, beyond_down), wraps)
    box = (beyond_across, beyond_down, beyond_across + old_columns, beyond_down + old_rows)
    return np.asarray(Image.fromarray(wide).resize((columns, rows), FILTERS[method], box))


def field_resampled(field: HeightField, rows: int, columns: int, method: Method) -> HeightField:
    """The height field, and its alpha, at another number of texels."""
    if field.samples.shape == (rows, columns):
        return field
    wraps = field.edges.wraps
    alpha = None
    if field.alpha is not None:
        alpha = np.clip(resampled(field.alpha, rows, columns, method, wraps), 0, 1)
    return replace(field, samples=resampled(field.samples, rows, columns, method, wraps), alpha=alpha)

"""Whether a height and a normal map say the same: how their slopes correlate."""

from __future__ import annotations

import numpy as np

from relief.filters.resample import resample_by_area, shrink
from relief.maps.height_from_normals import slopes_of_normals
from relief.sources.roles import Green

LOOKED_AT = 512
"""Texels on the long side that are compared."""


def agreement(samples: np.ndarray, normals: np.ndarray, green: Green) -> tuple[float, float]:
    """Correlation of the slopes of heights and of a normal map, across and up: 1 the same, -1 reversed.

    Args:
        samples: heights, float32 (rows, columns).
        normals: pixels of the normal map at full scale, float32 (rows, columns, 3).
        green: which way its green points.
    """
    samples = shrink(samples, LOOKED_AT)
    rows, columns = min(samples.shape[0], normals.shape[0]), min(samples.shape[1], normals.shape[1])
    if min(rows, columns) < 3:
        return 0.0, 0.0
    across, up = slopes_of_normals(resample_by_area(normals, rows, columns), green)
    rise_down, rise_across = np.gradient(resample_by_area(samples, rows, columns))
    return _correlation(rise_across, across), _correlation(-rise_down, up)


def _correlation(one: np.ndarray, other: np.ndarray) -> float:
    """Pearson's correlation of two fields of one shape; 0 where one of them is constant."""
    one, other = one - one.mean(), other - other.mean()
    length = float(np.sqrt((one**2).sum() * (other**2).sum()))
    return float((one * other).sum()) / length if length > 1e-12 else 0.0

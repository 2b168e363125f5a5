"""The section: the profile of the relief along a line across it."""

from __future__ import annotations

import numpy as np

from relief.filters.sample import sample_heights
from relief.height import HeightField

Point = tuple[float, float]


def section(field: HeightField, start: Point, end: Point, count: int = 600) -> np.ndarray:
    """Heights along the line from `start` to `end`.

    Args:
        field: the height field.
        start: (across, down) as parts of the footprint, (0, 0) the upper left corner and (1, 1) the lower right.
        end: likewise.
        count: number of samples, ends included.

    Returns:
        float32 (count,) heights.
    """
    along = np.linspace(0, 1, count)
    u = start[0] + (end[0] - start[0]) * along
    v = 1 - (start[1] + (end[1] - start[1]) * along)
    return sample_heights(field, u, v)


def length(field: HeightField, start: Point, end: Point) -> float:
    """Real length of the line in mm."""
    return float(np.hypot((end[0] - start[0]) * field.footprint.width, (end[1] - start[1]) * field.footprint.height))

"""The height of a surface whose normals were measured."""

from __future__ import annotations

import numpy as np

from relief.depth.lamps import from_middle
from relief.depth.stereo import Solution
from relief.maps.height_from_normals import height_from_slopes, weights_of_slopes

STEEPEST = 20.0
"""Slopes beyond this are taken for this."""

STEEP, UNSURE = 0.7, 0.3
"""A slope beyond the first is that of a step, whose depth is known but for this part (measured on made-up surfaces)."""


def height_of(solution: Solution, spacing: tuple[float, float]) -> np.ndarray:
    """The height whose slopes are nearest to those of a series' normals, of mean 0: float32 (rows, columns), mm.

    What few photos show and what is steep counts for less, so that rims in shadow do not bend the whole.

    Args:
        solution: of the series.
        spacing: width and height of a texel, mm.
    """
    normals = solution.normals
    across, up = (np.clip(-normals[..., side] / normals[..., 2], -STEEPEST, STEEPEST) for side in (0, 1))
    weights = weights_of_slopes(across, up) * (solution.weights.mean(axis=0, dtype=np.float32) / 255)
    height = height_from_slopes(across, up, spacing, (False, False), weights)
    return _level(height, across, up, spacing)


def _level(height: np.ndarray, across: np.ndarray, up: np.ndarray, spacing: tuple[float, float]) -> np.ndarray:
    """A height without the tilt that sheer steps to one side leave.

    Of such a step, as of overlapping scales, no photo tells how deep it is to better than a part `UNSURE`; over many of
    them that adds up to a tilt of the whole. As a photo looks straight at its surface, a tilt no larger than that is
    taken off.
    """
    steep = np.hypot(across, up) > STEEP
    for place, slopes in zip(from_middle(height.shape, spacing), (across, up), strict=True):
        tilt = float((height * place).mean() / (place * place).mean())
        most = UNSURE * abs(float(np.where(steep, slopes, 0).mean()))
        height = height - np.float32(min(max(tilt, -most), most)) * place
    return np.asarray(height)

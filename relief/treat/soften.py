"""Soften: a Gaussian blur measured in mm on the footprint."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np

from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Treatment

REACH = 4
"""The Gaussian is cut off at this many standard deviations, as `scipy.ndimage.gaussian_filter` does."""


def gaussian(samples: np.ndarray, sigma: tuple[float, float], wraps: tuple[bool, bool]) -> np.ndarray:
    """Gaussian blur with its own width across and down.

    Args:
        samples: float32 (rows, columns).
        sigma: standard deviations in texels (across, down); 0 leaves that direction alone.
        wraps: whether the field wraps (across, down); otherwise the last sample goes on.

    Returns:
        float32 (rows, columns), equal to `scipy.ndimage.gaussian_filter` with modes `wrap` and `nearest`.
    """
    rows, columns = samples.shape
    across, down = (_weights(width) for width in sigma)
    beyond_across, beyond_down = len(across) // 2, len(down) // 2
    padded = np.pad(samples, ((0, 0), (beyond_across,) * 2), mode="wrap" if wraps[0] else "edge")
    padded = np.pad(padded, ((beyond_down,) * 2, (0, 0)), mode="wrap" if wraps[1] else "edge")
    blurred = cv2.sepFilter2D(padded, cv2.CV_32F, across, down, borderType=cv2.BORDER_REPLICATE)
    return blurred[beyond_down : beyond_down + rows, beyond_across : beyond_across + columns]


def _weights(sigma: float) -> np.ndarray:
    if sigma <= 0:
        return np.ones(1, np.float32)
    places = np.arange(-int(REACH * sigma + 0.5), int(REACH * sigma + 0.5) + 1)
    weights = np.exp(-0.5 * (places / sigma) ** 2)
    return (weights / weights.sum()).astype(np.float32)


class Soften(Treatment):
    """Gaussian soften."""

    title: ClassVar[str] = "Soften"
    kind: Literal["soften"] = "soften"
    radius: float = number(
        0, 0, 1000, label="Radius", unit="mm", step=0.05, slider=(0, 20),
        help="How far heights are blended with what lies around them. Takes grain and steps away, then detail.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        width, height = field.spacing
        # beyond the size of the footprint all is one height; a wider window would only cost memory
        radius = min(self.radius, field.footprint.width, field.footprint.height)
        if radius == 0:
            return field
        return field.with_samples(gaussian(field.samples, (radius / width, radius / height), field.edges.wraps))

"""Median: specks vanish, edges stay."""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np

from relief.height import HeightField, padded
from relief.parameters import number
from relief.treat.treatment import Family, Treatment

SIDE = 5
"""Samples across and down that the median is taken of."""


def median(samples: np.ndarray, radius: float, wraps: tuple[bool, bool]) -> np.ndarray:
    """The median of the window around each sample.

    Args:
        samples: float32 (rows, columns).
        radius: half the window in texels. Up to 1.5 it is 3 x 3; beyond, 5 x 5 samples spread over the window, so that
            the cost does not grow with it.
        wraps: whether the field wraps (across, down).

    Returns:
        float32 (rows, columns); for radii 1 and 2 equal to `scipy.ndimage.median_filter` of size 3 and 5.
    """
    if radius < 0.5:
        return samples
    if radius < 1.5:
        return cv2.medianBlur(padded(samples, (2, 2), wraps), 3)[2:-2, 2:-2]
    stride = max(1, round(radius / 2))
    beyond = stride * (SIDE // 2)
    wide = padded(samples, (beyond, beyond), wraps)
    out = np.empty_like(wide)
    for row in range(stride):
        for column in range(stride):
            part = np.ascontiguousarray(wide[row::stride, column::stride])
            out[row::stride, column::stride] = cv2.medianBlur(part, SIDE)
    return out[beyond : beyond + samples.shape[0], beyond : beyond + samples.shape[1]]


class Median(Treatment):
    """Takes specks and pits away and leaves edges where they are."""

    title: ClassVar[str] = "Median"
    family: ClassVar[Family] = "detail"
    kind: Literal["median"] = "median"
    radius: float = number(
        1, 0, 100, label="Radius", unit="mm", step=0.05, slider=(0, 10),
        help="Specks narrower than this vanish. Lines narrower than this vanish too.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        radius = self.radius / min(field.spacing)
        return field.with_samples(median(field.samples, min(radius, min(field.samples.shape) / 4), field.edges.wraps))

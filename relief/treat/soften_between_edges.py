"""Soften between edges: what is flat grows smooth, what is steep stays.

References:
    K. He, J. Sun & X. Tang 2010, Guided image filtering, ECCV 2010 (here the field guides itself).
    C. Tomasi & R. Manduchi 1998, Bilateral filtering, ICCV 1998; computed in slices of height as F. Durand & J. Dorsey
    2002, Fast bilateral filtering, SIGGRAPH 2002.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np

from relief.filters.gaussian import gaussian
from relief.filters.resample import resample, resample_by_area
from relief.height import HeightField, pad
from relief.parameters import choice, number
from relief.treat.treatment import Family, Treatment

SLICES_A_STEP = 1.5
"""Slices of height for each edge height; more would not be seen."""

MOST_SLICES = 48

COARSE = 2.5
"""Texels of standard deviation that are enough: the slices are smooth, so a wider blur is made on a coarser grid."""


def filter_guided(
    samples: np.ndarray, radius: tuple[float, float], edge: float, wraps: tuple[bool, bool]
) -> np.ndarray:
    """The guided filter with the field as its own guide.

    Args:
        samples: float32 (rows, columns).
        radius: half the window in texels (across, down).
        edge: height of a step that is half kept; its square is the paper's epsilon.
        wraps: whether the field wraps (across, down).

    Returns:
        float32 (rows, columns); the input itself as `edge` goes to 0.
    """
    reach = [max(0, min(round(part), side // 2)) for part, side in zip(radius, samples.shape[::-1], strict=True)]
    beyond = 2 * reach[0], 2 * reach[1]  # the second mean looks as far again as the first
    wide = pad(samples, beyond, wraps)
    window = 2 * reach[0] + 1, 2 * reach[1] + 1

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.boxFilter(values, cv2.CV_32F, window, borderType=cv2.BORDER_REPLICATE)

    middle = mean(wide)
    variance = np.maximum(mean(wide * wide) - middle * middle, 0)
    share = variance / (variance + np.float32(edge) ** 2)
    smooth = mean(share) * wide + mean((1 - share) * middle)
    rows, columns = samples.shape
    return smooth[beyond[1] : beyond[1] + rows, beyond[0] : beyond[0] + columns]


def bilateral(samples: np.ndarray, sigma: tuple[float, float], edge: float, wraps: tuple[bool, bool]) -> np.ndarray:
    """The bilateral filter with Gaussian weights in place and height.

    Args:
        samples: float32 (rows, columns).
        sigma: standard deviations in texels (across, down).
        edge: standard deviation in height.
        wraps: whether the field wraps (across, down).

    Returns:
        float32 (rows, columns); between two slices of height the result runs straight.
    """
    low, high = float(samples.min()), float(samples.max())
    if high - low < 1e-9:
        return samples
    count = int(np.clip(np.ceil((high - low) / edge * SLICES_A_STEP), 1, MOST_SLICES)) + 1
    width = np.float32((high - low) / (count - 1))
    rows, columns = samples.shape
    factor = max(1, int(min(sigma) / COARSE))
    few = max(1, rows // factor), max(1, columns // factor)
    small = resample_by_area(samples, *few, wraps)
    narrow = sigma[0] * few[1] / columns, sigma[1] * few[0] / rows
    out = np.zeros_like(samples)
    for level in np.linspace(low, high, count, dtype=np.float32):
        weight = np.exp(-0.5 * ((small - level) / np.float32(edge)) ** 2)
        around = np.maximum(gaussian(weight, narrow, wraps), 1e-6)
        smooth = resample(gaussian(weight * small, narrow, wraps) / around, rows, columns, "bilinear", wraps)
        out += np.maximum(1 - np.abs(samples - level) / width, 0) * smooth
    return out


class SoftenBetweenEdges(Treatment):
    """Smooths what is nearly flat and keeps the edges between."""

    title: ClassVar[str] = "Soften between edges"
    family: ClassVar[Family] = "detail"
    kind: Literal["soften_between_edges"] = "soften_between_edges"
    way: Literal["guided", "bilateral"] = choice(
        "guided", {"guided": "Guided", "bilateral": "Bilateral"}, label="Method",
        help="Guided is quick and keeps slopes straight. Bilateral makes flats flatter.",
    )  # fmt: skip
    radius: float = number(
        2, 0, 100_000_000, label="Radius", unit="mm", step=0.05, slider=(0, 20), help="How far heights are blended."
    )
    edge: float = number(
        0.1, 0.001, 10, label="Edge", step=0.005, slider=(0.005, 0.5), logarithmic=True,
        help="Steps in height above this stay, smaller ones are smoothed.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        width, height = field.spacing
        if self.radius == 0:
            return field
        radius = min(self.radius / width, field.samples.shape[1]), min(self.radius / height, field.samples.shape[0])
        filtered = {"guided": filter_guided, "bilateral": bilateral}[self.way]
        return field.with_samples(filtered(field.samples, radius, self.edge, field.edges.wraps))

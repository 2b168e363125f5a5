"""Close the seam: the edges of a picture are made to meet, so that it tiles.

Three of the ways lay a band of one side over the other, so the tile grows narrower by the band and keeps its scale; the
mirrored band keeps the size.

References:
    A. A. Efros & W. T. Freeman 2001, Image quilting for texture synthesis and transfer, SIGGRAPH 2001 (least-cost cut).
    E. Heitz & F. Neyret 2018, High-performance by-example noise using a histogram-preserving blending operator, Proc.
    ACM Comput. Graph. Interact. Tech. 1 (blend that keeps contrast).
"""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np
import scipy

from relief.filters.gaussian import gaussian
from relief.filters.statistics import draw_some
from relief.height import Edges, Footprint, HeightField
from relief.kernels import serial_kernel
from relief.parameters import choice, number
from relief.treat.treatment import Family, Treatment

Way = Literal["fade", "cut", "contrast", "mirror"]
WAY_NAMES = {
    "cut": "Cut along similar places",
    "fade": "Cross-fade",
    "contrast": "Fade, contrast kept",
    "mirror": "Mirrored band",
}
COUNTED = 1_000_000
"""Samples that the quantiles are taken of at most, drawn from all places."""

WIDEST = 0.45
"""Part of the side that the band may take at most."""

FEATHER = 1.0
"""Texels over which a cut is blended, so that it does not show as a line."""

QUANTILES = 2048

SMALLEST = 8
"""A side of fewer texels is left as it is."""


def fade(left: np.ndarray, right: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """`left` where the weight is 1, `right` where it is 0, mixed between."""
    return left * weight + right * (1 - weight)


def fade_with_contrast(left: np.ndarray, right: np.ndarray, weight: np.ndarray, whole: np.ndarray) -> np.ndarray:
    """The mix of two bands, with the histogram of the whole field: both are made Gaussian, mixed at equal variance, and
    brought back."""
    places = np.linspace(0, 1, QUANTILES)
    values = np.quantile(draw_some(whole, COUNTED), places)
    places = np.clip(places, 0.5 / QUANTILES, 1 - 0.5 / QUANTILES)
    # equal values share one place, the middle of theirs
    values, first, count = np.unique(values, return_index=True, return_counts=True)
    if len(values) < 2:
        return fade(left, right, weight)
    spread = scipy.special.ndtri(
        places[first] + (places[np.minimum(first + count - 1, QUANTILES - 1)] - places[first]) / 2
    )
    left, right = np.interp(left, values, spread), np.interp(right, values, spread)
    mixed = fade(left, right, weight) / np.sqrt(weight**2 + (1 - weight) ** 2)
    return np.interp(scipy.special.ndtr(mixed), scipy.special.ndtr(spread), values).astype(np.float32)


@serial_kernel
def _least_path(cost):
    """The column in each row of the path from top to bottom with the least sum, one column aside a row at most."""
    rows, columns = cost.shape
    total = np.empty((rows, columns), np.float64)
    total[0] = cost[0]
    for row in range(1, rows):
        for column in range(columns):
            best = total[row - 1, column]
            if column > 0:
                best = min(best, total[row - 1, column - 1])
            if column < columns - 1:
                best = min(best, total[row - 1, column + 1])
            total[row, column] = cost[row, column] + best
    path = np.empty(rows, np.int64)
    path[rows - 1] = np.argmin(total[rows - 1])
    for row in range(rows - 2, -1, -1):
        here = path[row + 1]
        first = max(here - 1, 0)
        path[row] = first + np.argmin(total[row, first : min(here + 2, columns)])
    return path


def cut_weight(left: np.ndarray, right: np.ndarray, wraps_down: bool) -> np.ndarray:
    """1 to the right of the path along which two bands are most alike, 0 to the left of it."""
    cost = (left - right).astype(np.float64) ** 2
    rows, columns = cost.shape
    # where it wraps, three rounds: the middle one has forgotten where the path began
    path = _least_path(np.vstack([cost] * 3))[rows : 2 * rows] if wraps_down else _least_path(cost)
    weight = (np.arange(columns)[None, :] >= path[:, None]).astype(np.float32)
    weight[:, 0], weight[:, -1] = 0, 1
    return gaussian(weight, (FEATHER, FEATHER), (False, wraps_down))


def seam_weight(samples: np.ndarray, band: int, way: Way, wraps_down: bool) -> np.ndarray:
    """How much of the left band is taken at each place: float32 (rows, band), or (1, band) where all rows are alike.

    Args:
        samples: float32 (rows, columns); a cut follows what is alike in them.
        band, way, wraps_down: as for `close_across`.
    """
    place = ((np.arange(band) + 0.5) / band).astype(np.float32)
    even = (place**2 * (3 - 2 * place))[None, :]
    if way == "mirror":
        return 0.5 + 0.5 * even
    if way == "cut":
        return cut_weight(samples[:, :band], samples[:, samples.shape[1] - band :], wraps_down)
    return even


def lay_over(samples: np.ndarray, weight: np.ndarray, way: Way) -> np.ndarray:
    """Samples (rows, columns[, channels]) with their bands laid over each other by a weight."""
    band, columns = weight.shape[1], samples.shape[1]
    weight = weight.reshape(*weight.shape, *(1,) * (samples.ndim - 2))
    left = samples[:, :band]
    if way == "mirror":
        right = samples[:, : columns - band - 1 : -1]
        closed = samples.copy()
        closed[:, :band] = fade(left, right, weight)
        closed[:, : columns - band - 1 : -1] = fade(right, left, weight)
        return closed
    closed = samples[:, : columns - band].copy()
    closed[:, :band] = fade(left, samples[:, columns - band :], weight)
    return closed


def close_across(samples: np.ndarray, band: int, way: Way, wraps_down: bool) -> np.ndarray:
    """A field whose left and right edges meet.

    Args:
        samples: float32 (rows, columns).
        band: texels that are laid over each other, at least 2 and less than half of the columns.
        way: how.
        wraps_down: whether the field wraps down, which a cut then does too.

    Returns:
        float32 (rows, columns - band), for the mirrored band (rows, columns).
    """
    weight = seam_weight(samples, band, way, wraps_down)
    closed = lay_over(samples, weight, way)
    if way == "contrast":
        left, right = samples[:, :band], samples[:, samples.shape[1] - band :]
        closed[:, :band] = fade_with_contrast(left, right, np.broadcast_to(weight, left.shape), samples)
    return closed


class CloseSeam(Treatment):
    """Makes opposite edges meet, so that the relief tiles."""

    title: ClassVar[str] = "Close the seam"
    family: ClassVar[Family] = "edges"
    kind: Literal["close_seam"] = "close_seam"
    way: Way = choice(
        "cut", WAY_NAMES, label="Method",
        help="A cut suits stones and leaves, a cross-fade soft ground. “Fade, contrast kept” does not flatten the "
            "band; a mirrored band keeps the size.",
    )  # fmt: skip
    directions: Literal["both", "across", "down"] = choice(
        "both", {"both": "Across and down", "across": "Across", "down": "Down"}, label="Edges",
        help="Which pairs of edges are made to meet.",
    )  # fmt: skip
    band: float = number(
        30, 0.01, 100_000_000, label="Band", unit="mm", step=1, slider=(1, 300), logarithmic=True,
        help="How much the two sides overlap. The tile shrinks by as much.",
    )  # fmt: skip

    @property
    def _closes(self) -> tuple[bool, bool]:
        return self.directions != "down", self.directions != "across"

    def _band(self, side: float) -> float:
        """The band on a side of this length, mm."""
        return min(self.band, side * WIDEST)

    def treat(self, field: HeightField) -> HeightField:
        samples, _ = self._close(field, None)
        alpha = None if field.alpha is None else self._close(field, field.alpha)[1]
        return replace(
            field,
            samples=samples,
            alpha=alpha,
            footprint=self.footprint_after(field.footprint, field.edges),
            edges=self.edges_after(field.edges),
        )

    def follow(self, companion: np.ndarray, field: HeightField) -> np.ndarray:
        closed = self._close(field, companion)[1]
        return companion if closed is None else closed

    def _close(self, field: HeightField, companion: np.ndarray | None) -> tuple[np.ndarray, np.ndarray | None]:
        """The samples after closing, and a companion that is laid over just as they are."""
        samples = field.samples
        across_closed = self._closes[0]
        for across, closes in zip((True, False), self._closes, strict=True):
            if not closes:
                continue
            wraps_along = field.edges.wraps[1] if across else across_closed or field.edges.wraps[0]
            laid = samples if across else np.ascontiguousarray(samples.T)
            side = field.footprint.width if across else field.footprint.height
            count = laid.shape[1]
            if count < SMALLEST:
                continue
            band = max(2, round(self._band(side) * count / side))
            if companion is not None:
                weight = seam_weight(laid, band, self.way, wraps_along)
                companion = companion if across else np.swapaxes(companion, 0, 1)
                companion = lay_over(np.asarray(companion, np.float32), weight, self.way)
                companion = companion if across else np.swapaxes(companion, 0, 1)
            closed = close_across(laid, band, self.way, wraps_along)
            samples = np.ascontiguousarray(closed if across else closed.T, np.float32)
        return samples, companion

    def footprint_after(self, footprint: Footprint, edges: Edges) -> Footprint:
        if self.way == "mirror":
            return footprint
        across, down = self._closes
        width = footprint.width - (self._band(footprint.width) if across else 0)
        return footprint.resize(width, footprint.height - (self._band(footprint.height) if down else 0))

    def edges_after(self, edges: Edges) -> Edges:
        across, down = self._closes
        return Edges(across="wrap" if across else edges.across, down="wrap" if down else edges.down)

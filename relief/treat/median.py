"""Median: specks vanish, edges stay.

Reference:
    S. Perreault & P. Hebert 2007, Median filtering in constant time, IEEE Trans. Image Processing 16: a histogram for
    each column, of which the window's is the sum; fine levels are brought up to date only where they are asked for.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np

from relief.cost import Cost
from relief.height import HeightField, pad
from relief.kernels import helper, kernel, serial_kernel, thread_count
from relief.parameters import number
from relief.progress import Progress
from relief.treat.treatment import Family, Treatment

COARSE = 64
"""Coarse levels, each of as many fine ones."""

LEVELS = COARSE * COARSE
BAND = 1024
"""Rows that are worked on before it is asked whether they are still wanted."""

STRIP = 64
"""Columns that are worked on at a time, at least."""


def median(
    samples: np.ndarray, radius: tuple[int, int], wraps: tuple[bool, bool], progress: Progress | None = None
) -> np.ndarray:
    """The median of the whole window around each sample.

    Args:
        samples: float32 (rows, columns).
        radius: texels on each side that the window reaches (across, down).
        wraps: whether the field wraps (across, down).
        progress: told of each band of rows; may cancel between two.

    Returns:
        float32 (rows, columns). For radii 1 and 2 equal to `scipy.ndimage.median_filter`. Beyond, within the width of a
        level: 1e-4 of the range in the mean, 1e-3 at most; equal where each value is a level of its own, as 8 bits are.
    """
    across, down = radius
    if across == down == 0 or samples.max() == samples.min():
        return samples
    if across == down <= 2:
        wide = pad(samples, (2, 2), wraps)
        return np.ascontiguousarray(cv2.medianBlur(wide, 2 * across + 1)[2:-2, 2:-2])
    level, lowest, highest = _in_levels(pad(samples, radius, wraps))
    counter = np.zeros(0, np.uint16 if (2 * across + 1) * (2 * down + 1) < 65536 else np.uint32)
    out = np.empty_like(samples)
    for first in range(0, len(out), BAND):
        (progress or Progress()).step(first / len(out), Median.title)
        band = slice(first, first + BAND)
        part = level[first : first + BAND + 2 * down]
        _median(part, lowest, highest, across, down, thread_count(), counter, out[band])
    return out


def _in_levels(samples: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Samples sorted into levels: narrow where there are many, and nowhere wider than four of as many even ones.

    Returns:
        uint16 (rows, columns), the level of each sample; float32 (LEVELS,), the lowest and the highest sample of each.
    """
    low, high = float(samples.min()), float(samples.max())
    fine = np.rint((samples - np.float32(low)) * np.float32(65535 / (high - low))).astype(np.uint16)
    counts = np.bincount(fine.ravel(), minlength=65536)
    below = (np.cumsum(counts) - counts) / fine.size
    of_fine = ((0.75 * below + 0.25 * np.arange(65536) / 65536) * LEVELS).astype(np.uint16)
    level = of_fine[fine]
    lowest, highest = np.full(LEVELS, np.inf, np.float32), np.full(LEVELS, -np.inf, np.float32)
    _ends(samples, level, lowest, highest)
    return level, lowest, highest


@serial_kernel
def _ends(samples, level, lowest, highest):
    for row in range(samples.shape[0]):
        for column in range(samples.shape[1]):
            here, height = level[row, column], samples[row, column]
            lowest[here] = min(lowest[here], height)
            highest[here] = max(highest[here], height)


@helper
def _count(level, row, first, wide, columns_coarse, columns_fine, by):
    """Takes the samples of a row into the histograms of their columns, or with -1 out of them."""
    for place in range(wide):
        here = np.int64(level[row, first + place])
        columns_coarse[place, here // COARSE] += by
        columns_fine[here // COARSE, place, here % COARSE] += by


@kernel(rows_of="workers")
def _median(begin, end, level, lowest, highest, across, down, workers, counter, out):
    """Arrays are looked into by numbers, not by slices: counting references to these would take as long as the rest."""
    rows, columns = out.shape
    side, high = 2 * across + 1, 2 * down + 1
    rank, strip = side * high // 2, max(STRIP, across)
    for worker in range(begin, end):
        # one table for all strips of a worker: it is left empty, and fresh memory is slow
        columns_coarse = np.zeros((strip + 2 * across, COARSE), counter.dtype)
        columns_fine = np.zeros((COARSE, strip + 2 * across, COARSE), counter.dtype)
        coarse, fine = np.zeros(COARSE, counter.dtype), np.zeros((COARSE, COARSE), counter.dtype)
        at = np.empty(COARSE, np.int64)
        for first in range(worker * strip, columns, workers * strip):
            last = min(first + strip, columns)
            wide = last - first + 2 * across
            for row in range(high - 1):
                _count(level, row, first, wide, columns_coarse, columns_fine, 1)
            for row in range(rows):
                _count(level, row + high - 1, first, wide, columns_coarse, columns_fine, 1)
                coarse[:] = 0
                for place in range(side):
                    for bin_ in range(COARSE):
                        coarse[bin_] += columns_coarse[place, bin_]
                at[:] = -side
                chosen, found = 0, 0
                for place in range(last - first):
                    if place > 0:
                        for bin_ in range(COARSE):
                            coarse[bin_] += columns_coarse[place + side - 1, bin_] - columns_coarse[place - 1, bin_]
                    below = np.int64(0)
                    for bin_ in range(chosen):
                        below += coarse[bin_]
                    while below > rank:
                        chosen -= 1
                        below -= coarse[chosen]
                    while below + coarse[chosen] <= rank:
                        below += coarse[chosen]
                        chosen += 1
                    # the fine levels of the chosen one, brought to where the window is now
                    if place - at[chosen] > side // 2:
                        for bin_ in range(COARSE):
                            fine[chosen, bin_] = 0
                        for other in range(place, place + side):
                            for bin_ in range(COARSE):
                                fine[chosen, bin_] += columns_fine[chosen, other, bin_]
                    else:
                        for step in range(at[chosen] + 1, place + 1):
                            for bin_ in range(COARSE):
                                fine[chosen, bin_] += (
                                    columns_fine[chosen, step + side - 1, bin_] - columns_fine[chosen, step - 1, bin_]
                                )
                    at[chosen] = place
                    for bin_ in range(found):
                        below += fine[chosen, bin_]
                    while below > rank:
                        found -= 1
                        below -= fine[chosen, found]
                    while below + fine[chosen, found] <= rank:
                        below += fine[chosen, found]
                        found += 1
                    # of several samples in one level, evenly spread between its ends, the one of the right rank
                    number = chosen * COARSE + found
                    part = np.float32(rank - below) / np.float32(max(np.int64(fine[chosen, found]) - 1, 1))
                    out[row, first + place] = lowest[number] + part * (highest[number] - lowest[number])
                _count(level, row, first, wide, columns_coarse, columns_fine, -1)
            for row in range(rows, rows + high - 1):
                _count(level, row, first, wide, columns_coarse, columns_fine, -1)


class Median(Treatment):
    """Removes specks and pits without moving edges."""

    title: ClassVar[str] = "Median"
    slow: ClassVar[bool] = True
    family: ClassVar[Family] = "detail"
    kind: Literal["median"] = "median"
    radius: float = number(
        1, 0, 100_000_000, label="Radius", unit="mm", step=0.05, slider=(0, 10),
        help="Specks and lines narrower than this vanish.",
    )  # fmt: skip

    def cost(self, field: HeightField) -> Cost:
        # the histogram of a window changes by about as many levels as it is wide (measured)
        return Cost(field.samples.size * (2 * self._reach(field)[0] + 1), "Set “Radius” smaller.")

    def treat_slowly(self, field: HeightField, progress: Progress) -> HeightField:
        return field.with_samples(median(field.samples, self._reach(field), field.edges.wraps, progress))

    def _reach(self, field: HeightField) -> tuple[int, int]:
        """Texels that the window reaches on each side (across, down), a quarter of the field at most."""
        across, down = (
            min(round(self.radius / step), count // 4)
            for step, count in zip(field.spacing, field.samples.shape[::-1], strict=True)
        )
        return across, down

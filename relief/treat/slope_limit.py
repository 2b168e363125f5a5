"""Slope limit: what is steeper than an angle is laid back.

The highest field below and the lowest field above the relief that are nowhere steeper than the limit; their mean is as
steep at most, and moves neither up nor down as a whole.

Reference:
    H. Zhao 2005, A fast sweeping method for eikonal equations, Mathematics of Computation 74: of |grad h| <= limit, a
    height is bounded by its lower neighbours across and down together, on texels of any shape.
"""

from __future__ import annotations

import math
from itertools import product
from typing import ClassVar, Literal

import numpy as np

from relief.filters.gaussian import gaussian
from relief.height import HeightField
from relief.kernels import helper, kernel
from relief.parameters import number
from relief.progress import Progress
from relief.treat.treatment import Family, Treatment

ROUNDING = 1.0
"""Texels over which what was laid back is rounded."""

UNMOVED = 1e-3
"""Parts of the steepest step between neighbours below which a height counts as where it was."""

ROUNDS = 3
"""Times that all four sweeps are done; what comes in over an edge that wraps is carried on by the next."""


@helper
def _sweep(heights, across, down, wrap_across, wrap_down, forward, rightward):
    """Lowers heights in place to what their neighbours allow, row after row in one direction."""
    rows, columns = heights.shape
    square = across * across + down * down
    for place in range(rows):
        row = place if forward else rows - 1 - place
        above, below = row - 1, row + 1
        if wrap_down:
            above, below = above % rows, below % rows
        else:
            above, below = max(above, 0), min(below, rows - 1)
        for index in range(columns):
            column = index if rightward else columns - 1 - index
            left, right = column - 1, column + 1
            if left < 0:
                left = columns - 1 if wrap_across else 0
            if right == columns:
                right = 0 if wrap_across else columns - 1
            height = heights[row, column]
            beside = min(heights[row, left], heights[row, right])
            before = min(heights[above, column], heights[below, column])
            if height <= beside + across * np.float32(0.7) and height <= before + down * np.float32(0.7):
                continue  # even both together are less than the limit
            apart = before - beside
            if apart >= across:
                bound = beside + across
            elif apart <= -down:
                bound = before + down
            else:
                bound = down * down * beside + across * across * before
                bound = (bound + across * down * np.sqrt(square - apart * apart)) / square
            heights[row, column] = min(height, bound)


@kernel(rows_of="fields")
def _sweep_both(begin, end, fields, across, down, wrap_across, wrap_down, forward, rightward):
    for field in range(begin, end):
        _sweep(fields[field], across, down, wrap_across, wrap_down, forward, rightward)


def limit_slopes(field: HeightField, rise: float, progress: Progress) -> np.ndarray:
    """Heights that rise by no more than `rise` (in heights) for each mm; what is less steep stays as it is.

    By central differences no slope is more than a degree above a limit of 40 degrees, on texels of 1:8 to 8:1.

    Returns:
        float32 (rows, columns).
    """
    width, height = field.spacing
    fields = np.stack([field.samples, -field.samples])
    sweeps = list(product(range(ROUNDS), (True, False), (True, False)))
    for place, (_, forward, rightward) in enumerate(sweeps):
        progress.step(place / len(sweeps), SlopeLimit.title)
        across, down = np.float32(rise * width), np.float32(rise * height)
        _sweep_both(fields, across, down, *field.edges.wraps, forward, rightward)
    laid_back = (fields[0] - fields[1]) / 2
    # where planes meet, differences over two texels mix them and overrate the slope; a breath of blur parts them, over
    # texels of each direction, as on long ones it would cross many of the short side
    wraps, breath = field.edges.wraps, (ROUNDING, ROUNDING)
    rounded = gaussian(laid_back, breath, wraps)
    moved = np.abs(laid_back - field.samples) > UNMOVED * rise * min(field.spacing)
    # passing softly into what was left alone, which a hard edge would make steep again
    share = np.minimum(2 * gaussian(moved.astype(np.float32), breath, wraps), 1)
    return laid_back + share * (rounded - laid_back)


class SlopeLimit(Treatment):
    """Flattens slopes steeper than an angle, so that light does not glitter and meshes do not fold."""

    title: ClassVar[str] = "Slope limit"
    family: ClassVar[Family] = "edges"
    wants_amplitude: ClassVar[bool] = True
    slow: ClassVar[bool] = True
    kind: Literal["slope_limit"] = "slope_limit"
    angle: float = number(
        60, 1, 89, label="Steepest", unit="°", step=1, slider=(10, 85),
        help="No slope is left steeper than this, at the amplitude of the piece.",
    )  # fmt: skip

    def treat_slowly(self, field: HeightField, progress: Progress) -> HeightField:
        if field.amplitude == 0:
            return field
        rise = math.tan(math.radians(self.angle)) / field.amplitude
        return field.with_samples(limit_slopes(field, rise, progress))

"""Slope limit: what is steeper than an angle is laid back.

The highest field below and the lowest field above the relief that are nowhere steeper than the limit; their mean is as
steep at most, and moves neither up nor down as a whole.
"""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numba
import numpy as np

from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment

LEANING = math.cos(math.pi / 8)
"""Steps to eight neighbours overrate a length by up to 1 / cos 22.5 degrees; the limit is lowered by that."""


@numba.njit(cache=True, nogil=True)
def _lower_envelope(heights, across, down, wrap_across, wrap_down):
    """Lowers heights in place until no neighbour lies more than `across`, `down` or both aslant below."""
    rows, columns = heights.shape
    aslant = np.float32(math.sqrt(across * across + down * down))
    rounds = 2 if wrap_across or wrap_down else 1  # the second round carries on what came in over the edge
    for _ in range(rounds):
        for forward in (True, False):
            step = 1 if forward else -1
            for place in range(rows):
                row = place if forward else rows - 1 - place
                before = row - step
                has_before = True
                if before < 0 or before >= rows:
                    has_before = wrap_down
                    before = before % rows
                for way in (1, -1):
                    for index in range(columns):
                        column = index if way == 1 else columns - 1 - index
                        height = heights[row, column]
                        beside = column - way
                        if beside < 0 or beside >= columns:
                            if wrap_across:
                                height = min(height, heights[row, beside % columns] + across)
                        else:
                            height = min(height, heights[row, beside] + across)
                        if has_before and way == 1:
                            height = min(height, heights[before, column] + down)
                            for side in (-1, 1):
                                corner = column + side
                                if 0 <= corner < columns:
                                    height = min(height, heights[before, corner] + aslant)
                                elif wrap_across:
                                    height = min(height, heights[before, corner % columns] + aslant)
                        heights[row, column] = height


def slope_limited(field: HeightField, rise: float) -> np.ndarray:
    """Heights that nowhere rise by more than `rise` (in heights) for each mm.

    Returns:
        float32 (rows, columns).
    """
    width, height = field.spacing
    arguments = np.float32(rise * width * LEANING), np.float32(rise * height * LEANING), *field.edges.wraps
    below, above = field.samples.copy(), -field.samples
    _lower_envelope(below, *arguments)
    _lower_envelope(above, *arguments)
    return (below - above) / 2


class SlopeLimit(Treatment):
    """Lays back what is steeper than an angle, so that light does not glitter and meshes do not fold."""

    title: ClassVar[str] = "Slope limit"
    family: ClassVar[Family] = "edges"
    wants_amplitude: ClassVar[bool] = True
    kind: Literal["slope_limit"] = "slope_limit"
    angle: float = number(
        60, 1, 89, label="Steepest", unit="°", step=1, slider=(10, 85),
        help="No slope stays steeper than this, at the amplitude the piece has.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        if field.amplitude == 0:
            return field
        rise = math.tan(math.radians(self.angle)) / field.amplitude
        return field.with_samples(slope_limited(field, rise))

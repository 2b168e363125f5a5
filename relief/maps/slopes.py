"""Slopes of a height field by 3 x 3 kernels, each normalised to give the exact slope of a ramp.

A kernel is a difference along one direction, smoothed along the other with the weights (side, middle, side):
central difference (0, 1, 0), Prewitt (1, 1, 1) / 3, Sobel (1, 2, 1) / 4, Scharr (3, 10, 3) / 16. At a clamped edge the
difference is taken over the one step there is, so that a ramp keeps its slope up to the border. The smooth 5-tap
derivative (-1, -2, 0, 2, 1) / 8 across (1, 4, 6, 4, 1) / 16 is the Sobel kernel of a field that went through
(1, 2, 1) / 4 both ways.

References:
    B. K. P. Horn 1981, Hill shading and the reflectance map, Proc. IEEE 69, for the 3 x 3 slope.
    H. Scharr 2000, Optimal operators in digital image processing, for (3, 10, 3).
"""

from typing import Literal, NamedTuple

import cv2
import numpy as np

from relief.height import HeightField, extend
from relief.kernels import inlined, kernel

Kernel = Literal["central", "prewitt", "sobel", "scharr", "smooth"]
KERNEL_NAMES = {
    "central": "Central difference",
    "prewitt": "Prewitt",
    "sobel": "Sobel",
    "scharr": "Scharr",
    "smooth": "Smooth, 5 taps",
}
SIDE_WEIGHTS = {"central": 0.0, "prewitt": 1 / 3, "sobel": 1 / 4, "scharr": 3 / 16, "smooth": 1 / 4}
BINOMIAL = np.array([1, 2, 1], np.float32) / 4


@inlined
def neighbours(place, count, wrap):
    """The places before and after one, and one over the number of steps between them."""
    before = place - 1
    after = place + 1
    if wrap:
        if before < 0:
            before = count - 1
        if after == count:
            after = 0
        return before, after, np.float32(0.5)
    before = max(before, 0)
    after = min(after, count - 1)
    return before, after, np.float32(1.0 / max(after - before, 1))


@inlined
def slope_at(above, here, below, left, column, right, side, middle):
    """Differences to the right and upwards at one sample of a row, from it and the rows around it."""
    to_right = middle * (here[right] - here[left]) + side * (above[right] - above[left] + below[right] - below[left])
    upwards = middle * (above[column] - below[column]) + side * (
        above[left] - below[left] + above[right] - below[right]
    )
    return to_right, upwards


@inlined
def slopes_of_row(samples, row, stencil, out_x, out_y):
    """Writes dd/dx and dd/dy of one row. The loop inside has no branch, so that it runs on vector registers."""
    rows, columns = samples.shape
    side, middle = stencil.side, stencil.middle
    row_above, row_below, per_step_down = neighbours(row, rows, stencil.wrap_down)
    above = samples[row_above]
    here = samples[row]
    below = samples[row_below]
    up_here = stencil.up * per_step_down
    across_here = stencil.across * np.float32(0.5)
    for column in range(1, columns - 1):
        to_right, upwards = slope_at(above, here, below, column - 1, column, column + 1, side, middle)
        out_x[column] = to_right * across_here
        out_y[column] = upwards * up_here
    for column in (0, columns - 1):
        left, right, per_step_across = neighbours(column, columns, stencil.wrap_across)
        to_right, upwards = slope_at(above, here, below, left, column, right, side, middle)
        out_x[column] = to_right * (stencil.across * per_step_across)
        out_y[column] = upwards * up_here


@kernel(rows_of="samples")
def _slopes(begin, end, samples, stencil, out):
    for row in range(begin, end):
        slopes_of_row(samples, row, stencil, out[row, :, 0], out[row, :, 1])


class Stencil(NamedTuple):
    """How slopes are taken of samples.

    Attributes:
        across, up: the slope that a step of one between two texels is, float32.
        side, middle: what the lines beside a texel and its own count, float32.
        wrap_across, wrap_down: whether the field wraps.
    """

    across: np.float32
    up: np.float32
    side: np.float32
    middle: np.float32
    wrap_across: bool
    wrap_down: bool


def stencil_of(field: HeightField, rise: float, kernel: Kernel) -> Stencil:
    """How slopes are taken of a field, of whose heights one unit stands for `rise` mm: dimensionless."""
    width, height = field.spacing
    side = np.float32(SIDE_WEIGHTS[kernel])
    middle = np.float32(1 - 2 * SIDE_WEIGHTS[kernel])
    return Stencil(np.float32(rise / width), np.float32(rise / height), side, middle, *field.edges.wraps)


def smooth_for_kernel(field: HeightField, kernel: Kernel) -> np.ndarray:
    """The samples as the 3 x 3 kernel takes them: through (1, 2, 1) / 4 both ways for the smooth one.

    Beyond a clamped edge a slope goes on as it is, so that a ramp keeps it.
    """
    if kernel != "smooth":
        return field.samples
    wide = extend(field.samples, (1, 1), field.edges.wraps)
    return np.ascontiguousarray(cv2.sepFilter2D(wide, cv2.CV_32F, BINOMIAL, BINOMIAL)[1:-1, 1:-1])


def slopes(field: HeightField, rise: float, kernel: Kernel = "central") -> np.ndarray:
    """Slopes dd/dx and dd/dy of the displaced surface.

    Args:
        field: the height field.
        rise: mm that one unit of height stands for (the amplitude, times a strength where there is one).
        kernel: one of `KERNEL_NAMES`.

    Returns:
        float32 (rows, columns, 2): mm per mm, x to the right and y up.
    """
    out = np.empty((*field.samples.shape, 2), np.float32)
    _slopes(smooth_for_kernel(field, kernel), stencil_of(field, rise, kernel), out)
    return out


@kernel(rows_of="samples")
def _steepness(begin, end, samples, stencil, out):
    columns = samples.shape[1]
    for row in range(begin, end):
        x = np.empty(columns, np.float32)
        y = np.empty(columns, np.float32)
        slopes_of_row(samples, row, stencil, x, y)
        for column in range(columns):
            slope = np.sqrt(x[column] * x[column] + y[column] * y[column])
            out[row, column] = np.arctan(slope) * np.float32(180 / np.pi)


def steepness(field: HeightField, rise: float, kernel: Kernel = "central") -> np.ndarray:
    """Angle of the displaced surface to its base.

    Args:
        field, rise, kernel: as for `slopes`.

    Returns:
        float32 (rows, columns), degrees, 0 to 90.
    """
    out = np.empty_like(field.samples)
    _steepness(smooth_for_kernel(field, kernel), stencil_of(field, rise, kernel), out)
    return out

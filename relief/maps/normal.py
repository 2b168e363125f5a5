"""Normal map: n = normalize(-s dd/dx, -s dd/dy, 1), encoded round((n / 2 + 1 / 2) (2^bits - 1)).

Flat is (128, 128, 255) in 8 bit. "Green up" is the above; "green down" is max - green.
"""

from __future__ import annotations

from typing import Literal

import numba
import numpy as np

from relief.height import HeightField
from relief.kernels import kernel
from relief.maps.slopes import KERNEL_NAMES, Kernel, kernel_arguments, slopes_of_row
from relief.parameters import Parameters, choice, number
from relief.sources.roles import Green
from relief.treat.soften import softened


class Normal(Parameters):
    """How the normal map is made."""

    strength: float = number(
        1, -100, 100, label="Strength", step=0.05, slider=(-4, 4),
        help="Factor on the slopes. 1 is true to amplitude and footprint; a minus turns in and out around.",
    )  # fmt: skip
    soften: float = number(
        0, 0, 1000, label="Soften", unit="mm", step=0.05, slider=(0, 10),
        help="Calms grain in the normal map alone. About one texel suits; the displacement keeps its own.",
    )  # fmt: skip
    kernel: Kernel = choice(
        "scharr", KERNEL_NAMES, label="Kernel",
        help="How slopes are measured. Central keeps the finest detail; Sobel and Scharr calm grain, Scharr evenly in "
        "all directions.",
    )  # fmt: skip
    green: Green = choice(
        "up", {"up": "Green up", "down": "Green down"}, label="Green direction",
        help="Whether light green faces up or down. Take what the receiving program expects; wrong looks almost right.",
    )  # fmt: skip

    def seen(self, field: HeightField) -> HeightField:
        """The field as the slopes are taken of it: with the map's own soften."""
        return field.with_samples(softened(field, self.soften))


@kernel
def _encode(samples, across, up, side, middle, wrap_across, wrap_down, most, green_down, out):
    columns = samples.shape[1]
    half = most / np.float32(2)
    zero = half + np.float32(0.5)  # the half beyond it rounds to nearest when the fraction is cut off
    for row in numba.prange(samples.shape[0]):
        slope_x = np.empty(columns, np.float32)
        slope_y = np.empty(columns, np.float32)
        slopes_of_row(samples, row, across, up, side, middle, wrap_across, wrap_down, slope_x, slope_y)
        # one channel after the other runs on vector registers, storing three at once does not: 4 times as quick
        red = np.empty(columns, np.int32)
        green = np.empty(columns, np.int32)
        blue = np.empty(columns, np.int32)
        for column in range(columns):
            x = -slope_x[column]
            y = -slope_y[column]
            z = half / np.sqrt(x * x + y * y + np.float32(1))
            red[column] = np.int32(x * z + zero)
            green[column] = np.int32(y * z + zero)
            blue[column] = np.int32(z + zero)
        if green_down:
            for column in range(columns):
                green[column] = np.int32(most) - green[column]
        for column in range(columns):
            out[row, column, 0] = red[column]
            out[row, column, 1] = green[column]
            out[row, column, 2] = blue[column]


def normal_map(field: HeightField, amplitude: float, normal: Normal, bits: Literal[8, 16] = 8) -> np.ndarray:
    """The tangent-space normal map of a height field.

    Args:
        field: the height field.
        amplitude: mm that one unit of height stands for.
        normal: strength, soften, kernel and green direction.
        bits: 8 or 16 for each channel.

    Returns:
        uint8 or uint16 (rows, columns, 3), in the order red, green, blue.
    """
    out = np.empty((*field.samples.shape, 3), np.uint8 if bits == 8 else np.uint16)
    arguments = kernel_arguments(field, amplitude * normal.strength, normal.kernel)
    _encode(normal.seen(field).samples, *arguments, np.float32(2**bits - 1), normal.green == "down", out)
    return out


def decoded(pixels: np.ndarray) -> np.ndarray:
    """Unit vectors of an encoded normal map with green up: float32 (rows, columns, 3)."""
    vectors = pixels.astype(np.float32) * np.float32(2 / np.iinfo(pixels.dtype).max) - 1
    return vectors / np.linalg.norm(vectors, axis=-1, keepdims=True)

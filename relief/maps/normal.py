"""Normal map: n = normalize(-s dd/dx, -s dd/dy, 1), encoded round((n / 2 + 1 / 2) (2^bits - 1)).

Flat is (128, 128, 255) in 8 bit. "Green up" is the above; "green down" is max - green.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.filters.bands import Bands
from relief.filters.gaussian import soften_slopes
from relief.height import HeightField
from relief.kernels import kernel
from relief.maps.slopes import KERNEL_NAMES, Kernel, slopes, slopes_of_row, smooth_for_kernel, stencil_of
from relief.maps.vectors import Red, of_slopes, reorient, strengthen
from relief.parameters import Parameters, Surroundings, choice, number
from relief.sources.roles import Green


class Normal(Parameters):
    """How the normal map is made."""

    seldom: ClassVar[tuple[str, ...]] = ("red", "bands")

    strength: float = number(
        1, -100, 100, label="Strength", step=0.05, slider=(-4, 4),
        help="Factor on the slopes. 1 is true to amplitude and footprint; negative values invert the relief.",
    )  # fmt: skip
    of: Literal["relief", "source", "both"] = choice(
        "relief", {"relief": "The relief", "source": "The set's normal map", "both": "Both combined"},
        label="Made from",
        help="The relief's own slopes; or the normal map of the picture's set, rotated and resampled as the relief "
            "is; or that map combined with the relief, so that its detail follows the relief's slopes.",
    )  # fmt: skip
    detail: float = number(
        1, -16, 16, label="Strength of the set's map", step=0.05, slider=(-2, 4),
        help="Factor on the slopes of the set's normal map.",
    )  # fmt: skip
    soften: float = number(
        0, 0, 100_000_000, label="Soften", unit="mm", step=0.05, slider=(0, 10),
        help="Smooths grain in the normal map only. About one texel suits; the displacement has its own.",
    )  # fmt: skip
    kernel: Kernel = choice(
        "scharr", KERNEL_NAMES, label="Kernel",
        help="How slopes are measured. Central difference keeps the finest detail; the others smooth grain: Scharr "
            "evenly in all directions, the smooth one most.",
    )  # fmt: skip
    red: Red = choice(
        "right", {"right": "Red right", "left": "Red left"}, label="Red direction",
        help="Which way red points. Nearly all programs expect right.",
    )  # fmt: skip
    green: Green = choice(
        "up", {"up": "Green up", "down": "Green down"}, label="Green direction",
        help="Which way green points. Choose what the receiving program expects; the wrong way looks almost right.",
    )  # fmt: skip
    bands: Bands = Bands()
    """Detail bands of the normal map alone."""

    def unused(self, around: Surroundings) -> set[str]:
        if "normal" not in around.roles:
            return {"of", "detail"}
        return {"detail"} if self.of == "relief" else set()

    def filter_field(self, field: HeightField) -> HeightField:
        """The field as the slopes are taken of it: with the map's own bands and soften."""
        banded = self.bands.change_bands(field)
        return banded.with_samples(soften_slopes(banded, self.soften))

    def facing_right_and_up(self) -> Normal:
        """The same in the directions that the studio itself reads."""
        return self.model_copy(update={"red": "right", "green": "up"})


@kernel(rows_of="samples")
def _encode(begin, end, samples, stencil, coding, out):
    most, red_left, green_down = coding
    columns = samples.shape[1]
    half = most / np.float32(2)
    zero = half + np.float32(0.5)  # the half beyond it rounds to nearest when the fraction is cut off
    for row in range(begin, end):
        slope_x = np.empty(columns, np.float32)
        slope_y = np.empty(columns, np.float32)
        slopes_of_row(samples, row, stencil, slope_x, slope_y)
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
        if red_left:
            for column in range(columns):
                red[column] = np.int32(most) - red[column]
        if green_down:
            for column in range(columns):
                green[column] = np.int32(most) - green[column]
        for column in range(columns):
            out[row, column, 0] = red[column]
            out[row, column, 1] = green[column]
            out[row, column, 2] = blue[column]


@kernel(rows_of="samples")
def _encode_along(begin, end, samples, stencil, along, detail, with_own, coding, out):
    """A normal map that came along, alone or laid on the field's own: `reorient` row by row."""
    most, red_left, green_down = coding
    columns = samples.shape[1]
    half = most / np.float32(2)
    zero = half + np.float32(0.5)
    for row in range(begin, end):
        slope_x = np.zeros(columns, np.float32)
        slope_y = np.zeros(columns, np.float32)
        if with_own:
            slopes_of_row(samples, row, stencil, slope_x, slope_y)
        for column in range(columns):
            own = np.float32(1) / np.sqrt(slope_x[column] ** 2 + slope_y[column] ** 2 + np.float32(1))
            leaning_x, leaning_y, leaning_z = -slope_x[column] * own, -slope_y[column] * own, own + np.float32(1)
            x, y, z = along[row, column, 0] * detail, along[row, column, 1] * detail, along[row, column, 2]
            length = np.float32(1) / np.sqrt(x * x + y * y + z * z)
            x, y, z = x * length, y * length, z * length
            share = (leaning_z * z - leaning_x * x - leaning_y * y) / leaning_z
            x, y, z = leaning_x * share + x, leaning_y * share + y, leaning_z * share - z
            red, green = np.int32(x * half + zero), np.int32(y * half + zero)
            out[row, column, 0] = np.int32(most) - red if red_left else red
            out[row, column, 1] = np.int32(most) - green if green_down else green
            out[row, column, 2] = np.int32(max(z, np.float32(-1)) * half + zero)


def normal_map(
    field: HeightField, amplitude: float, normal: Normal, bits: Literal[8, 16] = 8, along: np.ndarray | None = None
) -> np.ndarray:
    """The tangent-space normal map of a height field.

    Args:
        field: the height field.
        amplitude: mm that one unit of height stands for.
        normal: how it is made.
        bits: 8 or 16 for each channel.
        along: the unit vectors of the normal map that came along, (rows, columns, 3); none where there is none.

    Returns:
        uint8 or uint16 (rows, columns, 3), in the order red, green, blue.
    """
    out = np.empty((*field.samples.shape, 3), np.uint8 if bits == 8 else np.uint16)
    stencil = stencil_of(field, amplitude * normal.strength, normal.kernel)
    coding = np.float32(2**bits - 1), normal.red == "left", normal.green == "down"
    if along is None or normal.of == "relief":
        _encode(smooth_for_kernel(normal.filter_field(field), normal.kernel), stencil, coding, out)
    else:
        both = normal.of == "both"
        samples = smooth_for_kernel(normal.filter_field(field), normal.kernel) if both else field.samples
        _encode_along(samples, stencil, along, np.float32(normal.detail), both, coding, out)
    return out


def vectors(field: HeightField, amplitude: float, normal: Normal, along: np.ndarray | None = None) -> np.ndarray:
    """The unit normals before they are encoded: float32 (rows, columns, 3), x right, y up.

    Takes what `normal_map` takes.
    """
    if along is not None and normal.of == "source":
        return strengthen(along, normal.detail)
    own = of_slopes(slopes(normal.filter_field(field), amplitude * normal.strength, normal.kernel))
    if along is None or normal.of == "relief":
        return own
    return reorient(own, strengthen(along, normal.detail))

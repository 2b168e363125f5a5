"""Ambient occlusion by horizons: how much of an even sky each place sees.

The mean over directions of cos^2 of the horizon's elevation: the cosine-weighted share of the sky for an upright
normal. References: L. Bavoil, M. Sainz & R. Dimitrov 2008, Image-space horizon-based ambient occlusion, SIGGRAPH talks;
H. C. Hottel's crossed strings (any view-factor catalogue) for the groove.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numba
import numpy as np

from relief.height import HeightField
from relief.kernels import kernel
from relief.maps.companion import NOTHING, CompanionMap
from relief.parameters import number

GROWTH = 1.06
"""Steps outwards grow by this much once they are wider than a texel, so a horizon is hit within 6 % of its distance."""


def steps(reach: float, spacing: tuple[float, float], directions: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Where each direction is looked at: on whole texels along its longer axis, between two texels along the other.

    Args:
        reach: mm.
        spacing: width and height of a texel, mm.
        directions: how many, evenly round.

    Returns:
        int32 (directions, steps, 2, 2), for both texels how far down and to the right; float32 (directions, steps), the
        share of the second; and float32 (directions, steps), one over the distance in mm.
    """
    angles = 2 * np.pi * (np.arange(directions) + 0.5) / directions
    ahead = np.stack([-np.sin(angles) / spacing[1], np.cos(angles) / spacing[0]], axis=-1)
    longer = np.abs(ahead).max(axis=1, keepdims=True)
    counts, count = [1], 2
    while count / float(longer.max()) < reach:
        counts.append(count)
        count = max(count + 1, int(count * GROWTH))
    offsets = (ahead / longer)[:, None, :] * np.array(counts)[None, :, None]
    first = np.floor(offsets + 1e-9)
    along_rows = np.abs(ahead[:, 0]) < np.abs(ahead[:, 1])  # these lie between two rows, the others between two columns
    aside = np.where(along_rows[:, None, None], (1, 0), (0, 1))
    share = np.clip((offsets - first).sum(axis=-1), 0, 1)
    distance = np.hypot(offsets[..., 0] * spacing[1], offsets[..., 1] * spacing[0])
    places = np.stack([first, first + aside], axis=2).astype(np.int32)
    return places, share.astype(np.float32), (1 / distance).astype(np.float32)


@kernel
def _seen(wide, rows, columns, beyond_down, beyond_across, places, share, inverse, out):
    directions, count = share.shape
    part = np.float32(1.0 / directions)
    for row in numba.prange(rows):
        here = wide[row + beyond_down, beyond_across : beyond_across + columns]
        total = np.zeros(columns, np.float32)
        for direction in range(directions):
            horizon = np.zeros(columns, np.float32)
            for step in range(count):
                one, other = places[direction, step, 0], places[direction, step, 1]
                first, second = beyond_across + one[1], beyond_across + other[1]
                near = wide[row + beyond_down + one[0], first : first + columns]
                next_ = wide[row + beyond_down + other[0], second : second + columns]
                between, scale = share[direction, step], inverse[direction, step]
                for column in range(columns):
                    there = near[column] + between * (next_[column] - near[column])
                    horizon[column] = max(horizon[column], (there - here[column]) * scale)
            for column in range(columns):
                total[column] += part / (np.float32(1) + horizon[column] * horizon[column])
        out[row] = total


def occlusion(field: HeightField, amplitude: float, reach: float, directions: int) -> np.ndarray:
    """The share of the sky that is seen, 1 on flat ground: float32 (rows, columns).

    Args:
        field: the height field.
        amplitude: mm that one unit of height stands for.
        reach: mm beyond which nothing hides the sky.
        directions: how many are looked at.
    """
    rows, columns = field.samples.shape
    width, height = field.spacing
    reach = min(reach, width * (columns - 1) / 2 + width, height * (rows - 1) / 2 + height)
    places, share, inverse = steps(reach, (width, height), directions)
    beyond_down, beyond_across = (int(np.abs(places[..., axis]).max()) for axis in (0, 1))
    wide = field.padded((beyond_across, beyond_down)) * np.float32(amplitude)
    out = np.empty((rows, columns), np.float32)
    _seen(np.ascontiguousarray(wide), rows, columns, beyond_down, beyond_across, places, share, inverse, out)
    return out


class Occlusion(CompanionMap):
    """How much of the sky each place sees: dark in hollows and at the foot of walls."""

    title: ClassVar[str] = "Occlusion"
    reads: ClassVar[str] = "White sees all of the sky, black none of it."
    slow: ClassVar[bool] = True
    kind: Literal["occlusion"] = "occlusion"
    reach: float = number(
        20, 0.01, 100_000, label="Reach", unit="mm", step=0.5, slider=(1, 200), logarithmic=True,
        help="How far away something still hides the sky.",
    )  # fmt: skip
    directions: int = number(
        16,
        4,
        64,
        label="Directions",
        step=4,
        slider=(4, 32),
        help="How many directions are looked at; more is smoother.",
    )
    strength: float = number(
        1,
        0,
        8,
        label="Strength",
        step=0.05,
        slider=(0, 3),
        help="1 is true to the relief; more darkens hollows further.",
    )

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        return occlusion(field, amplitude, self.reach, self.directions) ** np.float32(self.strength)

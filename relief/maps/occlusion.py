"""Ambient occlusion by horizons: how much of an even sky each place sees.

The mean over directions of cos^2 of the horizon's elevation: the cosine-weighted share of the sky for an upright
normal. References: L. Bavoil, M. Sainz & R. Dimitrov 2008, Image-space horizon-based ambient occlusion, SIGGRAPH talks;
H. C. Hottel's crossed strings (any view-factor catalogue) for the groove.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.maps.companion import CompanionMap
from relief.maps.horizons import find_open_sky
from relief.parameters import number
from relief.progress import Progress


def occlusion(
    field: HeightField, amplitude: float, reach: float, directions: int, progress: Progress | None = None
) -> np.ndarray:
    """The share of the sky that is seen, 1 on flat ground: float32 (rows, columns).

    Args:
        field: the height field.
        amplitude: mm that one unit of height stands for.
        reach: mm beyond which nothing hides the sky. Beyond the size of the footprint nothing new comes: what wraps is
            the same relief again, lower over the horizon, and what does not goes on level.
        directions: how many are looked at.
        progress: told how far it is; may cancel meanwhile.
    """
    return find_open_sky(field, amplitude, min(reach, max(field.footprint.sides)), directions, progress or Progress())


class Occlusion(CompanionMap):
    """How much of the sky each place sees: dark in hollows and at the foot of walls."""

    title: ClassVar[str] = "Occlusion"
    reads: ClassVar[str] = "White sees all of the sky, black none of it."
    role: ClassVar[str] = "occlusion"
    slow: ClassVar[bool] = True
    kind: Literal["occlusion"] = "occlusion"
    reach: float = number(
        20, 0.01, 100_000_000, label="Reach", unit="mm", step=0.5, slider=(1, 200), logarithmic=True,
        help="How far away a rise can still hide the sky. More than the size of the footprint adds nothing.",
    )  # fmt: skip
    directions: int = number(
        16,
        4,
        64,
        label="Directions",
        step=4,
        slider=(4, 32),
        help="How many directions are sampled; more is smoother.",
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

    def draw_slowly(self, field: HeightField, amplitude: float, progress: Progress) -> np.ndarray:
        return occlusion(field, amplitude, self.reach, self.directions, progress) ** np.float32(self.strength)

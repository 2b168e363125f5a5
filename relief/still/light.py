"""What lights a still: a sun with a disc, and a sky of one brightness."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from relief.depth.light import Light as FarLight
from relief.still.material import bases, unit

SUN = (1.0, 0.95, 0.86)
SKY = (0.723, 0.807, 0.905)
"""Linear: a warm sun and a cool sky, as on the stage."""

GROUND = (0.074, 0.069, 0.06)
"""What shines up from below where there is no ground to meet, beside that sky; as on the stage."""

SUNLIGHT, SKYLIGHT = 3.1, 0.55
"""Irradiance of the sun at right angles and of the whole sky on level ground, as on the stage."""


class Light(NamedTuple):
    """The light of a still.

    Attributes:
        azimuth, elevation: of the sun, degrees: counter-clockwise from the right edge as seen from above, and over the
            level ground.
        size: of the sun's disc from rim to rim, degrees; 0.53 from the earth.
        sun, sky: strengths, 1 as on the stage.
        even: whether sun and sky are white, for measuring.
    """

    azimuth: float = 135.0
    elevation: float = 40.0
    size: float = 0.53
    sun: float = 1.0
    sky: float = 1.0
    even: bool = False

    def towards(self, up: int) -> np.ndarray:
        """The direction of the middle of the sun, unit length."""
        across, out, above = FarLight(self.azimuth, self.elevation).direction
        # looking down on what stands, its front (z) is below
        return np.array([across, above, -out] if up == 1 else [across, out, above])

    @property
    def sunlight(self) -> np.ndarray:
        """Irradiance at right angles to the sun, (3,)."""
        return np.asarray((1, 1, 1) if self.even else SUN, np.float32) * np.float32(SUNLIGHT * self.sun)

    @property
    def skylight(self) -> np.ndarray:
        """Radiance of the sky, (3,)."""
        return np.asarray((1, 1, 1) if self.even else SKY, np.float32) * np.float32(SKYLIGHT / np.pi * self.sky)

    def suns(self, up: int, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        """Points of the disc, each part of it as likely, as directions (n, 3), by two numbers each."""
        middle = self.towards(up)
        one, other = bases(middle[None])
        out, turn = np.tan(np.radians(self.size / 2)) * np.sqrt(u), 2 * np.pi * v
        drawn = middle + (out * np.cos(turn))[:, None] * one + (out * np.sin(turn))[:, None] * other
        return unit(drawn)

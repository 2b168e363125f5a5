"""What lights a still: a sun with a disc, a sky of one brightness, and one more lamp where it is asked for."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from relief.depth.light import Light as FarLight
from relief.errors import ReliefError
from relief.still.material import bases, unit

SUN = (1.0, 0.95, 0.86)
SKY = (0.723, 0.807, 0.905)
"""Linear: a warm sun and a cool sky, as on the stage."""

GROUND = (0.074, 0.069, 0.06)
"""What shines up from below the horizon, beside that sky; as on the stage."""

SUNLIGHT, SKYLIGHT = 3.1, 0.55
"""Irradiance of the sun at right angles and of the whole sky on level ground, as on the stage."""


class Lamp(NamedTuple):
    """One more light: a white ball that shines to all sides.

    Attributes:
        position: of its middle, mm.
        strength: what it brings to the middle of the surface, beside what a sun of strength 1 brings there.
        size: its diameter, mm.
    """

    position: tuple[float, float, float]
    strength: float = 1.0
    size: float = 0.0


class Light(NamedTuple):
    """The light of a still.

    Attributes:
        azimuth, elevation: of the sun, degrees: counter-clockwise from the right edge as seen from above, and over the
            level ground.
        size: of the sun's disc from rim to rim, degrees; 0.53 from the earth.
        sun, sky: strengths, 1 as on the stage.
        even: whether sun and sky are white, for measuring.
        lamp: one more light.
    """

    azimuth: float = 135.0
    elevation: float = 40.0
    size: float = 0.53
    sun: float = 1.0
    sky: float = 1.0
    even: bool = False
    lamp: Lamp | None = None

    def check(self) -> None:
        """Refuses light that is not possible.

        Raises:
            ReliefError: that names what is wrong.
        """
        numbers = [self.azimuth, self.elevation, self.size, self.sun, self.sky]
        numbers += [*self.lamp.position, self.lamp.strength, self.lamp.size] if self.lamp else []
        if not all(np.isfinite(number) for number in numbers):
            raise ReliefError("The light has values that are not numbers.")
        if not 0 <= self.size <= 90:
            raise ReliefError("The sun's disc must be 0 to 90 degrees wide.")
        if min(self.sun, self.sky, *((self.lamp.strength, self.lamp.size) if self.lamp else ())) < 0:
            raise ReliefError("Strengths and sizes of lights must be 0 or more.")

    def towards(self, up: int) -> np.ndarray:
        """The direction of the middle of the sun, unit length."""
        across, out, above = FarLight(self.azimuth, self.elevation).direction
        # looking down on what stands, its front (z) is below
        return np.array([across, above, -out] if up == 1 else [across, out, above])

    @property
    def sunlight(self) -> np.ndarray:
        """Irradiance at right angles to the sun, (3,)."""
        return np.asarray((1, 1, 1) if self.even else SUN, np.float32) * np.float32(SUNLIGHT * self.sun)

    def surroundings(self, directions: np.ndarray, up: int) -> np.ndarray:
        """Radiance that comes from far away against rays in some directions (n, 3): from the sky, and from the ground
        below the horizon, (n, 3).
        """
        strength = np.float32(SKYLIGHT / np.pi * self.sky)
        sky, ground = ((1, 1, 1), (1, 1, 1)) if self.even else (SKY, GROUND)
        return np.asarray(np.where(directions[:, up, None] > 0, sky, ground) * strength, np.float32)

    def suns(self, up: int, u: np.ndarray, v: np.ndarray) -> np.ndarray:
        """Points of the disc, each part of it as likely, as directions (n, 3), by two numbers each."""
        middle = self.towards(up)
        one, other = bases(middle[None])
        out, turn = np.tan(np.radians(self.size / 2)) * np.sqrt(u), 2 * np.pi * v
        drawn = middle + (out * np.cos(turn))[:, None] * one + (out * np.sin(turn))[:, None] * other
        return unit(drawn)

    def lamps(
        self, middle: np.ndarray, places: np.ndarray, u: np.ndarray, v: np.ndarray
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """What the lamp brings to places (n, 3), each part of its disc as likely, by two numbers each.

        Args:
            middle: of the surface, where its strength is that which is asked for.

        Returns:
            Directions (n, 3), distances (n,) in mm, and irradiance at right angles (n,).
        """
        lamp = self.lamp or Lamp((0, 0, 1), 0.0)
        centre = np.asarray(lamp.position, np.float64)
        there = centre - places
        away = np.maximum(np.linalg.norm(there, axis=1), 1e-9)
        one, other = bases(unit(there))
        out, turn = lamp.size / 2 * np.sqrt(u), 2 * np.pi * v
        towards = there + (out * np.cos(turn))[:, None] * one + (out * np.sin(turn))[:, None] * other
        distances = np.maximum(np.linalg.norm(towards, axis=1), 1e-9)
        # nearer than its own surface it grows no brighter
        near = np.maximum(away, lamp.size / 2)
        power = SUNLIGHT * lamp.strength * ((centre - middle) ** 2).sum()
        return (towards / distances[:, None]).astype(np.float32), distances, (power / near**2).astype(np.float32)

"""Where a light stood: stated in degrees, or read from the highlight on a mirrored ball."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np

from relief.errors import ReliefError

INSIDE = 0.97
"""Of a ball's radius: what lies farther out mirrors what is behind it."""

SPOT = 0.5
"""Part of the highlight's greatest brightness from which on a place beside it belongs to it."""

LARGEST_SPOT = 0.2
"""Of the ball's radius, that of a highlight: what is bright and larger is a wall, or lies behind the ball."""


@dataclass(frozen=True)
class Light:
    """A light far away.

    Attributes:
        azimuth: degrees, counter-clockwise from the right edge of the picture.
        elevation: degrees over the surface.
    """

    azimuth: float
    elevation: float

    @property
    def direction(self) -> np.ndarray:
        """Unit vector towards it: x right, y up, z out of the surface; float64 (3,)."""
        around, up = math.radians(self.azimuth), math.radians(self.elevation)
        return np.array([math.cos(up) * math.cos(around), math.cos(up) * math.sin(around), math.sin(up)])

    @classmethod
    def towards(cls, direction: np.ndarray) -> Light:
        """The light in a direction, which need not have length 1."""
        x, y, z = direction / np.linalg.norm(direction)
        return cls(math.degrees(math.atan2(y, x)) % 360, math.degrees(math.asin(z)))


@dataclass(frozen=True)
class Ball:
    """The outline of a mirrored ball in a picture, in texels from its upper left corner.

    Attributes:
        x, y: its middle.
        radius: of its outline.
    """

    x: float
    y: float
    radius: float

    def place(self, rows: int, columns: int, spacing: tuple[float, float]) -> tuple[float, float]:
        """Where its middle lies in a picture with texels of a size in mm: mm to the right of and above the middle."""
        return (self.x - columns / 2) * spacing[0], (rows / 2 - self.y) * spacing[1]

    def texels(self, rows: int, columns: int) -> np.ndarray:
        """Which texels of a picture it covers: bool (rows, columns)."""
        down, across = np.ogrid[:rows, :columns]
        square = (across + 0.5 - self.x) ** 2 + (down + 0.5 - self.y) ** 2
        return np.asarray(square <= self.radius**2)


def find_highlight(grey: np.ndarray, ball: Ball) -> tuple[float, float]:
    """The middle of the brightest place of a ball, in texels from the upper left corner.

    Args:
        grey: a photo, float32 (rows, columns), linear light.
        ball: its outline.

    Raises:
        ReliefError: the ball lies outside of the picture, is larger than it, or has no highlight.
    """
    if not 0 < ball.radius <= max(grey.shape) / 2:
        raise ReliefError("The outline of the ball is larger than its photo.")
    reach = 2 * max(1, round(LARGEST_SPOT * ball.radius)) + 1
    margin = ball.radius + reach  # what is farther off makes no difference to a spot on the ball
    left, top = max(0, math.floor(ball.x - margin)), max(0, math.floor(ball.y - margin))
    grey = grey[top : max(0, math.ceil(ball.y + margin)), left : max(0, math.ceil(ball.x + margin))]
    inside = Ball(ball.x - left, ball.y - top, ball.radius * INSIDE).texels(*grey.shape)
    if not inside.any():
        raise ReliefError("The ball lies outside the picture.")
    square = np.ones((reach, reach), np.uint8)  # which is searched row by row; a disc takes seconds on a large ball
    # where a camera was shaken some of what lies behind the ball is inside of its outline; that is no spot
    spots = np.where(inside, cv2.morphologyEx(np.ascontiguousarray(grey, np.float32), cv2.MORPH_TOPHAT, square), 0)
    brightest = float(spots.max())
    if brightest <= 1e-6:
        raise ReliefError("No highlight was found on the ball. Is it marked in the right place, and is it reflective?")
    _, parts = cv2.connectedComponents((spots >= SPOT * brightest).astype(np.uint8))
    spot = parts == parts[np.unravel_index(int(spots.argmax()), spots.shape)]
    # a small one fills few texels, and those beside them tell its middle
    spot = inside & cv2.dilate(spot.astype(np.uint8), np.ones((3, 3), np.uint8)).astype(bool)
    rows, columns = np.nonzero(spot)
    weights = spots[spot]
    x, y = (float(np.average(places + 0.5, weights=weights)) for places in (columns, rows))
    return left + x, top + y


def light_of_highlight(ball: Ball, x: float, y: float) -> Light:
    """The light whose highlight lies at a place of a mirrored ball, seen from far above: l = 2 (n . v) n - v.

    Raises:
        ReliefError: the place lies outside of the ball.
    """
    across, up = (x - ball.x) / ball.radius, (ball.y - y) / ball.radius
    rest = 1 - across**2 - up**2
    if rest < 0:
        raise ReliefError("The highlight lies outside the ball.")
    normal = np.array([across, up, math.sqrt(rest)])
    return Light.towards(2 * normal[2] * normal - np.array([0, 0, 1.0]))


def light_of_ball(grey: np.ndarray, ball: Ball) -> Light:
    """Where the light of a photo stood, read from its ball. Raises as the two steps do."""
    return light_of_highlight(ball, *find_highlight(grey, ball))

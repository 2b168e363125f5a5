"""Hills or hollows: which of two surfaces casts the shadows that the photos of a series show.

Lights that are estimated may all be turned by half a turn, and then each hill is a hollow. The two shade alike
(Belhumeur, Kriegman & Yuille 1999), but a hill throws its shadow away from itself and a hollow into itself. Where there
are no shadows, hollows are taken to be darker than hills, as less of the sky reaches them and dirt stays in them.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import cv2
import numpy as np

from relief.depth.heights import height_of
from relief.depth.lamps import Lamps
from relief.depth.light import Light
from relief.depth.stereo import Solution, solve_series

FARTHEST = 60
"""Texels that shadows are followed."""

GRAZED = 0.1
"""Cosine of the angle to the light from which on a place is taken to face it."""

DARK = 0.5
"""What is darker than this part of what it should be lies in shadow."""

BY_SHADOWS = 0.02
"""Difference of the correlations from which on shadows decide: on 21 made-up surfaces they were then always right."""

BY_BRIGHTNESS = 0.1
"""Correlation of height and brightness from which on that is followed, for want of anything better."""

AROUND = 12
"""Texels: what is higher than the mean of what lies about so far around is a hill."""

Ground = Literal["shadows", "brightness", "nothing"]
"""What tells hills from hollows."""


def tell_hills(
    photos: np.ndarray, one: Sequence[Light], other: Sequence[Light]
) -> tuple[tuple[Light, ...], tuple[Light, ...], Ground]:
    """Two answers of where the lights stood, the more likely one first, and what tells so.

    Args:
        photos: linear light, small, float32 (photos, rows, columns).
        one, other: the lights of the two, turned around against each other.
    """
    solution = solve_series(photos, Lamps.of_lights(one))
    height = height_of(solution, (1.0, 1.0))
    cast = [
        _match_shadows(photos, one, solution, height),
        _match_shadows(photos, other, solution.turned, -height),
    ]
    first, second = tuple(one), tuple(other)
    if abs(cast[0] - cast[1]) > BY_SHADOWS:
        return (first, second, "shadows") if cast[0] > cast[1] else (second, first, "shadows")
    hilly = height - cv2.GaussianBlur(height, (0, 0), AROUND)
    bright = _correlate(hilly.ravel(), solution.brightness.ravel())
    if abs(bright) > BY_BRIGHTNESS:
        return (first, second, "brightness") if bright > 0 else (second, first, "brightness")
    return first, second, "nothing"


def _match_shadows(photos: np.ndarray, lights: Sequence[Light], solution: Solution, height: np.ndarray) -> float:
    """How well shadows that a surface casts go together with those that are seen, -1 to 1."""
    cast, seen = [], []
    for photo, light in zip(photos, lights, strict=True):
        facing = solution.normals @ light.direction.astype(np.float32)
        lit = facing > GRAZED
        expected = solution.brightness * (np.maximum(facing, 0) + np.float32(solution.around))
        cast.append(_shadows(height, light)[lit])
        seen.append((photo < DARK * expected)[lit])
    return _correlate(np.concatenate(cast).astype(np.float32), np.concatenate(seen).astype(np.float32))


def _shadows(height: np.ndarray, light: Light) -> np.ndarray:
    """Where a height in texels lies in the shadow that it casts: bool (rows, columns)."""
    x, y, z = light.direction
    level = max(float(np.hypot(x, y)), 1e-6)
    highest = np.full(height.shape, -np.inf, np.float32)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    for step in range(1, FARTHEST):
        moved = np.array([[1, 0, x / level * step], [0, 1, -y / level * step]], np.float32)
        there = cv2.warpAffine(
            height, moved, height.shape[::-1], flags=flags, borderMode=cv2.BORDER_CONSTANT, borderValue=(-1e6,)
        )
        highest = np.maximum(highest, (there - height) / np.float32(step))
    return np.asarray(highest > z / level)


def _correlate(one: np.ndarray, other: np.ndarray) -> float:
    """Pearson's correlation of two fields of one shape; 0 where one of them is constant."""
    if one.std() == 0 or other.std() == 0:
        return 0.0
    return float(np.corrcoef(one, other)[0, 1])

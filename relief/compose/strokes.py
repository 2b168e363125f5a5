"""Hand strokes: relief raised, lowered, levelled and smoothed by hand.

A stroke works on the distance to its line, not on single dabs, so that it is the same at every resolution and however
densely it was drawn.
"""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from relief.brush import Brush
from relief.height import HeightField
from relief.parameters import Parameters, drawn
from relief.treat.soften import REACH, gaussian

Work = Literal["raise", "lower", "level", "smooth"]
Point = tuple[float, float, float]

SHARPNESS = 3
"""Smoothing blurs over the radius by this."""


class Stroke(Parameters):
    """One stroke."""

    work: Work
    points: tuple[Point, ...] = Field(min_length=1, max_length=2000)
    """(x, y, pressure): (0, 0) upper left to (1, 1) lower right, pressure 0 to 1."""
    radius: float = Field(gt=0, le=10_000)
    """mm."""
    falloff: float = Field(0.5, ge=0, le=1)
    """0 a hard edge, 1 all slope."""
    strength: float = Field(0.1, ge=0, le=10)
    """Height for raise and lower, 0 to 1 for level and smooth."""


class Strokes(Parameters):
    """Relief worked on by hand, at the top of what lies below."""

    title: ClassVar[str] = "Hand strokes"
    rest: ClassVar[float] = 0.0
    kind: Literal["strokes"] = "strokes"
    strokes: tuple[Stroke, ...] = drawn(
        (), label="Strokes", help="Draw on the stage to raise, lower, level or smooth.", max_length=500
    )


def worked(field: HeightField, strokes: tuple[Stroke, ...]) -> np.ndarray:
    """The samples of a field after some strokes, in their order: float32 (rows, columns)."""
    samples = field.samples.copy()
    brush = Brush(field)
    for stroke in strokes:
        level = _level(brush, stroke, samples) if stroke.work == "level" else None
        brush.press(np.array(stroke.points), stroke.radius, stroke.falloff)
        part = min(stroke.strength, 1)
        match stroke.work:
            case "raise":
                brush.add(samples, stroke.strength)
            case "lower":
                brush.add(samples, -stroke.strength)
            case "level":
                brush.blend(samples, np.full((1, 1), level, np.float32), part)
            case _:
                brush.blend(samples, _smooth(field, brush.window, stroke.radius, samples), part)
    return samples


def _level(brush: Brush, stroke: Stroke, samples: np.ndarray) -> np.float32:
    """The mean height under the brush where a stroke begins, so that no single grain sets the level."""
    x, y, _ = stroke.points[0]
    brush.press(np.array([(x, y, 1)]), stroke.radius, 1)
    level = brush.mean(samples)
    if level is not None:
        return level
    rows, columns = samples.shape  # a brush narrower than a texel misses their centres
    return samples[int(y * rows) % rows, int(x * columns) % columns]


def _smooth(field: HeightField, window: tuple[int, int, int, int], radius: float, samples: np.ndarray) -> np.ndarray:
    """The heights of a window blurred with those around it: float32, of the window's size or that of the field."""
    sigma = [radius / SHARPNESS / step for step in field.spacing]
    numbers, whole, beyond = [], [], []
    for axis, (first, last) in ((1, window[:2]), (0, window[2:])):
        count, wraps = samples.shape[1 - axis], field.edges.wraps[axis]
        whole.append(wraps and last - first >= count)
        beyond.append(0 if whole[-1] else math.ceil(REACH * sigma[axis]))
        texels = np.arange(first, first + count) if whole[-1] else np.arange(first - beyond[-1], last + beyond[-1])
        numbers.append(texels % count if wraps else np.clip(texels, 0, count - 1))
    blurred = gaussian(samples[np.ix_(*numbers)], (sigma[0], sigma[1]), (whole[1], whole[0]))
    down, across = beyond
    return blurred[down : blurred.shape[0] - down, across : blurred.shape[1] - across]

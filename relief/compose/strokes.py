"""Hand strokes: relief raised, lowered, levelled and smoothed by hand.

A stroke works on the distance to its line, not on single dabs, so that it is the same at every resolution and however
densely it was drawn.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from relief.height import HeightField
from relief.parameters import Parameters, drawn
from relief.treat.soften import gaussian

Work = Literal["raise", "lower", "level", "smooth"]
Point = tuple[float, float, float]


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
    """The samples of a field after some strokes, in their order."""
    samples = field.samples.copy()
    for stroke in strokes:
        for rows, columns, press in _windows(field, stroke):
            place = np.ix_(rows, columns)
            here = samples[place]
            samples[place] = here + press * (_target(field, samples, stroke, place, here) - here)
    return samples


def _target(
    field: HeightField, samples: np.ndarray, stroke: Stroke, place: tuple, here: np.ndarray
) -> np.ndarray | np.float32:
    """What a stroke makes of the heights in its window where it presses in full."""
    match stroke.work:
        case "raise":
            return here + np.float32(stroke.strength)
        case "lower":
            return here - np.float32(stroke.strength)
        case "level":
            rows, columns = samples.shape
            x, y, _ = stroke.points[0]
            level = samples[int(y * rows) % rows, int(x * columns) % columns]
            return here + np.float32(min(stroke.strength, 1)) * (level - here)
        case _:
            width, height = field.spacing
            sigma = stroke.radius / 3 / width, stroke.radius / 3 / height
            return here + np.float32(min(stroke.strength, 1)) * (gaussian(here, sigma, (False, False)) - here)


def _windows(field: HeightField, stroke: Stroke):
    """The rows, columns and pressure of a stroke; rows and columns go on over an edge that wraps."""
    rows, columns = field.samples.shape
    width, height = field.spacing
    points = np.array(stroke.points, np.float64)
    x, y = points[:, 0] * field.footprint.width, points[:, 1] * field.footprint.height
    left, right = int(np.floor((x.min() - stroke.radius) / width)), int(np.ceil((x.max() + stroke.radius) / width))
    top, bottom = int(np.floor((y.min() - stroke.radius) / height)), int(np.ceil((y.max() + stroke.radius) / height))
    wraps = field.edges.wraps
    left, right = _limited(left, right, columns, wraps[0])
    top, bottom = _limited(top, bottom, rows, wraps[1])
    if right <= left or bottom <= top:
        return
    across = (np.arange(left, right) + 0.5) * width
    down = (np.arange(top, bottom) + 0.5) * height
    far, pressure = _to_line(across[None, :], down[:, None], x, y, points[:, 2])
    edge = max(stroke.falloff, 1e-3)
    part = np.clip((1 - far / stroke.radius) / edge, 0, 1)
    press = (part * part * (3 - 2 * part) * pressure).astype(np.float32)
    yield np.arange(top, bottom) % rows, np.arange(left, right) % columns, press


def _limited(first: int, last: int, count: int, wraps: bool) -> tuple[int, int]:
    """A range within the field; where it wraps at most once round."""
    if wraps:
        return (first, last) if last - first <= count else (0, count)
    return max(first, 0), min(last, count)


def _to_line(across: np.ndarray, down: np.ndarray, x: np.ndarray, y: np.ndarray, pressure: np.ndarray):
    """Distance of each place to a line of points in mm, and the pressure at its nearest point."""
    best = np.hypot(across - x[0], down - y[0])
    press = np.full(best.shape, pressure[0])
    for start in range(len(x) - 1):
        dx, dy = x[start + 1] - x[start], y[start + 1] - y[start]
        length = dx * dx + dy * dy
        along = np.clip(((across - x[start]) * dx + (down - y[start]) * dy) / length, 0, 1) if length else 0.0
        far = np.hypot(across - x[start] - along * dx, down - y[start] - along * dy)
        nearer = far < best
        best = np.where(nearer, far, best)
        press = np.where(nearer, pressure[start] + along * (pressure[start + 1] - pressure[start]), press)
    return best, press

"""Hand strokes: relief raised, lowered, levelled and smoothed by hand.

A stroke works on the distance to its line, not on single dabs, so that it is the same at every resolution and however
densely it was drawn.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, StringConstraints

from relief.content import Content
from relief.filters.brush import Brush, Pressed, boxes_around, pieces_of
from relief.filters.gaussian import REACH, gaussian
from relief.height import HeightField
from relief.parameters import Kept, drawn_value

Work = Literal["raise", "lower", "level", "smooth"]
Point = tuple[float, float, float]

SHARPNESS = 3
"""Smoothing blurs over the radius by this."""


class Stroke(Kept):
    """One stroke. It is kept by the hash of its bytes; recipes and stages hold the hash."""

    work: Work
    points: tuple[Point, ...] = Field(min_length=1, max_length=2000)
    """(x, y, pressure): (0, 0) upper left to (1, 1) lower right, pressure 0 to 1."""
    radius: float = Field(gt=0, le=10_000)
    """mm."""
    falloff: float = Field(0.5, ge=0, le=1)
    """0 a hard edge, 1 all slope."""
    strength: float = Field(0.1, ge=0, le=10)
    """Height for raise and lower, 0 to 1 for level and smooth."""


class Strokes(Content):
    """Relief worked on by hand, at the top of what lies below."""

    title: ClassVar[str] = "Hand strokes"
    needs_ground: ClassVar[bool] = True
    works_below: ClassVar[bool] = True
    tools: ClassVar[tuple[str, ...]] = ("strokes",)
    kind: Literal["strokes"] = "strokes"
    strokes: tuple[Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")], ...] = drawn_value(
        (), label="Strokes", help="Draw on the stage to raise, lower, level or smooth.", shown="places",
        kept_as=Stroke, max_length=500,
    )  # fmt: skip

    @property
    def called(self) -> str:
        return "raised, lowered, smoothed"

    @property
    def kept(self) -> tuple[str, ...]:
        return self.strokes


def draw_strokes(field: HeightField, strokes: Iterable[Stroke]) -> np.ndarray:
    """The samples of a field after some strokes, in their order: float32 (rows, columns)."""
    samples = field.samples.copy()
    flat, brush = samples.reshape(-1), Brush(field)
    for stroke in strokes:
        here = brush.press(np.array(stroke.points), stroke.radius, stroke.falloff)
        heights = flat[here.texels]
        match stroke.work:
            case "raise":
                change = np.float32(stroke.strength)
            case "lower":
                change = -np.float32(stroke.strength)
            case "level":
                change = np.float32(min(stroke.strength, 1)) * (_level(brush, stroke, samples) - heights)
            case _:
                change = np.float32(min(stroke.strength, 1)) * (_smooth(field, here, stroke.radius, samples) - heights)
        flat[here.texels] = heights + here.press * change
    return samples


def count_texels(field: HeightField, stroke: Stroke) -> int:
    """How many texels a stroke has to look at, each as often as a piece of its line comes near."""
    begin, end = pieces_of(field, np.array(stroke.points))
    rows, columns = np.diff(boxes_around(field, begin, end, stroke.radius).reshape(-1, 2, 2), axis=2)[..., 0].T
    return int((rows * columns).sum())


def _level(brush: Brush, stroke: Stroke, samples: np.ndarray) -> np.float32:
    """The mean height under the brush where a stroke begins, so that no single grain sets the level."""
    x, y, _ = stroke.points[0]
    under = brush.press(np.array([(x, y, 1)]), stroke.radius, 1)
    if under.press.any():
        return np.float32(np.average(samples.reshape(-1)[under.texels], weights=under.press))
    rows, columns = samples.shape  # a brush narrower than a texel misses their centres
    return samples[int(y * rows) % rows, int(x * columns) % columns]


def _smooth(field: HeightField, here: Pressed, radius: float, samples: np.ndarray) -> np.ndarray:
    """The heights under a stroke blurred with those around them: float32 (texels,)."""
    sigma = [radius / SHARPNESS / step for step in field.spacing]
    numbers, whole, within = [], [], []
    rows, columns = np.divmod(here.texels, samples.shape[1])
    spans = ((1, here.top, here.bottom, rows), (0, here.left, here.right, columns))
    for axis, first, last, texels in spans:
        count, wraps = samples.shape[1 - axis], field.edges.wraps[axis]
        whole.append(wraps and last - first >= count)
        first, last = (0, count) if whole[-1] else (first - math.ceil(REACH * sigma[axis]), last)
        beyond = np.arange(first, last if whole[-1] else last + math.ceil(REACH * sigma[axis]))
        numbers.append(beyond % count if wraps else np.clip(beyond, 0, count - 1))
        within.append((texels - first) % count if wraps else texels - first)
    blurred = gaussian(samples[np.ix_(*numbers)], (sigma[0], sigma[1]), (whole[1], whole[0]))
    return blurred[within[0], within[1]]

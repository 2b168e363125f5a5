"""A probe: what is to be read at one place of the finished relief."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.filters.bands import Bands
from relief.height import HeightField
from relief.maps.displacement import displacement
from relief.maps.normal import vectors
from relief.maps.slopes import steepness
from relief.run.engine import Engine, Stage
from relief.run.finished import vectors_along
from relief.run.pipeline import Pipeline

BESIDE = 3
"""Texels around the place that the widest slope kernel looks at, and one more."""


@dataclass(frozen=True)
class Reading:
    """What stands at one texel.

    Attributes:
        column, row: the texel, from the upper left.
        across, down: its middle, mm from the left edge and from the top.
        height: the sample.
        distance: mm from the base surface, above zero outwards.
        slope: degrees, true to amplitude and footprint.
        normal: the unit vector of the normal map, x right, y up, z out.
    """

    column: int
    row: int
    across: float
    down: float
    height: float
    distance: float
    slope: float
    normal: tuple[float, float, float]


def probe(pipeline: Pipeline, engine: Engine, x: float, y: float) -> Reading:
    """Reads the finished relief at full size.

    Args:
        pipeline: the relief and its sources.
        engine: where stages are run.
        x, y: the place, (0, 0) upper left to (1, 1) lower right.
    """
    relief = pipeline.relief
    field = engine.run(pipeline.height())
    rows, columns = field.samples.shape
    column, row = min(int(x * columns), columns - 1), min(int(y * rows), rows - 1)
    width, height = field.spacing
    sample = field.samples[row, column]
    normal = relief.maps.normal
    seen = engine.run(Stage("What the normal map sees", normal.filter_field, normal.model_dump(), (pipeline.height(),)))
    across, down = (_places(*of) for of in zip((column, row), (columns, rows), field.edges.wraps, strict=True))
    here = down.index(row), across.index(column)
    along = vectors_along(pipeline, engine)
    along = None if along is None else along[np.ix_(down, across)]
    plain = normal.model_copy(update={"soften": 0.0, "bands": Bands()})  # both are done already
    vector = vectors(_cut(seen, down, across), relief.amplitude, plain, along)[here]
    return Reading(
        column=column,
        row=row,
        across=(column + 0.5) * width,
        down=(row + 0.5) * height,
        height=float(sample),
        distance=float(displacement(sample, relief.amplitude, relief.midlevel)),
        slope=float(steepness(_cut(field, down, across), relief.amplitude)[here]),
        normal=(float(vector[0]), float(vector[1]), float(vector[2])),
    )


def _places(place: int, count: int, wraps: bool) -> list[int]:
    """The texels around one along one side; where the field ends there, none beyond."""
    around = range(place - BESIDE, place + BESIDE + 1)
    if wraps and count > 2 * BESIDE:
        return [other % count for other in around]
    return [other for other in range(count) if other in around or wraps]


def _cut(field: HeightField, down: list[int], across: list[int]) -> HeightField:
    """A few texels of a field as a field of their own."""
    width, height = field.spacing
    cut = np.ascontiguousarray(field.samples[np.ix_(down, across)])
    footprint = field.footprint.resize(width * len(across), height * len(down))
    return HeightField(cut, footprint, field.edges)

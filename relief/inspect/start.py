"""The suggested start: a recipe for a new source that looks right before anything is touched."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.engine import Engine
from relief.height import Edges, Footprint
from relief.inspect.findings import COMFORTABLE, amplitude_for
from relief.inspect.readings import steepest
from relief.pipeline import Pipeline, ReadSource
from relief.recipe import Layer, Picture, Recipe, SourceReference
from relief.sources.facts import SEAMLESS_BELOW, Reading, seam_ratios
from relief.treat.invert import Invert
from relief.treat.levels import NARROWEST, Levels
from relief.treat.soften import Soften

PERCENTILES = (0.5, 99.5)
"""What lies beyond is taken for specks and highlights."""

LONG_SIDE = 300.0
"""mm: the footprint's longer side when nothing is known about it."""

PHOTO_SOFTEN = 1.0
"""Texels: about the width of a camera's grain."""

TREATMENTS = "layers.0.treatments"


def suggested_start(
    digest: str,
    filename: str,
    reading: Reading,
    read_source: ReadSource,
    engine: Engine,
    footprint: Footprint | None = None,
) -> Recipe:
    """A recipe for one source, with the paths it suggested.

    A photo gets levels from percentiles and a touch of soften; the samples of a height image are taken as they are,
    unless they leave 0 to 1. Midlevel is the median, and the amplitude lets the steepest 5 % stand near 40 degrees.

    Raises:
        PictureError: the source cannot be read.
    """
    source = SourceReference(digest=digest, filename=filename)
    layer = Layer(name=filename, content=Picture(source="picture", reading=reading))
    recipe = Recipe(sources={"picture": source}, layers=(layer,))
    pipeline = Pipeline(recipe, read_source)
    grey = engine.run(pipeline.grey())
    rows, columns = grey.shape
    scale = LONG_SIDE / max(rows, columns)
    footprint = footprint or Footprint(width=round(columns * scale, 2), height=round(rows * scale, 2))
    levels = _suggested_levels(grey, reading)
    soften = Soften(
        on=reading == "photo", radius=round(PHOTO_SOFTEN * footprint.width / columns, 3) if reading == "photo" else 0
    )
    recipe = recipe.model_copy(
        update={
            "footprint": footprint,
            "edges": _suggested_edges(grey),
            "layers": (layer.model_copy(update={"treatments": (levels, soften, Invert(on=False))}),),
        }
    )
    height = engine.run(replace(pipeline, recipe=recipe).height())
    midlevel = round(float(np.median(height.samples)), 4)
    now = steepest(height, 1.0)
    amplitude = float(f"{amplitude_for(COMFORTABLE, now, 1.0):.3g}") if now > 1e-4 else 1.0
    suggested = ["amplitude", "midlevel", "edges.across", "edges.down"]
    if levels.on:
        suggested += [f"{TREATMENTS}.0.black", f"{TREATMENTS}.0.white"]
    if soften.on:
        suggested.append(f"{TREATMENTS}.1.radius")
    return recipe.model_copy(
        update={"amplitude": min(amplitude, 100_000.0), "midlevel": midlevel, "suggested": tuple(suggested)}
    )


def _suggested_levels(grey: np.ndarray, reading: Reading) -> Levels:
    """Levels from percentiles for a photo, from the ends for data beyond 0 to 1, and switched off otherwise."""
    low, high = float(grey.min()), float(grey.max())
    if reading == "photo":
        low, high = (round(float(value), 3) for value in np.percentile(grey, PERCENTILES))
    elif low >= 0 and high <= 1:
        return Levels(on=False)
    if high - low < NARROWEST:
        return Levels(on=False)
    return Levels(black=low, white=high)


def _suggested_edges(grey: np.ndarray) -> Edges:
    across, down = ("wrap" if ratio < SEAMLESS_BELOW else "clamp" for ratio in seam_ratios(grey))
    return Edges(across=across, down=down)

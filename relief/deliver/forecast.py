"""How large a bundle will be, and how long it takes, said before it is built: from its maps made small."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from relief.deliver.maps import Maps
from relief.deliver.plan import plan
from relief.deliver.plan_maps import apply_delivery
from relief.deliver.planned import CARD, Planned
from relief.deliver.rates import Rates, measure_rates
from relief.errors import ReliefError
from relief.formats.writing import picture_file
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline, ReadSource
from relief.run.stages import GROUND

SMALL = 512
"""Texels on the long side of the maps that are made to tell."""

OTHERS = 40_000
"""Bytes of notes, recipe and contents together."""


@dataclass(frozen=True)
class BundleForecast:
    """A bundle before it is built.

    Attributes:
        files: about how many bytes each picture and mesh has, by its name.
        seconds: about how long it takes.
    """

    files: dict[str, int]
    seconds: float

    @property
    def size(self) -> int:
        """Bytes of the bundle."""
        return sum(self.files.values()) + OTHERS


def forecast_bundle(
    recipe: Recipe,
    read_source: ReadSource,
    engine: Engine,
    title: str,
    rates: Callable[[], Rates] = measure_rates,
) -> BundleForecast:
    """Makes every map small, as it will be written, and counts.

    Args:
        recipe: of the piece.
        read_source: reads its sources.
        engine: keeps what is computed.
        title: of the piece, by which files are named.
        rates: gives how quick this machine is with meshes, where there is one.

    Raises:
        PictureError: a source cannot be read.
    """
    recipe = apply_delivery(recipe)
    files: dict[str, int] = {}
    seconds = 0.0
    planned = plan(recipe, title)
    for key in recipe.reliefs:
        pipeline = Pipeline.of(recipe, read_source, SMALL, key)
        maps = Maps(pipeline, engine)
        rows, columns = maps.height.samples.shape
        times = (_longest(pipeline, engine) / max(rows, columns)) ** 2
        for file in planned:
            if file.relief == key and not file.writer and not file.name.startswith(CARD):
                begun = time.perf_counter()
                files[file.filename] = int(_size(maps, file) * times)
                seconds += (time.perf_counter() - begun) * times
    mesh = next((file for file in planned if file.name == "mesh"), None)
    if mesh:
        size, spent = _of_mesh(recipe, read_source, engine, rates)
        files[mesh.filename] = size
        seconds += spent
    return BundleForecast(files, seconds + 0.5)


def _size(maps: Maps, file: Planned) -> int:
    return len(picture_file(maps.pixels(file), file.ending))


def _longest(pipeline: Pipeline, engine: Engine) -> int:
    """Texels on the long side of a relief at full size, about: a crop makes fewer."""
    relief = pipeline.relief
    if relief.maps.resolution:
        return relief.maps.resolution
    if not relief.layers[0].source:
        return GROUND
    return int(max(engine.run(replace(pipeline, longest=None).picture()).pixels.shape[:2]))


def _of_mesh(recipe: Recipe, read_source: ReadSource, engine: Engine, rates: Callable[[], Rates]) -> tuple[int, float]:
    surface = SurfacePipeline.of(recipe, read_source, SMALL).final()
    delivery, rate = recipe.delivery, rates().of_surface(surface.surface)
    try:
        faces = surface.with_level(0).forecasts(engine)[0].faces if delivery.mesh == "base" else 0
        faces = faces or surface.forecast(engine).faces
    except ReliefError:  # the build says why
        return 0, 0.0
    return rate.size_of(faces, delivery.mesh_format), rate.seconds_of(faces, delivery.mesh_format)

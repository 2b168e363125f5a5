"""Say what a surface will cost, without building it."""

from __future__ import annotations

import argparse
import json
from typing import Any

from relief.commands._surface import add_surface_options, begin_surface
from relief.deliver.rates import Rate, measure_rates
from relief.displace.forecast import Forecast, Limit, final_limit
from relief.run.meshes import SurfacePipeline


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    add_surface_options(parser)


def run(chosen: argparse.Namespace) -> None:
    """Prints as JSON the ladder of levels, and what was asked for: faces, memory, seconds, and sizes of files."""
    recipe, read_source, engine = begin_surface(chosen)
    pipeline = SurfacePipeline.of(recipe, read_source).final()
    rates, limit = measure_rates(), final_limit()
    ladder = [_row(cost, rates.levels, limit) | {"level": cost.level} for cost in pipeline.forecasts(engine)]
    way = recipe.surface.tessellation
    if way.even:
        asked: dict[str, Any] = ladder[pipeline.surface.level]
    else:
        asked = _row(pipeline.forecast(engine), rates.of_surface(pipeline.surface), limit)
    about = {"about": way.most_faces is None and not way.even}
    told = {"tessellation": way.model_dump(mode="json"), "asked": asked | about, "ladder": ladder}
    print(json.dumps({"limit": {"faces": limit.faces, "memory": limit.memory}, **told}, indent=2))


def _row(cost: Forecast, rate: Rate, limit: Limit) -> dict[str, Any]:
    return {
        "faces": cost.faces,
        "vertices": cost.vertices,
        "memory": cost.memory,
        "peak_memory": cost.peak,
        "seconds": {ending: round(rate.seconds_of(cost.faces, ending), 2) for ending in rate.files},
        "files": {ending: rate.size_of(cost.faces, ending) for ending in rate.files},
        "fits": cost.fits(limit),
    }

"""Make everything a recipe asks for."""

from __future__ import annotations

import argparse
import json

from relief.commands._arguments import path
from relief.commands._recipe import add_sources, read_recipe
from relief.deliver.delivery import delivery_files
from relief.deliver.files import write_all
from relief.progress import Progress
from relief.run.engine import Engine


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("recipe", type=path, metavar="RECIPE.json")
    add_sources(parser)
    parser.add_argument("--out", type=path, required=True, metavar="DIR", help="folder for the files; made if missing")
    parser.add_argument("--size", type=int, metavar="N", help="texels on the long side of the maps")


def run(chosen: argparse.Namespace) -> None:
    """The files of a bundle, unpacked; all are made before the first is written."""
    recipe, read_source = read_recipe(chosen.recipe, chosen.source)
    if chosen.size:
        recipe = recipe.with_changes({"maps.resolution": chosen.size})
    made = delivery_files(recipe, read_source, Engine(), chosen.recipe.stem, Progress())
    places = [str(place) for place in write_all(chosen.out, made)]
    print(json.dumps({"files": places, "layers": [layer.name for layer in recipe.main.layers]}, indent=2))

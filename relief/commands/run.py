"""Make everything a recipe asks for."""

from __future__ import annotations

import argparse
import hashlib
import json
import sys
from pathlib import Path

from relief.deliver.bundle import delivery_files
from relief.deliver.files import write_all
from relief.errors import ReliefError
from relief.progress import Progress
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("recipe", type=Path, metavar="RECIPE.json")
    parser.add_argument(
        "--source", action="append", default=[], metavar="NAME=FILE", help="the file of one of its sources"
    )
    parser.add_argument("--out", type=Path, required=True, metavar="DIR", help="folder for the files; made if missing")
    parser.add_argument("--size", type=int, metavar="N", help="texels on the long side of the maps")


def run(chosen: argparse.Namespace) -> None:
    """The files of a bundle, unpacked; all are made before the first is written."""
    try:
        recipe, kept = Recipe.read_whole(json.loads(chosen.recipe.read_bytes()))
    except (ValueError, RecursionError) as problem:
        raise problem if isinstance(problem, ReliefError) else ReliefError("This is not a recipe.") from None
    if chosen.size:
        recipe = recipe.with_changes({"maps.resolution": chosen.size})
    files = dict(text.partition("=")[::2] for text in chosen.source)
    missing = [key for key in recipe.sources if key not in files]
    if missing:
        raise ReliefError(f"The recipe needs --source {missing[0]}=FILE ({recipe.sources[missing[0]].filename}).")
    unknown = [key for key in files if key not in recipe.sources]
    if unknown:
        raise ReliefError(f"The recipe has no source “{unknown[0]}”. It has {', '.join(recipe.sources) or 'none'}.")
    by_digest = dict(kept)
    for key, reference in recipe.sources.items():
        data = Path(files[key]).read_bytes()
        if hashlib.sha256(data).hexdigest() != reference.digest:
            print(f"relief: {files[key]} is not the file that {key} was made with.", file=sys.stderr)
        by_digest[reference.digest] = data
    made = delivery_files(recipe, by_digest.__getitem__, Engine(), chosen.recipe.stem, Progress())
    places = [str(place) for place in write_all(chosen.out, made)]
    print(json.dumps({"files": places, "layers": [layer.name for layer in recipe.main.layers]}, indent=2))

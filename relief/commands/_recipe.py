"""What the commands that take a recipe share: its file, and the files of its sources."""

from __future__ import annotations

import argparse
import hashlib
import json
import sys
from pathlib import Path

from relief.errors import ReliefError
from relief.recipe.recipe import Recipe
from relief.run.stages import ReadSource


def add_sources(parser: argparse.ArgumentParser) -> None:
    """The option that names the files of a recipe's sources."""
    parser.add_argument(
        "--source", action="append", default=[], metavar="NAME=FILE", help="the file of one of a recipe's sources"
    )


def read_recipe_file(place: Path) -> tuple[Recipe, dict[str, bytes]]:
    """A recipe, and by its hash what its file holds beside it: strokes.

    Raises:
        ReliefError: it is not a recipe.
        OSError.
    """
    try:
        return Recipe.read_whole(json.loads(place.read_bytes()))
    except (ValueError, RecursionError) as problem:
        raise problem if isinstance(problem, ReliefError) else ReliefError("This is not a recipe.") from None


def read_recipe(place: Path, sources: list[str]) -> tuple[Recipe, ReadSource]:
    """A recipe, and where its sources are read from.

    Args:
        place: the file of the recipe.
        sources: for each of its sources `key=file`.

    Raises:
        ReliefError: it is no recipe, or a source is not given; the message says which.
    """
    recipe, kept = read_recipe_file(place)
    files = dict(text.partition("=")[::2] for text in sources)
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
    return recipe, by_digest.__getitem__

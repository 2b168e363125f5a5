"""Pictures of the shelf that are put through a recipe: each by itself, or as sets by the roles in their names."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import PurePosixPath

from relief.deliver.series import match_files
from relief.errors import ReliefError
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import Recipe
from studio.recipes.models import pictures_of
from studio.shelf.models import Source

MOST_ITEMS = 1000
"""Items of a series at most."""

Matched = dict[str, dict[str, SourceReference]]
"""By the name of an item, the picture for each source that is replaced."""


def match_sources(recipe: Recipe, sources: Sequence[Source]) -> tuple[Matched, list[tuple[str, str]]]:
    """What is made of some sources, and by name why others are left over.

    Raises:
        ReliefError: the recipe needs no picture, or nothing or too much was chosen.
    """
    if not sources:
        raise ReliefError("Choose at least one picture.")
    paths = [PurePosixPath(source.filename) for source in sources]
    called = {id(path): source for path, source in zip(paths, sources, strict=True)}
    matched, left = Matched(), list[tuple[str, str]]()
    for name, found in match_files(pictures_of(recipe), paths).items():
        if isinstance(found, ReliefError):
            left.append((name, str(found)))
        else:
            matched[name] = {key: called[id(path)].reference for key, path in found.items()}
    if len(matched) > MOST_ITEMS:
        raise ReliefError(f"A series has at most {MOST_ITEMS} items; these are {len(matched)}.")
    return matched, left

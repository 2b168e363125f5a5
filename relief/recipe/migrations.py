"""Recipes of earlier versions brought to this one: a function for each step from one version to the next."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from relief.errors import RecipeError

Data = dict[str, Any]


def _reliefs_under_a_key(data: Data) -> Data:
    """1 to 2: what makes height, and how its maps are made, is a relief of its own."""
    names = ("layers", "footprint", "edges", "amplitude", "midlevel", "maps", "suggested")
    relief = {name: data[name] for name in names if name in data}
    others = {name: value for name, value in data.items() if name not in names}
    return {**others, "reliefs": {"main": relief}}


STEPS: dict[int, Callable[[Data], Data]] = {1: _reliefs_under_a_key}
"""By the version that a step begins with."""

VERSION = max(STEPS) + 1


def migrated(data: Any) -> Data:
    """The data of a recipe at this version.

    Args:
        data: JSON data of a recipe of this or an earlier version.

    Raises:
        RecipeError: it is not a recipe, or of a version that is not known.
    """
    version = data.get("version") if isinstance(data, dict) else None
    if version is None:
        raise RecipeError("This is not a recipe.")
    if type(version) is not int or not 1 <= version <= VERSION:
        raise RecipeError(f"The recipe has version {version}; this app reads version 1 to {VERSION}.")
    while version != VERSION:
        data = STEPS[version](data) | {"version": version + 1}
        version += 1
    return data

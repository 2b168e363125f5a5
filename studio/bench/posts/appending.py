"""Items added to the end of a list that is drawn by hand: posted alone, as a path that ends in `+`.

So what is sent does not grow with what was drawn before. Items too large for a recipe are kept by their hash.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from relief.errors import RecipeError
from relief.recipe.recipe import Recipe

MARK = "+"


def append_items(recipe: Recipe, changes: Mapping[str, str], keep: Callable[[bytes], str]) -> dict[str, Any]:
    """Changes in which each item that is to be added has become the whole list.

    Args:
        recipe: what is changed.
        changes: values of a form by their path.
        keep: keeps bytes and gives their hash.

    Raises:
        RecipeError: an item is not what the list holds.
    """
    whole: dict[str, Any] = {}
    for path, value in changes.items():
        if not path.endswith(MARK):
            whole[path] = value
            continue
        path = path.removesuffix(MARK)
        control = recipe.control(path)
        if control.kind != "drawn":
            raise RecipeError(f"There is no parameter “{path}{MARK}”.")
        try:
            item = json.loads(value)
        except (ValueError, RecursionError):
            raise RecipeError("What was drawn could not be read. Draw it again.") from None
        if control.kept_as:
            item = keep(control.kept_as.create(**item).as_bytes()) if isinstance(item, dict) else ""
        whole[path] = [*recipe.value(path), item]
    return whole

"""What changes of a list in a recipe share."""

from __future__ import annotations

from typing import Any

from relief.errors import RecipeError
from relief.recipe.relief import Relief

Done = tuple[Relief, str]


def require_number(items: tuple, number: int, what: str) -> Any:
    """One item of a list, by its number.

    Raises:
        RecipeError: it has no such item.
    """
    if not 0 <= number < len(items):
        raise RecipeError(f"There is no such {what}.")
    return items[number]


def replace_item(items: tuple, number: int, *instead: Any) -> tuple:
    """A list with others in place of one of its items, or without it."""
    return (*items[:number], *instead, *items[number + 1 :])


def tidy_name(name: str, longest: int) -> str:
    """A name without spaces at its ends, and single ones between its words."""
    return " ".join(name.split())[:longest]


def reorder(order: list[int], number: int, to: int) -> list[int]:
    """An order with one item moved to another place; beyond the ends it stays at the end."""
    order.insert(max(0, min(to, len(order) - 1)), order.pop(number))
    return order

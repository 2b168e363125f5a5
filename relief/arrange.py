"""Changes to a recipe's list of treatments. Each gives the new recipe and says in words what was done."""

from __future__ import annotations

from relief.errors import RecipeError
from relief.recipe import TREATMENTS_PATH, Recipe
from relief.treat import TREATMENTS
from relief.treat.heal import Heal, Mark
from relief.treat.treatment import Treatment

Done = tuple[Recipe, str]


def added(recipe: Recipe, kind: str, **values) -> Done:
    """A new treatment at the end of the list.

    Raises:
        RecipeError: there is no such treatment.
    """
    if kind not in TREATMENTS:
        raise RecipeError("There is no such treatment.")
    treatment = TREATMENTS[kind].checked(**values)
    return recipe.with_treatments([*_all(recipe), treatment]), f"Added {treatment.title}"


def moved(recipe: Recipe, number: int, to: int) -> Done:
    """A treatment at another place; beyond the ends it stays at the end."""
    treatment = _at(recipe, number)
    order = _all(recipe)
    order.insert(max(0, min(to, len(order) - 1)), order.pop(number))
    return recipe.with_treatments(order), f"Moved {treatment.title}"


def duplicated(recipe: Recipe, number: int) -> Done:
    """A second treatment of the same kind and values, right after the first."""
    treatment = _at(recipe, number)
    order = [*_all(recipe)[: number + 1], treatment, *_all(recipe)[number + 1 :]]
    return recipe.with_treatments(order), f"Duplicated {treatment.title}"


def removed(recipe: Recipe, number: int) -> Done:
    """Without a treatment."""
    treatment = _at(recipe, number)
    return recipe.with_treatments([other for other in _all(recipe) if other != number]), f"Removed {treatment.title}"


def reset(recipe: Recipe, number: int) -> Done:
    """A treatment with its values as they are at first."""
    treatment = _at(recipe, number)
    order: list[int | Treatment] = _all(recipe)
    order[number] = type(treatment)(on=treatment.on)
    return recipe.with_treatments(order), f"Reset {treatment.title}"


def healed(recipe: Recipe, x: float, y: float, radius: float) -> Done:
    """One more place to heal: a mark in the last treatment, which is added when the list does not end with it.

    `x` and `y` are places of the relief as the whole list leaves it, (0, 0) upper left to (1, 1) lower right.
    """
    mark = Mark.checked(points=((x, y),), radius=radius)
    treatments = recipe.layers[0].treatments
    if treatments and isinstance(treatments[-1], Heal):
        marks = [*treatments[-1].model_dump()["marks"], mark.model_dump()]
        return recipe.with_changes({f"{TREATMENTS_PATH}.{len(treatments) - 1}.marks": marks}), "Healed a place"
    return added(recipe, "heal", marks=[mark.model_dump()])[0], "Healed a place"


def _at(recipe: Recipe, number: int) -> Treatment:
    treatments = recipe.layers[0].treatments
    if not 0 <= number < len(treatments):
        raise RecipeError("There is no such treatment.")
    return treatments[number]


def _all(recipe: Recipe) -> list[int]:
    return list(range(len(recipe.layers[0].treatments)))

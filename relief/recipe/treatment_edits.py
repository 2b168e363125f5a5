"""Changes to the treatments of a relief. Each gives the new relief and says what was done."""

from __future__ import annotations

from typing import Any

from relief.errors import RecipeError
from relief.recipe.lists import Done, reorder, require_number
from relief.recipe.relief import TREATMENTS_PATH, Relief
from relief.treat import TREATMENTS
from relief.treat.heal import Heal, Mark
from relief.treat.invert import Invert
from relief.treat.treatment import Treatment


def invert_ground(relief: Relief, inverted: bool) -> Done:
    """The ground inverted, or as it stands: by the treatment that is there for it, or a new one."""
    listed = relief.layers[0].treatments
    number = next((number for number, item in enumerate(listed) if isinstance(item, Invert)), None)
    if number is not None:
        relief = relief.with_changes({f"{TREATMENTS_PATH}.{number}.on": inverted})
    elif inverted:
        relief = add_treatment(relief, "invert")[0]
    return relief, "What is dark stands out" if inverted else "What is bright stands out"


def add_treatment(relief: Relief, kind: str, layer: int = 0, **values: Any) -> Done:
    """A new treatment at the end of a layer's list.

    Raises:
        RecipeError: there is no such treatment.
    """
    if kind not in TREATMENTS:
        raise RecipeError("There is no such treatment.")
    treatment = TREATMENTS[kind].create(**values)
    return relief.with_treatments([*_all(relief, layer), treatment], layer), f"Added {treatment.title}"


def move_treatment(relief: Relief, number: int, to: int, layer: int = 0) -> Done:
    """A treatment at another place; beyond the ends it stays at the end."""
    treatment = _at(relief, number, layer)
    return relief.with_treatments(reorder(_all(relief, layer), number, to), layer), f"Moved {treatment.title}"


def duplicate_treatment(relief: Relief, number: int, layer: int = 0) -> Done:
    """A second treatment of the same kind and values, right after the first."""
    treatment = _at(relief, number, layer)
    order: list[int | Treatment] = [*_all(relief, layer)]
    order.insert(number + 1, treatment)
    return relief.with_treatments(order, layer), f"Duplicated {treatment.title}"


def remove_treatment(relief: Relief, number: int, layer: int = 0) -> Done:
    """Without a treatment."""
    treatment = _at(relief, number, layer)
    order = [other for other in _all(relief, layer) if other != number]
    return relief.with_treatments(order, layer), f"Removed {treatment.title}"


def reset(relief: Relief, number: int, layer: int = 0) -> Done:
    """A treatment with its values as they are at first."""
    treatment = _at(relief, number, layer)
    order: list[int | Treatment] = [*_all(relief, layer)]
    order[number] = type(treatment).create(on=treatment.on)
    return relief.with_treatments(order, layer), f"Reset {treatment.title}"


def heal_place(relief: Relief, x: float, y: float, radius: float) -> Done:
    """One more place to heal in the ground: a mark in its last treatment, added when the list does not end with it.

    `x` and `y` are places of the relief as the whole list leaves it, (0, 0) upper left to (1, 1) lower right.
    """
    mark = Mark.create(points=((x, y),), radius=radius)
    treatments = relief.layers[0].treatments
    if treatments and isinstance(treatments[-1], Heal):
        marks = [*treatments[-1].model_dump()["marks"], mark.model_dump()]
        path = f"layers.0.treatments.{len(treatments) - 1}.marks"
        return relief.with_changes({path: marks}), "Healed a place"
    return add_treatment(relief, "heal", marks=[mark.model_dump()])[0], "Healed a place"


def _at(relief: Relief, number: int, layer: int) -> Treatment:
    return require_number(require_number(relief.layers, layer, "layer").treatments, number, "treatment")


def _all(relief: Relief, layer: int) -> list[int]:
    return list(range(len(require_number(relief.layers, layer, "layer").treatments)))

"""Changes to the layers of a relief. Each gives the new relief and says what was done."""

from __future__ import annotations

from relief.compose.imprints import Imprints
from relief.compose.strokes import Strokes
from relief.content import Content
from relief.errors import RecipeError
from relief.figures import say_number
from relief.generate import GENERATORS
from relief.recipe.layer import Layer, Picture, SourceReference
from relief.recipe.lists import Done, reorder, replace_item, require_number, tidy_name
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief

LAID_AT_FIRST = {"imprints": ("add", 0.3), "strokes": ("replace", 1.0), "picture": ("add", 0.3)}
"""Blend and amount of a new layer by its kind; noises and patterns are added a little."""


def add_layer(relief: Relief, kind: str) -> Done:
    """A new layer of noise, pattern, imprints or strokes on top.

    Raises:
        RecipeError: there is no such kind, or too many layers.
    """
    kinds: dict[str, type[Content]] = {**GENERATORS, "imprints": Imprints, "strokes": Strokes}
    if kind not in kinds:
        raise RecipeError("There is no such kind of layer.")
    content = kinds[kind].create()
    blend, amount = LAID_AT_FIRST.get(kind, ("add", 0.2))
    layer = Layer(name=content.title, content=content, blend=blend, amount=amount)
    return relief.with_layers([*range(len(relief.layers)), layer]), f"Added {content.title}"


def add_picture(recipe: Recipe, name: str, sources: dict[str, SourceReference], content: Picture) -> tuple[Recipe, str]:
    """A new layer of a picture, or of a texture set with its companions, on top of the relief that is worked on.

    `sources` are the pictures by their role; `content` names one of them. Their keys are made different from those the
    piece has already.
    """
    taken = set(recipe.sources)
    keys = {role: _free(role, taken) for role in sources}
    companions = {role: keys[role] for role in content.companions if role in keys}
    unpacked = content.unpacked.model_copy(update={"source": keys.get(content.unpacked.source, "")})
    content = content.model_copy(
        update={"source": keys[content.source], "companions": companions, "unpacked": unpacked}
    )
    blend, amount = LAID_AT_FIRST["picture"]
    layer = Layer(name=name[:200], content=content, blend=blend, amount=amount)
    relief = recipe.shown
    relief = relief.with_layers([*range(len(relief.layers)), layer])
    more = {keys[role]: reference for role, reference in sources.items()}
    return recipe.with_relief(relief, sources=more), f"Added {name}"


def source_brought(recipe: Recipe, name: str, reference: SourceReference) -> tuple[Recipe, str]:
    """The recipe with one more source, unless it has it, and the key of that source."""
    for key, known in recipe.sources.items():
        if known.digest == reference.digest:
            return recipe, key
    key = _free(name, set(recipe.sources))
    return recipe.model_copy(update={"sources": {**recipe.sources, key: reference}}), key


def _free(role: str, taken: set[str]) -> str:
    """A key that is not taken yet."""
    key, number = role, 2
    while key in taken:
        key, number = f"{role} {number}", number + 1
    taken.add(key)
    return key


def move_layer(relief: Relief, number: int, to: int) -> Done:
    """A layer at another height in the pile; beyond the ends it stays at the end."""
    layer = _layer(relief, number)
    order = reorder(list(range(len(relief.layers))), number, to)
    if order[0] != 0 and relief.layers[order[0]].content.needs_ground:
        raise RecipeError(f"{relief.layers[order[0]].name} needs something to lie on, so it cannot be the ground.")
    return relief.with_layers(order), f"Moved {layer.name}"


def duplicate_layer(relief: Relief, number: int) -> Done:
    """A second layer of the same content, right above the first."""
    layer = _layer(relief, number)
    order: list[int | Layer] = list(range(len(relief.layers)))
    order.insert(number + 1, layer)
    return relief.with_layers(order), f"Duplicated {layer.name}"


def remove_layer(relief: Relief, number: int) -> Done:
    """Without a layer."""
    layer = _layer(relief, number)
    order = [other for other in range(len(relief.layers)) if other != number]
    if order and order[0] != 0 and relief.layers[order[0]].content.needs_ground:
        raise RecipeError(f"{relief.layers[order[0]].name} needs something to lie on; remove it first.")
    return relief.with_layers(order), f"Removed {layer.name}"


def rename_layer(relief: Relief, number: int, name: str) -> Done:
    """A layer under another name."""
    layer = _layer(relief, number)
    name = tidy_name(name, 200) or layer.name
    layers = replace_item(relief.layers, number, layer.model_copy(update={"name": name}))
    return relief.model_copy(update={"layers": layers}), f"Renamed a layer to {name}"


def divide_amount(relief: Relief, number: int, times: float) -> Done:
    """A layer whose amount makes up for its repeats: n times as often over one size, slopes are n times as steep."""
    layer = _layer(relief, number)
    amount = float(f"{layer.amount / times:.4g}")
    return relief.with_changes({f"layers.{number}.amount": amount}), f"{layer.name}: amount to {say_number(amount, 6)}"


def _layer(relief: Relief, number: int) -> Layer:
    return require_number(relief.layers, number, "layer")

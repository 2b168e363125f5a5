"""Changes to a relief's lists of layers, treatments and maps. Each gives the new relief and says what was done."""

from __future__ import annotations

from typing import Any

from relief.compose.imprints import Imprints
from relief.compose.strokes import Strokes
from relief.content import Content
from relief.errors import RecipeError
from relief.figures import say_number
from relief.generate import GENERATORS
from relief.generate.test_card import TestCard
from relief.height import Footprint
from relief.maps import COMPANION_MAPS
from relief.maps.packing import PRESETS, VALUE, Pack
from relief.maps.unlinked import Unlinked
from relief.recipe.layer import Layer, Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.recipe.relief import MOST_MAPS, MOST_PACKS, TREATMENTS_PATH, Relief
from relief.treat import TREATMENTS
from relief.treat.heal import Heal, Mark
from relief.treat.invert import Invert
from relief.treat.treatment import Treatment

Done = tuple[Relief, str]
LAID_AT_FIRST = {"imprints": ("add", 0.3), "strokes": ("replace", 1.0), "picture": ("add", 0.3)}
"""Blend and amount of a new layer by its kind; noises and patterns are added a little."""


# treatments


def turn_around(relief: Relief, turned: bool) -> Done:
    """The ground's brightness turned around, or as it stands: by the treatment that is there for it, or a new one."""
    listed = relief.layers[0].treatments
    number = next((number for number, item in enumerate(listed) if isinstance(item, Invert)), None)
    if number is not None:
        relief = relief.with_changes({f"{TREATMENTS_PATH}.{number}.on": turned})
    elif turned:
        relief = add_treatment(relief, "invert")[0]
    return relief, "What is dark stands out" if turned else "What is bright stands out"


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
    return relief.with_treatments(_reorder(_all(relief, layer), number, to), layer), f"Moved {treatment.title}"


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
    return _require_number(_layer(relief, layer).treatments, number, "treatment")


def _all(relief: Relief, layer: int) -> list[int]:
    return list(range(len(_layer(relief, layer).treatments)))


# maps


def add_map(relief: Relief, kind: str) -> Done:
    """A grey map more.

    Raises:
        RecipeError: there is no such map, or too many of them.
    """
    if kind not in COMPANION_MAPS:
        raise RecipeError("There is no such map.")
    made = COMPANION_MAPS[kind].begun(relief.companion_roles(), len(relief.layers))
    return with_maps(relief, more=(*relief.maps.more, made)), f"Added {made.title}"


def remove_map(relief: Relief, number: int) -> Done:
    """A grey map less; channels that held it hold a value, and those that held a later one still do."""
    grey = _require_number(relief.maps.more, number, "map")
    packs = tuple(_without_map(pack, number) for pack in relief.maps.packs)
    return with_maps(relief, more=_replace(relief.maps.more, number), packs=packs), f"Removed {grey.called}"


def _without_map(pack: Pack, number: int) -> Pack:
    changes = {}
    for channel, held in pack.holds().items():
        name, dot, part = held.partition(".")
        place = int(name.removeprefix("more-")) if name.startswith("more-") else -1
        if place == number:
            changes[channel] = VALUE
        elif place > number:
            changes[channel] = f"more-{place - 1}{dot}{part}"
    return pack.model_copy(update=changes)


def name_map(relief: Relief, number: int, name: str) -> Done:
    """A grey map under another name; a name of nothing gives it its title back."""
    named = _require_number(relief.maps.more, number, "map").model_copy(update={"name": _tidy(name, 60)})
    return with_maps(relief, more=_replace(relief.maps.more, number, named)), f"Renamed a map to {named.called}"


def unlink_companion(relief: Relief, role: str) -> Done:
    """A companion that lies otherwise than the relief: twice as often, until it is set.

    Raises:
        RecipeError: it has no such companion.
    """
    if role not in relief.movable_roles():
        raise RecipeError("There is no such companion map.")
    others = tuple(item for item in relief.maps.unlinked if item.role != role)
    return with_maps(relief, unlinked=(*others, Unlinked(role=role))), f"Unlinked {role}"


def link_companion(relief: Relief, role: str) -> Done:
    """A companion that lies just as the relief does again."""
    return with_maps(
        relief, unlinked=tuple(item for item in relief.maps.unlinked if item.role != role)
    ), f"Linked {role}"


def add_pack(relief: Relief, preset: str) -> Done:
    """A packed picture more.

    Raises:
        RecipeError: there is no such preset, or too many of them.
    """
    pack = _preset(relief, preset)
    return with_maps(relief, packs=(*relief.maps.packs, pack)), f"Packed {pack.name}"


def ensure_pack(relief: Relief, preset: str) -> Relief:
    """The relief with a packed picture of a preset: one more, unless one holds the same. Raises as `add_pack` does."""
    wanted = _preset(relief, preset)
    if any(pack.model_copy(update={"name": wanted.name}) == wanted for pack in relief.maps.packs):
        return relief
    return add_pack(relief, preset)[0]


def _preset(relief: Relief, preset: str) -> Pack:
    if preset not in PRESETS:
        raise RecipeError("There is no such packed picture.")
    _, _, values = PRESETS[preset]
    if preset == "gltf":
        values = values | {channel: _made(relief, role) for channel, role in GLTF.items()}
    return Pack(**values)


GLTF = {"red": "occlusion", "green": "roughness", "blue": "metalness"}
"""What stands in the channels of the picture that glTF 2.0 reads occlusion, roughness and metalness from."""


def _made(relief: Relief, role: str) -> str:
    """The name of the map of a kind: one that is made, else one that came along, else a value."""
    for number, grey in enumerate(relief.maps.more):
        if grey.kind == role and grey.on:
            return f"more-{number}"
    return f"along-{role}" if role in relief.companion_roles() else VALUE


def remove_pack(relief: Relief, number: int) -> Done:
    """A packed picture less."""
    pack = _require_number(relief.maps.packs, number, "packed picture")
    return with_maps(relief, packs=_replace(relief.maps.packs, number)), f"Removed {pack.name}"


def name_pack(relief: Relief, number: int, name: str) -> Done:
    """A packed picture under another name."""
    pack = _require_number(relief.maps.packs, number, "packed picture")
    named = pack.model_copy(update={"name": _tidy(name, 60) or pack.name})
    return with_maps(relief, packs=_replace(relief.maps.packs, number, named)), f"Renamed a map to {named.name}"


def with_maps(relief: Relief, **changes: Any) -> Relief:
    """The relief with other values in how its maps are made, such as another list of them.

    Raises:
        RecipeError: a list is longer than a piece may have it.
    """
    for name, most, what in (("more", MOST_MAPS, "more maps"), ("packs", MOST_PACKS, "packed pictures")):
        if len(changes.get(name, ())) > most:
            raise RecipeError(f"A piece has at most {most} {what}.")
    return relief.model_copy(update={"maps": relief.maps.model_copy(update=changes)})


def _require_number(items: tuple, number: int, what: str) -> Any:
    if not 0 <= number < len(items):
        raise RecipeError(f"There is no such {what}.")
    return items[number]


def _replace(items: tuple, number: int, *instead: Any) -> tuple:
    """A list with others in place of one of its items, or without it."""
    return (*items[:number], *instead, *items[number + 1 :])


def _tidy(name: str, longest: int) -> str:
    """A name without spaces at its ends, and single ones between its words."""
    return " ".join(name.split())[:longest]


def with_test_card(relief: Relief) -> Relief:
    """The relief with the test card in place of its layers; how maps are made stays as it is."""
    side = max(relief.final_footprint.sides)
    normal = relief.maps.normal.model_copy(update={"of": "relief"})
    return with_maps(relief, normal=normal, resolution=0).model_copy(
        update={
            "layers": (Layer(name=TestCard.title, content=TestCard()),),
            "footprint": Footprint(width=side, height=side),
            "amplitude": CARD_DEPTH * side,
            "midlevel": TestCard.rest,
            "suggested": (),
        }
    )


CARD_DEPTH = 0.12
"""Depth of the test card as a part of its side: its dome then stands as steep as a ball cut a third from its top."""


# layers


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
    order = _reorder(list(range(len(relief.layers))), number, to)
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
    name = _tidy(name, 200) or layer.name
    layers = _replace(relief.layers, number, layer.model_copy(update={"name": name}))
    return relief.model_copy(update={"layers": layers}), f"Renamed a layer to {name}"


def divide_amount(relief: Relief, number: int, times: float) -> Done:
    """A layer whose amount makes up for its repeats: n times as often over one size, slopes are n times as steep."""
    layer = _layer(relief, number)
    amount = float(f"{layer.amount / times:.4g}")
    return relief.with_changes({f"layers.{number}.amount": amount}), f"{layer.name}: amount to {say_number(amount, 6)}"


def _layer(relief: Relief, number: int) -> Layer:
    return _require_number(relief.layers, number, "layer")


def _reorder(order: list[int], number: int, to: int) -> list[int]:
    order.insert(max(0, min(to, len(order) - 1)), order.pop(number))
    return order

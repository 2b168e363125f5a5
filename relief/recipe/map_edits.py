"""Changes to the maps of a relief: grey maps, companions, packed pictures, the test card."""

from __future__ import annotations

from typing import Any

from relief.errors import RecipeError
from relief.generate.test_card import TestCard
from relief.height import Footprint
from relief.maps import COMPANION_MAPS
from relief.maps.packing import PRESETS, VALUE, Pack
from relief.maps.unlinked import Unlinked
from relief.recipe.layer import Layer
from relief.recipe.lists import Done, replace_item, require_number, tidy_name
from relief.recipe.relief import MOST_MAPS, MOST_PACKS, Relief

GLTF = {"red": "occlusion", "green": "roughness", "blue": "metalness"}
"""What stands in the channels of the picture that glTF 2.0 reads occlusion, roughness and metalness from."""
CARD_DEPTH = 0.12
"""Depth of the test card as a part of its side: its dome then stands as steep as a ball cut a third from its top."""


def add_map(relief: Relief, kind: str) -> Done:
    """A grey map more.

    Raises:
        RecipeError: there is no such map, or too many of them.
    """
    if kind not in COMPANION_MAPS:
        raise RecipeError("There is no such map.")
    made = COMPANION_MAPS[kind].start_for(relief.companion_roles(), len(relief.layers))
    return with_maps(relief, more=(*relief.maps.more, made)), f"Added {made.title}"


def remove_map(relief: Relief, number: int) -> Done:
    """A grey map less; channels that held it hold a value, and those that held a later one still do."""
    grey = require_number(relief.maps.more, number, "map")
    packs = tuple(_without_map(pack, number) for pack in relief.maps.packs)
    return with_maps(relief, more=replace_item(relief.maps.more, number), packs=packs), f"Removed {grey.called}"


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
    named = require_number(relief.maps.more, number, "map").model_copy(update={"name": tidy_name(name, 60)})
    return with_maps(relief, more=replace_item(relief.maps.more, number, named)), f"Renamed a map to {named.called}"


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


def _made(relief: Relief, role: str) -> str:
    """The name of the map of a kind: one that is made, else one that came along, else a value."""
    for number, grey in enumerate(relief.maps.more):
        if grey.kind == role and grey.on:
            return f"more-{number}"
    return f"along-{role}" if role in relief.companion_roles() else VALUE


def remove_pack(relief: Relief, number: int) -> Done:
    """A packed picture less."""
    pack = require_number(relief.maps.packs, number, "packed picture")
    return with_maps(relief, packs=replace_item(relief.maps.packs, number)), f"Removed {pack.name}"


def name_pack(relief: Relief, number: int, name: str) -> Done:
    """A packed picture under another name."""
    pack = require_number(relief.maps.packs, number, "packed picture")
    named = pack.model_copy(update={"name": tidy_name(name, 60) or pack.name})
    return with_maps(relief, packs=replace_item(relief.maps.packs, number, named)), f"Renamed a map to {named.name}"


def with_maps(relief: Relief, **changes: Any) -> Relief:
    """The relief with other values in how its maps are made, such as another list of them.

    Raises:
        RecipeError: a list is longer than a piece may have it.
    """
    for name, most, what in (("more", MOST_MAPS, "more maps"), ("packs", MOST_PACKS, "packed pictures")):
        if len(changes.get(name, ())) > most:
            raise RecipeError(f"A piece has at most {most} {what}.")
    return relief.model_copy(update={"maps": relief.maps.model_copy(update=changes)})


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

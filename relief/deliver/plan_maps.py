"""The maps of a delivery, planned: which there are, how each is written, and what its file is called."""

from __future__ import annotations

from typing import Any

from relief.deliver.files import safe_name, safe_stem
from relief.deliver.planned import CARD, SEEN, Planned, distinguish_names
from relief.errors import RecipeError
from relief.formats.pictures import PICTURES
from relief.recipe.delivery import AS_ALWAYS, TYPES, Delivery, Depth
from relief.recipe.map_edits import ensure_pack
from relief.recipe.recipe import MAIN, Recipe
from relief.recipe.relief import Relief
from relief.run.finished import list_delivered


def apply_delivery(recipe: Recipe) -> Recipe:
    """The recipe with what its delivery asks of the maps: their size, the way normals point, one more packing.

    Raises:
        RecipeError: the reliefs have no room for that.
    """
    delivery = recipe.delivery
    for key in recipe.reliefs:
        relief = recipe.reliefs[key]
        asked: dict[str, Any] = {
            "maps.resolution": delivery.size, "maps.normal.green": delivery.green, "maps.normal.red": delivery.red
        }  # fmt: skip
        if delivery.midlevel == "half":
            asked["maps.displacement.centred"] = True
        relief = relief.with_changes({path: value for path, value in asked.items() if value})
        if delivery.pack:
            relief = ensure_pack(relief, delivery.pack)
        recipe = recipe.with_relief(relief, key)
    return recipe


def list_maps(recipe: Recipe) -> dict[str, str]:
    """What can be delivered of a recipe's reliefs and what can be left out: the title of each map by its name."""
    maps = {name: title for relief in recipe.reliefs.values() for name, title in list_delivered(relief).items()}
    return maps | {"heights": "Full-precision heights"}


def plan_maps(
    relief: Relief, stem: str, delivery: Delivery = AS_ALWAYS, alpha: bool = False, key: str = MAIN
) -> list[Planned]:
    """The maps of a relief; with `alpha` a mask of what it covers."""
    files = []

    def add(name: str, ending: str, title: str, bits: Depth, channels: int, format_: str) -> None:
        filename = f"{name_map(delivery, stem, key, ending, bits, relief)}.{format_}"
        files.append(Planned(name, filename, title, PICTURES[format_].name, bits, channels))

    for name, title in list_delivered(relief).items():
        bits, channels = _samples(relief, name, delivery)
        if name not in delivery.left_out:
            add(name, _ending(relief, name), title, bits, channels, _format(name, bits, delivery))
        heights = name == "displacement" and delivery.displacement_bits not in ("half", "float")
        if heights and "heights" not in delivery.left_out:
            add("heights", "displacement", title, "float", 1, "exr" if delivery.data_format == "exr" else "tif")
    normal = relief.maps.normal
    wants_up = any(scene.green_up for scene in delivery.scenes.values())
    if wants_up and delivery.mesh == "base" and (normal.green, normal.red) != ("up", "right"):
        add("normal-up", "normal_up", "Normal map, green up", 8, 3, "png")
    if alpha:
        add("mask", "mask", "Mask", 8, 1, "png")
    for number, layer in enumerate(relief.layers[1:], start=1):
        if layer.on and layer.blend in ("taller", "lower"):
            ending = f"seen_{number}_{safe_stem(layer.name)}"
            add(f"{SEEN}{number}", ending, f"Where {layer.name} is seen", 8, 1, "png")
    return distinguish_names(files)


def plan_test_card(relief: Relief, stem: str, delivery: Delivery = AS_ALWAYS) -> list[Planned]:
    """The maps of the test card, made with the settings of a relief."""
    files = []
    for name in ("normal", "bump", "displacement"):
        bits, channels = _samples(relief, name, delivery)
        ending = _format(name, bits, delivery)
        filename = f"{name_map(delivery, stem, MAIN, f'test_card_{name}', bits, relief)}.{ending}"
        title = f"Test card: {name} map"
        files.append(Planned(f"{CARD}{name}", filename, title, PICTURES[ending].name, bits, channels))
    return files


def name_map(delivery: Delivery, stem: str, key: str, ending: str, bits: Depth, relief: Relief) -> str:
    """The stem of a map's file name, by the pattern; safe everywhere.

    Raises:
        RecipeError: nothing is left of it.
    """
    fields = {
        "piece": stem,
        "relief": "" if key == MAIN else safe_stem(key),
        "map": ending,
        "size": str(delivery.size or relief.maps.resolution or "full"),
        "bits": f"{bits}bit" if isinstance(bits, int) else bits,
        "green": relief.maps.normal.green,
    }
    name = safe_name(delivery.pattern.format(**fields))
    if not name:
        raise RecipeError("The file name pattern gives an empty name.")
    return name


def _format(name: str, bits: Depth, delivery: Delivery) -> str:
    """The ending that a map is written with: colours as theirs, data so that it holds its samples."""
    if name == "colour":
        return delivery.colour_format
    if TYPES[bits] in PICTURES[delivery.data_format].holds:
        return delivery.data_format
    return "exr" if bits == "half" else "tif"


def _ending(relief: Relief, name: str) -> str:
    """What the file name of a map ends with."""
    kind, _, rest = name.partition("-")
    match kind:
        case "along":
            return safe_stem(rest)
        case "more":
            grey = relief.maps.more[int(rest)]
            return safe_stem(grey.name.lower()) if grey.name else grey.kind
        case "pack":
            return safe_stem(relief.maps.packs[int(rest)].name.lower())
    return kind


def _samples(relief: Relief, name: str, delivery: Delivery) -> tuple[Depth, int]:
    """The depth of a map, and how many channels it has."""
    kind, _, rest = name.partition("-")
    match kind:
        case "normal" | "colour":
            return delivery.depth_of(name) or 8, 3
        case "more":
            grey = relief.maps.more[int(rest)]
            return grey.bits, len(grey.channels) or 1
        case "pack":
            pack = relief.maps.packs[int(rest)]
            return pack.bits, len(pack.used)
    return delivery.depth_of(name) or 8, 1

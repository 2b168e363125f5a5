"""What a delivery holds, planned once: the page shows it, the note explains it, the writer makes it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import count
from typing import Any

from relief.deliver.files import safe_name, safe_stem
from relief.errors import RecipeError
from relief.formats.meshes import MESHES
from relief.formats.pictures import PICTURES
from relief.recipe.delivery import AS_ALWAYS, DEPTHS, TYPES, Delivery, Depth
from relief.recipe.edits import ensure_pack
from relief.recipe.recipe import MAIN, Recipe
from relief.recipe.relief import Relief
from relief.recipe.surface_edits import title_of
from relief.run.finished import list_delivered

CARD = "card-"
"""What the names of the test card's maps begin with."""

SEEN = "seen-"
"""What the names of the masks of layers begin with that won by height."""

CHANNELS = {1: "grey", 3: "red green blue", 4: "red green blue alpha"}


@dataclass(frozen=True)
class Planned:
    """One file of a delivery.

    Attributes:
        name: which one; a map has the name it has among the finished maps.
        filename: unlike that of any other file of the delivery.
        title: what it is called on the page.
        format: PNG, TIFF, OBJ, JSON or text.
        bits: the depth of its samples, where it is a picture.
        channels: of the picture.
        relief: the key of the relief that a map is made of.
    """

    name: str
    filename: str
    title: str
    format: str
    bits: Depth | None = None
    channels: int = 0
    relief: str = MAIN

    @property
    def ending(self) -> str:
        """Of its file name."""
        return self.filename.rpartition(".")[2]

    @property
    def depth(self) -> str:
        """Bits and channels in words; empty where it is no picture."""
        return f"{DEPTHS[self.bits]}, {CHANNELS[self.channels]}" if self.bits else ""

    @property
    def written(self) -> str:
        """How it is written, in words."""
        return ", ".join(part for part in (self.format, self.depth) if part)

    @property
    def is_colour(self) -> bool:
        """Whether it is a picture to be read as colour; all others are data."""
        return self.name == "colour"


def refuse_undeliverable(recipe: Recipe, title: str = "") -> None:
    """Raises RecipeError where a recipe cannot be read back as it is written, or its delivery cannot be planned."""
    plan(apply_delivery(Recipe.from_data(recipe.as_data())), title)


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


def plan(recipe: Recipe, title: str = "", alpha: bool = False) -> list[Planned]:
    """The files of a delivery in their order, the notes first.

    Args:
        recipe: as `apply_delivery` gives it.
        title: the piece's name.
        alpha: whether a mask of what the relief covers is among them; that shows when the pictures are read.
    """
    delivery, surface = recipe.delivery, recipe.surface
    stem = safe_stem(title)
    files = [
        Planned("note", "READ-ME.txt", "Reading notes", "text"),
        Planned("page", "READ-ME.html", "The same, to print", "HTML"),
    ]
    for key, relief in recipe.reliefs.items():
        made = plan_maps(relief, stem, delivery, alpha and key == MAIN, key)
        called = "" if key == MAIN else f"{title_of(key)}: "
        files += [replace(file, title=called + file.title, relief=key) for file in made]
    files += plan_test_card(recipe.main, stem, delivery) if delivery.test_card else []
    ending, kind = delivery.mesh_format, surface.shape.title.lower()
    if delivery.mesh != "none":
        displaced = delivery.mesh == "displaced"
        if MESHES[ending].has_library and (surface.regions or delivery.mesh == "base"):
            files.append(Planned("materials", f"{stem}_{surface.shape.kind}.mtl", "Materials of the mesh", "MTL"))
        if surface.residual and displaced:
            residual = f"{stem}_residual.png"
            files.append(Planned("residual", residual, "Residual normal map", "PNG", 16, 3))
        called = f"Displaced {kind}" if displaced else f"{kind.capitalize()} before displacement"
        files.append(Planned("mesh", f"{stem}_{surface.shape.kind}.{ending}", called, ending.upper()))
    if delivery.materialx:
        files.append(Planned("mtlx", f"{stem}.mtlx", "Material", "MaterialX"))
    if delivery.usd and delivery.mesh != "none":
        files.append(Planned("usda", f"{stem}.usda", "Scene", "USD"))
    if delivery.proof_sheet:
        files.append(Planned("sheet", f"{stem}_proof_sheet.png", "Proof sheet", "PNG", 8, 3))
        files.append(Planned("sheet-pdf", f"{stem}_proof_sheet.pdf", "Proof sheet, to print", "PDF"))
    files.append(Planned("recipe", "recipe.json", "Recipe", "JSON"))
    files.append(Planned("contents", "contents.json", "What each file means", "JSON"))
    files.append(Planned("checksums", "SHA256SUMS.txt", "Checksums", "text"))
    return distinguish_names(files)


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
    if delivery.usd and delivery.mesh == "base" and (normal.green, normal.red) != ("up", "right"):
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


def distinguish_names(files: Iterable[Planned]) -> list[Planned]:
    """The files with a number after each name that another one has already, in whatever case."""
    given: set[str] = set()
    named = []
    for file in files:
        base, dot, ending = file.filename.rpartition(".")
        names = (f"{base}{f'_{number}' if number > 1 else ''}{dot}{ending}" for number in count(1))
        filename = next(name for name in names if name.lower() not in given)
        given.add(filename.lower())
        named.append(replace(file, filename=filename))
    return named

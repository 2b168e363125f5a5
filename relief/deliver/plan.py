"""What a delivery holds, planned once: the page shows it, the note explains it, the writer makes it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import count

from relief.deliver.files import safe_stem
from relief.recipe.recipe import AS_ALWAYS, MAIN, Delivery, Recipe
from relief.recipe.relief import Relief
from relief.recipe.surface_edits import title_of
from relief.run.finished import list_delivered

CARD = "card-"
"""What the names of the test card's maps begin with."""

SEEN = "seen-"
"""What the names of the masks of layers begin with that won by height."""


@dataclass(frozen=True)
class Planned:
    """One file of a delivery.

    Attributes:
        name: which one; a map has the name it has among the finished maps.
        filename: unlike that of any other file of the delivery.
        title: what it is called on the page.
        format: PNG, TIFF, OBJ, JSON or text.
        depth: bits and channels in words, or what else is to be said of how it is written.
        relief: the key of the relief that a map is made of.
    """

    name: str
    filename: str
    title: str
    format: str
    depth: str = ""
    relief: str = MAIN

    @property
    def written(self) -> str:
        """How it is written, in words."""
        return ", ".join(part for part in (self.format, self.depth) if part)


def plan(recipe: Recipe, title: str = "", alpha: bool = False) -> list[Planned]:
    """The files of a delivery in their order, the note first.

    With `alpha` a mask of what the relief covers is among them; that it is wanted shows when the pictures are read.
    """
    delivery, stem, shape = recipe.delivery, safe_stem(title), recipe.surface.shape
    files = [Planned("note", "READ-ME.txt", "Reading notes", "text")]
    for key, relief in recipe.reliefs.items():
        own = stem if key == MAIN else f"{stem}_{safe_stem(key)}"
        made = plan_maps(relief, own, delivery, alpha and key == MAIN) + _plan_masks(relief, own)
        called = "" if key == MAIN else f"{title_of(key)}: "
        files += [replace(file, title=called + file.title, relief=key) for file in made]
    files += plan_test_card(recipe.main, stem, delivery) if delivery.test_card else []
    if recipe.surface.regions:
        files.append(Planned("materials", f"{stem}_{shape.kind}.mtl", "Materials of the mesh", "MTL"))
    files.append(Planned("mesh", f"{stem}_{shape.kind}.obj", f"Displaced {shape.title.lower()}", "OBJ"))
    files.append(Planned("recipe", "recipe.json", "Recipe", "JSON"))
    return distinguish_names(files)


def _plan_masks(relief: Relief, stem: str) -> list[Planned]:
    """The masks of layers that lie where they are taller or lower than what is below."""
    return [
        Planned(
            f"{SEEN}{number}", f"{stem}_seen_{number}_{safe_stem(layer.name)}.png", f"Where {layer.name} is seen",
            "PNG", "8 bit, grey",
        )
        for number, layer in enumerate(relief.layers[1:], start=1)
        if layer.on and layer.blend in ("taller", "lower")
    ]  # fmt: skip


def plan_maps(relief: Relief, stem: str, delivery: Delivery = AS_ALWAYS, alpha: bool = False) -> list[Planned]:
    """The maps of a relief; with `alpha` a mask of what it covers."""
    files = []
    for name, title in list_delivered(relief).items():
        files.append(Planned(name, f"{stem}_{_ending(relief, name)}.png", title, "PNG", _depth(relief, name, delivery)))
        if name == "displacement":
            files.append(Planned("heights", f"{stem}_displacement.tif", title, "TIFF", "32-bit float, grey"))
    if alpha:
        files.append(Planned("mask", f"{stem}_mask.png", "Mask", "PNG", "8 bit, grey"))
    return distinguish_names(files)


def plan_test_card(relief: Relief, stem: str, delivery: Delivery = AS_ALWAYS) -> list[Planned]:
    """The maps of the test card, made with the settings of a relief."""
    return [
        Planned(f"{CARD}{name}", f"{stem}_test_card_{name}.png", f"Test card: {title}", "PNG",
                _depth(relief, name, delivery))
        for name, title in (("normal", "normal map"), ("bump", "bump map"), ("displacement", "displacement map"))
    ]  # fmt: skip


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


def _depth(relief: Relief, name: str, delivery: Delivery) -> str:
    """Bits and channels of a map."""
    kind, _, rest = name.partition("-")
    match kind:
        case "normal" | "colour":
            bits, channels = delivery.bits_of(name) or 8, 3
        case "more":
            grey = relief.maps.more[int(rest)]
            bits, channels = grey.bits, len(grey.channels) or 1
        case "pack":
            pack = relief.maps.packs[int(rest)]
            bits, channels = pack.bits, len(pack.used)
        case _:
            bits, channels = delivery.bits_of(name) or (16 if kind == "displacement" else 8), 1
    return f"{bits} bit, {CHANNELS[channels]}"


CHANNELS = {1: "grey", 3: "red green blue", 4: "red green blue alpha"}


def distinguish_names(files: Iterable[Planned]) -> list[Planned]:
    """The files with a number after each name that another one has already."""
    given: set[str] = set()
    named = []
    for file in files:
        base, dot, ending = file.filename.rpartition(".")
        names = (f"{base}{f'_{number}' if number > 1 else ''}{dot}{ending}" for number in count(1))
        filename = next(name for name in names if name not in given)
        given.add(filename)
        named.append(replace(file, filename=filename))
    return named

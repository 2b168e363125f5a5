"""Profiles: named choices of what a delivery holds and how it is written; and what is wrong with them for a piece."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from relief.errors import RecipeError
from relief.figures import say_length, say_number
from relief.formats.pictures import PICTURES
from relief.inspect.finding import Finding, Mend
from relief.recipe.delivery import Delivery
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline, ReadSource

SHIPPED: dict[str, dict[str, Any]] = {
    "Game tile": {
        "size": 2048, "normal_bits": 8, "bump_bits": 8, "displacement_bits": 16, "green": "up", "midlevel": "half",
        "pack": "gltf", "pattern": "{piece}_{map}_{size}", "mesh": "base", "mesh_format": "glb",
        "left_out": ["bump", "heights"],
    },
    "Film close-up": {
        "normal_bits": "half", "displacement_bits": "float", "data_format": "exr", "colour_format": "tif",
        "mesh": "displaced", "mesh_format": "obj", "unit": "cm", "materialx": True, "usd": True, "proof_sheet": True,
        "left_out": ["bump"],
    },
    "Carving machine": {
        "displacement_bits": "float", "data_format": "tif", "mesh": "displaced", "mesh_format": "stl", "unit": "mm",
        "left_out": ["normal", "bump", "colour"], "proof_sheet": True,
    },
}  # fmt: skip
"""Examples to begin with, made of common practice (no source)."""


def read_profile(values: Any) -> tuple[Delivery, list[Finding]]:
    """A profile from JSON data, and what had to be set right to read it.

    Raises:
        RecipeError: it is no profile; the message says what is wrong.
    """
    if not isinstance(values, Mapping):
        raise RecipeError("This is not a profile. A profile is a JSON object of settings.")
    values, found = dict(values), []
    asked = str(values.get("data_format", "")).lower()
    if asked == "jpeg" or (asked in PICTURES and PICTURES[asked].lossy):
        values["data_format"] = "png"
        reason = f"It asks for data maps as {asked.upper()}, whose compression changes every value a little."
        found.append(Finding("lossy", "Lossy data maps", f"{reason} It is written as PNG."))
    unknown = values.keys() - Delivery.model_fields.keys()
    if unknown:
        raise RecipeError(f"A profile has no setting “{min(unknown)}”.")
    return Delivery.create(**values), found


def find_in_delivery(recipe: Recipe, read_source: ReadSource, engine: Engine) -> list[Finding]:
    """What will arrive wrong of a piece as its delivery is set, with mends.

    Raises:
        PictureError: a source cannot be read.
    """
    found = [_find_few_heights(recipe), _find_in_size(recipe, read_source, engine), _find_moved_midlevel(recipe)]
    return [finding for finding in found if finding]


def _find_few_heights(recipe: Recipe) -> Finding | None:
    """A displacement map is written with 8 bits, which is too few for heights."""
    delivery = recipe.delivery
    if "displacement" in delivery.left_out or delivery.displacement_bits != 8:
        return None
    reason = f"8 bits keep 256 heights, {say_length(recipe.main.amplitude / 255)} apart: slopes show as steps."
    mend = Mend("Write 16 bits", {"delivery.displacement_bits": 16})
    return Finding("eight-bits", "Displacement in 8 bits", reason, mend)


def _find_moved_midlevel(recipe: Recipe) -> Finding | None:
    """A displacement map in whole numbers whose midlevel is not the grey that programs assume."""
    delivery, relief = recipe.delivery, recipe.main
    whole = delivery.displacement_bits in (8, 16)
    if "displacement" in delivery.left_out or not whole or delivery.midlevel != "told":
        return None
    if relief.midlevel in (0, 0.5, 1):
        return None
    reason = (
        f"The value {say_number(relief.midlevel, 4)} stays on the surface, and only the notes say so. Read as mid "
        f"grey, the whole surface moves by {say_length(abs(relief.midlevel - 0.5) * relief.amplitude)}."
    )
    mend = Mend("Set midlevel to mid grey", {"delivery.midlevel": "half"})
    return Finding("midlevel", "Midlevel is not mid grey", reason, mend)


def _find_in_size(recipe: Recipe, read_source: ReadSource, engine: Engine) -> Finding | None:
    """Maps are delivered larger than the picture they are made from."""
    if not recipe.delivery.size or not recipe.main.layers[0].source or len(recipe.main.layers) > 1:
        return None
    relief = recipe.main.with_changes({"maps.resolution": 0})
    longest = max(engine.run(Pipeline(relief, recipe.sources, read_source).height()).samples.shape)
    if recipe.delivery.size <= longest:
        return None
    reason = f"{recipe.delivery.size} texels are requested but the source has {longest}: the rest is only interpolated."
    mend = Mend("Use the size of the source", {"delivery.size": 0})
    return Finding("above-source", "Larger than the source", reason, mend)

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
        raise RecipeError("This is not a profile: it is an object of choices.")
    values, found = dict(values), []
    asked = str(values.get("data_format", "")).lower()
    if asked == "jpeg" or (asked in PICTURES and PICTURES[asked].lossy):
        values["data_format"] = "png"
        reason = f"It asks for data in {asked.upper()}, which changes every value a little."
        found.append(Finding("lossy", "Data with loss", f"{reason} It is written as PNG."))
    unknown = values.keys() - Delivery.model_fields.keys()
    if unknown:
        raise RecipeError(f"A profile has no “{min(unknown)}”.")
    return Delivery.create(**values), found


def find_in_delivery(recipe: Recipe, read_source: ReadSource, engine: Engine) -> list[Finding]:
    """What will arrive wrong of a piece as its delivery is set, with mends.

    Raises:
        PictureError: a source cannot be read.
    """
    delivery = recipe.delivery
    wanted = "displacement" not in delivery.left_out
    found = []
    if wanted and delivery.displacement_bits == 8:
        steps = recipe.main.amplitude / 255
        reason = f"8 bits keep 256 heights, {say_length(steps)} apart: slopes show as steps."
        found.append(_mended("eight-bits", "Displacement in 8 bits", reason, "Write 16 bits", displacement_bits=16))
    found += _find_in_size(recipe, read_source, engine)
    relief = recipe.main
    whole = delivery.displacement_bits in (8, 16)
    if wanted and whole and delivery.midlevel == "told" and relief.midlevel not in (0, 0.5, 1):
        reason = (
            f"The value {say_number(relief.midlevel, 4)} stays on the surface, and only the notes say so. Read as mid "
            f"grey, all of it moves by {say_length(abs(relief.midlevel - 0.5) * relief.amplitude)}."
        )
        found.append(_mended("midlevel", "Midlevel is not mid grey", reason, "Put it at mid grey", midlevel="half"))
    return found


def _find_in_size(recipe: Recipe, read_source: ReadSource, engine: Engine) -> list[Finding]:
    if not recipe.delivery.size or not recipe.main.layers[0].source or len(recipe.main.layers) > 1:
        return []
    relief = recipe.main.with_changes({"maps.resolution": 0})
    longest = max(engine.run(Pipeline(relief, recipe.sources, read_source).height()).samples.shape)
    if recipe.delivery.size <= longest:
        return []
    reason = f"{recipe.delivery.size} texels are asked for, the source has {longest}: what is added is made up."
    return [_mended("above-source", "Larger than the source", reason, "As large as the source", size=0)]


def _mended(kind: str, title: str, reason: str, label: str, **values: Any) -> Finding:
    return Finding(kind, title, reason, Mend(label, {f"delivery.{name}": value for name, value in values.items()}))

"""Profiles: named choices of what a delivery holds and how it is written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from relief.errors import RecipeError
from relief.formats.pictures import PICTURES
from relief.inspect.finding import Finding
from relief.recipe.delivery import Delivery

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

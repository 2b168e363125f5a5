"""Recipes of earlier versions brought to this one: a function for each step from one version to the next."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from typing import Any, Final

from relief.compose.strokes import Stroke
from relief.errors import RecipeError

Data = dict[str, Any]


def _reliefs_under_a_key(data: Data) -> Data:
    """1 to 2: what makes height, and how its maps are made, is a relief of its own."""
    names = ("layers", "footprint", "edges", "amplitude", "midlevel", "maps", "suggested")
    relief = {name: data[name] for name in names if name in data}
    others = {name: value for name, value in data.items() if name not in names}
    return {**others, "reliefs": {"main": relief}}


def _strokes_by_their_hash(data: Data) -> Data:
    """2 to 3: layers hold the hashes of strokes, which stand beside the reliefs or in files; a surface has a kind."""
    strokes: Data = {}
    reliefs = json.loads(json.dumps(data["reliefs"]))
    for relief in reliefs.values():
        for layer in relief["layers"]:
            if layer["content"].get("kind") == "strokes":
                layer["content"]["strokes"] = [_keep_stroke(stroke, strokes) for stroke in layer["content"]["strokes"]]
    surface = {"kind": "plane"} | data.get("surface", {})
    return {**data, "reliefs": reliefs, "surface": surface} | ({"strokes": strokes} if strokes else {})


def _keep_stroke(stroke: Data, strokes: Data) -> str:
    """The hash of a stroke, which is put among the others."""
    kept = Stroke.create(**stroke)
    digest = hashlib.sha256(kept.as_bytes()).hexdigest()
    strokes[digest] = kept.model_dump(mode="json")
    return digest


def _shape_within_a_surface(data: Data) -> Data:
    """3 to 4: a surface holds its shape beside the mapping; what was sampled bilinearly still is."""
    surface = dict(data["surface"])
    level = {"level": surface.pop("level")} if "level" in surface else {}
    return {**data, "surface": {"shape": surface, "mapping": {"kind": "uv", "sampling": "bilinear"}, **level}}


def _unit_by_size(data: Data) -> Data:
    """4 to 5: lengths that were shown in mm, which nobody had to choose, are shown by size; poles are as they were."""
    surface = json.loads(json.dumps(data.get("surface", {})))
    if surface.get("unit") == "mm":
        del surface["unit"]
    for owner in (surface, *surface.get("regions", ())):
        if owner.get("mapping"):
            owner["mapping"]["pole_fade"] = 0
    if "mapping" not in surface:
        surface["mapping"] = {"kind": "uv", "pole_fade": 0}
    return {**data, "surface": surface}


def _light_read_linearly(data: Data) -> Data:
    """5 to 6: a photo that is read by its light says by which method; those of before keep the linear one."""
    reliefs = json.loads(json.dumps(data["reliefs"]))
    for relief in reliefs.values():
        for layer in relief["layers"]:
            if layer["content"].get("reading") == "light":
                layer["content"]["light"] = {**layer["content"].get("light", {}), "way": "linear"}
    return {**data, "reliefs": reliefs}


STEPS: dict[int, Callable[[Data], Data]] = {
    1: _reliefs_under_a_key,
    2: _strokes_by_their_hash,
    3: _shape_within_a_surface,
    4: _unit_by_size,
    5: _light_read_linearly,
}
"""By the version that a step begins with."""

VERSION: Final = 6


def migrate(data: Any) -> Data:
    """The data of a recipe at this version.

    Args:
        data: JSON data of a recipe of this or an earlier version.

    Raises:
        RecipeError: it is not a recipe, or of a version that is not known.
    """
    version = data.get("version") if isinstance(data, dict) else None
    if version is None:
        raise RecipeError("This is not a recipe.")
    if type(version) is not int or not 1 <= version <= VERSION:
        raise RecipeError(f"The recipe has version {version}; this app reads version 1 to {VERSION}.")
    try:
        for step in range(version, VERSION):
            data = STEPS[step](data) | {"version": step + 1}
    except (KeyError, TypeError, AttributeError) as problem:
        raise RecipeError(f"This is not a recipe of version {version}.") from problem
    return dict(data)

"""How a surface looks where a delivery goes: for each region the maps that its material takes, and how they are read.

All formats that hold materials take it from here, so that they say the same.
"""

from __future__ import annotations

from relief.deliver.bundle import Bundle
from relief.figures import UNITS
from relief.formats.appearance import Appearance
from relief.run.finished import maps_of_material


def appearances(bundle: Bundle, displaced: bool | None = None) -> list[Appearance]:
    """The materials of a bundle, one for each part of its mesh.

    Args:
        bundle: what is delivered.
        displaced: whether for a mesh that is displaced already, so that only a residual turns its normals; as the
            delivery's own where it is not said.
    """
    if displaced is None:
        displaced = bundle.recipe.delivery.mesh == "displaced"
    residual = bundle.filename_of("residual") if displaced else ""
    return [
        _of_region(bundle, part.name, key, displaced, residual)
        for part, key in zip(bundle.parts, bundle.surface.carried, strict=True)
    ]


def _of_region(bundle: Bundle, name: str, key: str, displaced: bool, residual: str) -> Appearance:
    if residual:  # its places are of this map alone, so no other one fits
        return Appearance(name, key, {"normal": residual}, normal_up=residual)
    if not key:
        return Appearance(name, key, {})
    relief = bundle.recipe.reliefs[key]
    roles = {"colour": "colour"} | maps_of_material(relief)
    if not displaced:
        roles |= {"normal": "normal", "displacement": "displacement"}
    maps = {
        role: filename
        for planned, role in roles.items()
        if (filename := bundle.filename_of(planned, key)) and not _is_unlinked(bundle, key, role)
    }
    told = bundle.reliefs[key].entry(bundle.file_named(maps["displacement"])).meaning if "displacement" in maps else {}
    normal = relief.maps.normal
    return Appearance(
        name,
        key,
        maps,
        normal.green == "down",
        normal.red == "left",
        bundle.filename_of("normal-up", key) or maps.get("normal", ""),
        told.get("amplitude_mm", 0.0) / UNITS[bundle.recipe.delivery.unit],
        told.get("midlevel", 0.5),
    )


def _is_unlinked(bundle: Bundle, key: str, role: str) -> bool:
    """Whether a map lies otherwise than its relief does, so that one set of places does not fit both."""
    return any(item.on and item.role == role for item in bundle.recipe.reliefs[key].maps.unlinked)

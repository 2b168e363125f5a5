"""How a surface looks where a delivery goes: for each region the maps that its material takes, and how they are read.

All formats that hold materials take it from here, so that they say the same.
"""

from __future__ import annotations

from dataclasses import dataclass

from relief.deliver.bundle import Bundle
from relief.figures import UNITS

GREY = (0.8, 0.8, 0.8)
ROUGHNESS = 0.8


@dataclass(frozen=True)
class Appearance:
    """The material of one region.

    Attributes:
        name: of the region, as files name it.
        relief: the key of the relief that it carries; empty for none.
        maps: file names by role: `colour`, `normal`, `displacement`, `roughness`, `metalness`, `occlusion`; only those
            that are of use to the mesh as it is delivered.
        green_down, red_left: how the normal map is turned.
        normal_up: the file name of the one that has green up and red to the right.
        rise: real length of 0 to 1 of the displacement map, in the unit of the delivery.
        midlevel: its value that stays on the surface.
    """

    name: str
    relief: str
    maps: dict[str, str]
    green_down: bool = False
    red_left: bool = False
    normal_up: str = ""
    rise: float = 0.0
    midlevel: float = 0.5


def appearances(bundle: Bundle, displaced: bool | None = None) -> list[Appearance]:
    """The materials of a bundle, one for each part of its mesh.

    Args:
        bundle: what is delivered.
        displaced: whether for a mesh that is displaced already, so that only a residual turns its normals; as the
            delivery's own where it is not said.
    """
    if displaced is None:
        displaced = bundle.recipe.delivery.mesh == "displaced"
    residual = bundle.named("residual") if displaced else ""
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
    roles = {"colour": "colour", "along-roughness": "roughness", "along-metalness": "metalness"}
    roles |= {"along-occlusion": "occlusion"}
    roles |= {
        f"more-{number}": grey.kind
        for number, grey in enumerate(relief.maps.more)
        if grey.on and not grey.inverted and grey.kind in ("roughness", "occlusion")
    }
    if not displaced:
        roles |= {"normal": "normal", "displacement": "displacement"}
    maps = {
        role: filename
        for planned, role in roles.items()
        if (filename := bundle.named(planned, key)) and not _is_unlinked(bundle, key, role)
    }
    told = bundle.entries[maps["displacement"]].meaning if "displacement" in maps else {}
    normal = relief.maps.normal
    return Appearance(
        name,
        key,
        maps,
        normal.green == "down",
        normal.red == "left",
        bundle.named("normal-up", key) or maps.get("normal", ""),
        told.get("amplitude_mm", 0.0) / UNITS[bundle.recipe.delivery.unit],
        told.get("midlevel", 0.5),
    )


def _is_unlinked(bundle: Bundle, key: str, role: str) -> bool:
    """Whether a map lies otherwise than its relief does, so that one set of places does not fit both."""
    return any(item.on and item.role == role for item in bundle.recipe.reliefs[key].maps.unlinked)

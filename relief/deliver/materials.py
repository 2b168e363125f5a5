"""Materials of a mesh as a Wavefront MTL."""

from __future__ import annotations

from relief.deliver.appearance import GREY, Appearance, appearances
from relief.deliver.bundle import Bundle

MAPS = {
    "colour": "map_Kd",
    "roughness": "map_Pr",
    "metalness": "map_Pm",
    "normal": "norm",
    "displacement": "disp",
}
"""How MTL names maps; roughness, metalness and normals as most programs extend it (common practice, no source)."""

FOR_FLAT = ("normal", "bump", "displacement")
"""Maps that a mesh which is displaced already has no use for."""


def as_mtl(bundle: Bundle) -> str:
    """A material for each region, with the maps that its material takes (Wavefront MTL)."""
    displaced = bundle.recipe.delivery.mesh == "displaced"
    lines = (
        ["# The mesh is displaced already: normal, bump and displacement map are for a flat one."] if displaced else []
    )
    for look in appearances(bundle):
        lines += [f"newmtl {look.name.replace(' ', '_')}", "Kd " + " ".join(map(str, GREY)), "illum 1"]
        lines += [f"{word} {look.maps[role]}" for role, word in MAPS.items() if role in look.maps]
        lines += _remarks(bundle, look)
    return "\n".join(lines) + "\n"


def _remarks(bundle: Bundle, look: Appearance) -> list[str]:
    """The maps of a region's relief that its material does not take, and those that lie otherwise than the relief."""
    if not look.relief:
        return []
    taken = set(look.maps.values())
    names = {name: bundle.named(name, look.relief) for name in FOR_FLAT}
    left = [f"# {name} map: {filename}" for name, filename in names.items() if filename and filename not in taken]
    unlinked = bundle.surface.pipelines[look.relief].relief.maps.unlinked
    return left + [f"# {item.role} is unlinked: it lies {item.say()}." for item in unlinked if item.on]

"""Materials of a mesh as a Wavefront MTL."""

from __future__ import annotations

from collections.abc import Sequence

from relief.deliver.appearance import appearances
from relief.deliver.bundle import Bundle
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.formats.appearance import GREY, Appearance
from relief.formats.meshes import MESHES
from relief.recipe.recipe import Recipe

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


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    delivery = recipe.delivery
    if delivery.mesh == "none" or not MESHES[delivery.mesh_format].has_library:
        return []
    if delivery.mesh == "displaced" and not recipe.surface.regions:
        return []
    return [Planned("materials", f"{stem}_{recipe.surface.shape.kind}.mtl", "Materials of the mesh", "MTL")]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    return Entry(file.filename, file.title, "Wavefront MTL", "Read together with the mesh.")


def _make(bundle: Bundle, file: Planned) -> Make:
    return lambda: as_mtl(bundle).encode()


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
    names = {name: bundle.filename_of(name, look.relief) for name in FOR_FLAT}
    left = [f"# {name} map: {filename}" for name, filename in names.items() if filename and filename not in taken]
    unlinked = bundle.surface.pipelines[look.relief].relief.maps.unlinked
    return left + [f"# {item.role} is unlinked: it lies {item.say()}." for item in unlinked if item.on]


WRITER = Writer(1, _plan, _describe, _make)

"""Materials of a mesh as a Wavefront MTL."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from relief.deliver.bundle import Bundle

ALWAYS = {"colour": "map_Kd", "along-roughness": "map_Pr", "along-metalness": "map_Pm"}
"""How MTL names maps; roughness and metalness as most programs extend it (common practice, no source)."""

OF_FLAT = {"normal": "norm", "displacement": "disp"}
"""Those that a mesh has a use for which is not displaced yet."""


def as_mtl(bundle: Bundle) -> str:
    """A material for each region, with the maps of its relief (Wavefront MTL).

    To a displaced mesh what turns its normals or moves it once more is told in remarks alone.
    """
    displaced = bundle.recipe.delivery.mesh == "displaced"
    named = ALWAYS if displaced else ALWAYS | OF_FLAT
    lines = (
        ["# The mesh is displaced already: normal, bump and displacement map are for a flat one."] if displaced else []
    )
    for part, key in zip(bundle.mesh.part_list, bundle.surface.carried, strict=True):
        lines += [f"newmtl {part.name.replace(' ', '_')}", "Kd 0.8 0.8 0.8", "illum 1"]
        maps = {file.name: file.filename for file in bundle.files if file.relief == key}
        lines += [f"{word} {maps[name]}" for name, word in named.items() if name in maps]
        left = [name for name in ("normal", "bump", "displacement") if name not in named]
        lines += [f"# {name} map: {maps[name]}" for name in left if name in maps]
        lines += [
            f"# {item.role} is unlinked: it lies {item.say()}."
            for item in (bundle.surface.pipelines[key].relief.maps.unlinked if key else ())
            if item.on
        ]
    return "\n".join(lines) + "\n"

"""What the left side shows at the surface: shape, size, mapping, regions."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from relief.displace.forecast import PREVIEW, final_limit
from relief.figures import UNITS, say_number
from relief.inspect.adviser import seconds_to_advise
from relief.inspect.close_up import TEXELS
from relief.inspect.mesh_facts import MeshFacts
from relief.parameters import Parameters, Surroundings, control, controls
from relief.recipe.recipe import Recipe
from relief.recipe.surface_edits import title_of
from relief.run.meshes import SurfacePipeline
from relief.surface.mapping import MAPPINGS
from relief.surface.mapping.mapping import Mapping
from relief.surface.mesh import Mesh
from relief.surface.regions import Region
from relief.surface.shapes import SHAPES
from relief.surface.tessellation import TESSELLATIONS
from studio.bench.models import Revision
from studio.bench.pages.groups import Field, Group, field_at, in_unit
from studio.shelf.engine import get_engine
from studio.shelf.models import MESH, Piece, Source, read_source

SHARED = [known.name for known in controls(Mapping) if known.name != "sizing"]
"""The parameters that every mapping has, but how it is sized: that is chosen by drawings."""

SELDOM = ("whole", "turn", "mirror_across", "mirror_down", "sampling")
NOTHING = Surroundings((), False, 0, False)


@dataclass(frozen=True)
class Choice:
    """Something that is chosen by a button."""

    kind: str
    title: str
    about: str
    chosen: bool


@dataclass(frozen=True)
class RegionRow:
    """One region: its parts, the relief that it carries, its parameters and its mapping."""

    number: int
    region: Region
    group: Group
    parts: list[tuple[str, bool]]
    carried: str
    mappings: list[Choice]
    mapping: Group | None
    sizing: Field | None


def surface_context(revision: Revision) -> dict[str, Any]:
    """What the template of the surface is filled with."""
    recipe = revision.read()
    surface = recipe.surface
    shape, mapping, unit = surface.shape, surface.mapping, recipe.unit
    pipeline = SurfacePipeline.of(recipe, read_source)
    base = get_engine().run(pipeline.base())
    owner = revision.piece.owner
    own = _own_mesh(recipe, owner)
    names = [part.name for part in base.part_list]
    hidden = {"smoothing"} | ({"uv_set"} if own and own.uv_sets < 2 else set())
    shape_fields = [
        field_at(recipe, f"surface.shape.{known.name}") for known in controls(type(shape)) if known.name not in hidden
    ]
    across, down, _ = sides = _sides_of(base)
    followed = {"width": across, "height": down, "longest": max(sides)}
    shape_fields = [
        replace(item, follows=followed[item.control.name]) if item.control.zero else item for item in shape_fields
    ]
    more = ["surface.shape.smoothing", "surface.turned", "surface.place_x", "surface.place_y", "surface.place_z"]
    size = Group("Size", [in_unit(item, unit) for item in shape_fields], owner="surface.shape")
    size = replace(
        size,
        fields=[*size.fields, field_at(recipe, "surface.unit")],
        folded=[in_unit(field_at(recipe, path), unit) for path in more],
        notes=_size_notes(pipeline, unit),
        folds="Edges, position, flipped faces",
    )
    form = [in_unit(field_at(recipe, f"surface.form.{name}"), unit) for name in ("noise", "size", "seed", "handles")]
    levels = pipeline.forecasts(get_engine())
    return {
        "shapes": _choices({kind: model for kind, model in SHAPES.items() if kind != "mesh"}, shape.kind),
        "meshes": Source.objects.filter(owner=owner, removed=None, role=MESH),
        "own_mesh": own,
        "size_group": size,
        "form_group": Group("Base form", [], folded=form, owner="surface.form", folds="Gentle rise and fall"),
        "mapping_group": _mapping_group("Mapping", recipe, "surface.mapping", mapping, unit),
        "subdivision": _subdivision(recipe),
        "tessellations": _choices(TESSELLATIONS, surface.tessellation.kind),
        "tessellation": _tessellation(recipe, unit),
        "levels": levels,
        "seconds_to_advise": seconds_to_advise(levels),
        "finish_fields": [field_at(recipe, f"surface.{name}") for name in ("smooth_below", "square", "reach")],
        "residual_field": field_at(recipe, "surface.residual"),
        "ending_field": field_at(recipe, "delivery.mesh_format"),
        "final_level": surface.final_level or surface.level,
        "most_faces": PREVIEW.faces,
        "most_final": final_limit().faces,
        "mappings": _mappings(mapping),
        "sizings": _sizings(mapping),
        "companions": _companions(recipe),
        "close_up_texels": TEXELS,
        "samplings": _samplings(mapping),
        "repeats": _told_repeats(recipe),
        "steeper": _steeper(recipe),
        "regions": [_row(recipe, number, names, unit) for number in range(len(surface.regions))],
        "parts": names,
        "carried_by_rest": surface.relief,
    }


def relief_context(revision: Revision) -> dict[str, Any]:
    """The reliefs of a piece, for the line that switches between them."""
    recipe = revision.read()
    origin = recipe.shown.origin
    moved_on = None
    if origin:
        other = Piece.objects.filter(owner=revision.piece.owner, pk=origin.piece, removed=None).first()
        moved_on = other if other and other.position != origin.revision else None
    others = Piece.objects.filter(owner=revision.piece.owner, removed=None).exclude(pk=revision.piece.pk)
    return {
        "reliefs": [(key, title_of(key)) for key in recipe.reliefs],
        "shown_relief": recipe.shown_key,
        "origin": origin,
        "moved_on": moved_on,
        "other_pieces": others,
    }


def _sides_of(base: Mesh) -> tuple[float, float, float]:
    """How long a base mesh is along x, y and z, mm."""
    low = np.min([part.low for part in base.part_list], axis=0)
    high = np.max([part.high for part in base.part_list], axis=0)
    x, y, z = (high - low).tolist()
    return x, y, z


def _size_notes(pipeline: SurfacePipeline, unit: str) -> tuple[str, ...]:
    shape, footprint = pipeline.surface.shape, pipeline.footprint
    if shape.source_key:
        return ()
    edge, fine = shape.edge_length(footprint), shape.edge_length(footprint) / 2**pipeline.surface.level
    scale = UNITS[unit]
    told = [f"{say_number(length / scale)} {unit}" for length in (edge, fine)]
    return (f"Base edges of about {told[0]}, {told[1]} after subdivision.",)


def _own_mesh(recipe: Recipe, owner: Any) -> MeshFacts | None:
    key = recipe.surface.shape.source_key
    if not key:
        return None
    source = Source.objects.filter(owner=owner, digest=recipe.sources[key].digest, role=MESH).first()
    return source.mesh_facts if source else None


def _choices(models: dict[str, Any], chosen: str) -> list[Choice]:
    return [Choice(kind, model.title, model.about, kind == chosen) for kind, model in models.items()]


def _mappings(mapping: Mapping | None, none: str = "") -> list[Choice]:
    listed = _choices(MAPPINGS, mapping.kind if mapping else "")
    return [Choice("", none, "", mapping is None), *listed] if none else listed


def _sizings(mapping: Mapping) -> list[Choice]:
    known = control(Mapping, "sizing")
    about = {
        "fit": "Stretches with the object",
        "real": "More repeats on a larger object",
        "world": "The object slides through the relief",
    }
    return [Choice(kind, title, about[kind], kind == mapping.sizing) for kind, title in (known.names or {}).items()]


def _samplings(mapping: Mapping) -> list[Choice]:
    known = control(Mapping, "sampling")
    return [Choice(kind, title, known.help, kind == mapping.sampling) for kind, title in (known.names or {}).items()]


def _mapping_group(title: str, recipe: Recipe, owner: str, mapping: Mapping, unit: str) -> Group:
    own = [known.name for known in controls(type(mapping)) if known.name not in (*SHARED, "sizing")]
    unused = mapping.unused(NOTHING)
    if mapping.kind == "uv" and not recipe.surface.shape.has_poles:
        unused = unused | {"pole_fade"}
    fields = [field_at(recipe, f"{owner}.{name}") for name in (*own, *SHARED) if name not in unused]
    seldom = [item for item in fields if item.control.name in SELDOM]
    shown = [in_unit(item, unit) for item in fields if item not in seldom]
    return Group(title, shown, owner=owner, folded=seldom, folds="Rotation, mirror, interpolation")


def _companions(recipe: Recipe) -> list[tuple[str, Group | None]]:
    """What lies on the surface beside the relief, and how, where it does not follow it."""
    relief = recipe.shown
    numbers = {item.role: number for number, item in enumerate(relief.maps.unlinked)}
    return [
        (role, _unlinked_group(recipe, numbers[role]) if role in numbers else None) for role in relief.movable_roles()
    ]


def _unlinked_group(recipe: Recipe, number: int) -> Group:
    item, owner = recipe.shown.maps.unlinked[number], f"maps.unlinked.{number}"
    return Group(item.heading, _used_fields(recipe, owner, item), owner=owner, number=number)


def _used_fields(recipe: Recipe, owner: str, item: Parameters) -> list[Field]:
    """The parameters of a model that do something as it is set."""
    unused = item.unused(NOTHING)
    return [field_at(recipe, f"{owner}.{each.name}") for each in controls(type(item)) if each.name not in unused]


def _subdivision(recipe: Recipe) -> Group:
    owner = "surface.subdivision"
    fields = _used_fields(recipe, owner, recipe.surface.subdivision)
    return Group("Subdivision", fields, owner=owner)


def _tessellation(recipe: Recipe, unit: str) -> Group:
    owner, way = "surface.tessellation", recipe.surface.tessellation
    fields = _used_fields(recipe, owner, way)
    seldom = [each for each in fields if each.control.name == "most_level"]
    shown = [in_unit(each, unit) for each in fields if each not in seldom]
    return Group(way.title, shown, owner=owner, folded=seldom, folds="Subdivision limit")


def _told_repeats(recipe: Recipe) -> str:
    """How often the relief repeats over the first part of the surface, in words."""
    pipeline = SurfacePipeline.of(recipe, read_source)
    part = get_engine().run(pipeline.base()).part_list[0]
    mapping = recipe.surface.mapping
    if mapping.kind != "uv" or mapping.sizing == "world":
        return ""
    across, down = mapping.count_repeats([part.width, part.height], pipeline.footprint)
    return f"{say_number(across)} × {say_number(down)} repeats over {part.name}"  # noqa: RUF001


def _steeper(recipe: Recipe) -> dict[str, Any] | None:
    """What more repeats over the same size do to slopes, and the amplitude that keeps the look (common practice)."""
    mapping, key = recipe.surface.mapping, recipe.surface.relief
    times = max(mapping.repeats_across, mapping.repeats_down)
    if times <= 1 or not key:
        return None
    amplitude = float(f"{recipe.reliefs[key].amplitude / times:.4g}")
    return {"times": times, "amplitude": amplitude, "path": f"reliefs.{key}.amplitude"}


def _row(recipe: Recipe, number: int, names: list[str], unit: str) -> RegionRow:
    region, owner = recipe.surface.regions[number], f"surface.regions.{number}"
    listed = ("factor", "midlevel_shift", "pinned", "fade", "grow")
    unused = set() if region.pinned else {"fade"}
    fields = [in_unit(field_at(recipe, f"{owner}.{name}"), unit) for name in listed if name not in unused]
    group = Group(region.name, fields, owner=owner, number=number)
    own = region.mapping
    return RegionRow(
        number, region, group, [(name, name in region.parts) for name in names], region.relief,
        _mappings(own, "As the surface"),
        _mapping_group(f"Mapping of {region.name}", recipe, f"{owner}.mapping", own, unit) if own else None,
        field_at(recipe, f"{owner}.mapping.sizing") if own else None,
    )  # fmt: skip

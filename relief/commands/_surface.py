"""What the commands that take a surface share: its options, and the recipe with the surface that they ask for."""

from __future__ import annotations

import argparse
import hashlib
from pathlib import Path
from typing import Any, get_args

from relief.commands._arguments import number
from relief.commands._picture import add_picture, begin_recipe, with_options
from relief.commands._recipe import add_sources, read_recipe
from relief.errors import ReliefError
from relief.filters.sample import Sampling
from relief.inspect.mesh_facts import mesh_facts
from relief.parameters import Parameters, control, controls
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.stages import ReadSource
from relief.sources.mesh.read import ENDINGS, is_mesh, read_mesh
from relief.surface.mapping import MAPPINGS
from relief.surface.mapping.mapping import Mapping, Sizing
from relief.surface.shapes import SHAPES
from relief.surface.shapes.shape import Shape
from relief.surface.subdivision import Subdivision
from relief.surface.surface import Surface
from relief.surface.tessellation import TESSELLATIONS
from relief.surface.tessellation.tessellation import Tessellation

OF_A_FILE = "mesh"
"""The kind of shape that is not named but comes as a file, and the key of its source."""

MEASURES = {kind: way.measure for kind, way in TESSELLATIONS.items() if way.measure}
"""Ways of tessellating, and the parameter that each is asked for by."""


def add_surface_options(parser: argparse.ArgumentParser, *, with_camera: bool = True) -> None:
    """Adds the picture or recipe, and the options of its surface; those of the camera that it is tessellated for, and
    of the map that completes it, only where a command has no camera of its own.
    """
    add_picture(parser)
    add_sources(parser)
    kinds = [kind for kind in SHAPES if kind != OF_A_FILE]
    parser.add_argument(
        "--shape", metavar="SHAPE", help=f"{', '.join(kinds)}, or a file ending in {', '.join(ENDINGS)}"
    )
    parser.add_argument(
        "--size", nargs="+", type=number, metavar="MM",
        help="; ".join(f"{kind}: {_say_lengths(model)}" for kind, model in SHAPES.items()),
    )  # fmt: skip
    parser.add_argument("--mapping", choices=list(MAPPINGS), help="how the relief is mapped onto the surface")
    parser.add_argument("--sizing", choices=get_args(Sizing), help=_help(Mapping, "sizing"))
    parser.add_argument("--repeats", nargs=2, type=number, metavar=("ACROSS", "DOWN"), help="how often it repeats")
    parser.add_argument(
        "--shift", nargs=2, type=number, metavar=("ACROSS", "DOWN"), help="shift to the right and down, in repeats"
    )
    parser.add_argument("--turn", type=number, metavar="DEGREES", help=_help(Mapping, "turn"))
    parser.add_argument("--pole-fade", type=number, metavar="DEGREES", help=_help(Mapping, "pole_fade"))
    parser.add_argument("--sampling", choices=get_args(Sampling), help=_help(Mapping, "sampling"))
    parser.add_argument("--segments", type=int, metavar="N", help="base segments, before subdivision")
    parser.add_argument("--level", type=int, metavar="L", help=_help(Surface, "level"))
    kinds = [kind for kind in get_args(Subdivision.model_fields["kind"].annotation) if kind != "shape"]
    parser.add_argument("--subdivide", choices=kinds, help=_help(Subdivision, "kind"))
    parser.add_argument("--crease", type=number, metavar="DEGREES", help=_help(Subdivision, "crease"))
    parser.add_argument(
        "--tessellate", metavar="WAY:NUMBER",
        help="; ".join(f"{kind}:{_say_number_of(kind)}, {TESSELLATIONS[kind].about.lower()}" for kind in MEASURES),
    )  # fmt: skip
    parser.add_argument("--most-level", type=int, metavar="N", help=_help(Tessellation, "most_level"))
    if not with_camera:
        parser.set_defaults(camera=None, width=None, split=None)
        return
    parser.add_argument("--camera", nargs=3, type=number, metavar=("X", "Y", "Z"), help="where it stands, mm")
    parser.add_argument("--width", type=int, metavar="PX", help="how wide the camera's picture is")
    parser.add_argument(
        "--split", nargs="?", type=int, const=2048, metavar="PX",
        help="also write STEM_residual.png, the 16-bit normal map that completes the mesh; PX pixels on a side (2048)",
    )  # fmt: skip


def begin_surface(chosen: argparse.Namespace) -> tuple[Recipe, ReadSource, Engine]:
    """The recipe with the surface that options ask for, where its sources are read from, and an engine."""
    if chosen.picture.suffix.lower() == ".json":
        recipe, read_source = read_recipe(chosen.picture, chosen.source)
        recipe, engine = with_options(recipe, chosen), Engine()
    else:
        recipe, read_source, engine = begin_recipe(chosen)
    return *_with_surface(recipe, read_source, chosen), engine


def _help(model: type[Parameters], name: str) -> str:
    return control(model, name).help.replace("%", "%%")


def _with_surface(recipe: Recipe, read_source: ReadSource, chosen: argparse.Namespace) -> tuple[Recipe, ReadSource]:
    """The recipe with the surface that options ask for, and where its sources are read from."""
    surface, sources = recipe.surface, dict(recipe.sources)
    shape = surface.shape
    if chosen.shape:
        if is_mesh(chosen.shape):
            data, name = Path(chosen.shape).read_bytes(), Path(chosen.shape).name[-200:]
            reference = SourceReference(digest=hashlib.sha256(data).hexdigest(), filename=name)
            sources[OF_A_FILE] = reference
            others = read_source
            read_source = lambda digest: data if digest == reference.digest else others(digest)  # noqa: E731
            facts = mesh_facts(read_mesh(data, name), name)
            shape = SHAPES[OF_A_FILE].create(source=OF_A_FILE, unit=facts.unit)
            if not facts.uv_sets and not chosen.mapping:
                chosen.mapping = "box"
        elif chosen.shape in SHAPES and chosen.shape != OF_A_FILE:
            shape = SHAPES[chosen.shape].create(**DEFAULT_SIZES.get(chosen.shape, {}))
        else:
            raise ReliefError(f"There is no shape called “{chosen.shape}”. There are {', '.join(SHAPES)}.")
    shape = _set_sizes(shape, chosen)
    values = {name: getattr(chosen, name) for name in ("sizing", "turn", "pole_fade", "sampling")}
    for name in ("repeats", "shift"):
        pair = getattr(chosen, name) or (None, None)
        values |= {f"{name}_across": pair[0], f"{name}_down": pair[1]}
    values = {name: value for name, value in values.items() if value is not None}
    mapping = surface.mapping
    model: Any = MAPPINGS[chosen.mapping] if chosen.mapping else type(mapping)
    kept = mapping.model_dump(include=set(Mapping.model_fields) - {"kind"})
    mapping = model.create(**kept | values)
    split = {} if chosen.split is None else {"residual": chosen.split}
    level = {} if chosen.level is None else {"level": chosen.level, "final_level": 0}
    data_of = surface.model_dump() | {
        "shape": shape.model_dump(),
        "mapping": mapping.model_dump(),
        "subdivision": _subdivision(surface.subdivision, chosen).model_dump(),
        "tessellation": _tessellation(surface.tessellation, chosen).model_dump(),
        **level,
        **split,
    }
    changed = Recipe.from_data({**recipe.model_dump(), "surface": data_of, "sources": sources}, recipe)
    return changed, read_source


DEFAULT_SIZES = {"room": {"width": 1000, "height": 1000, "depth": 1000}}
"""Sizes that differ from those on the bench: here all are 1000 mm unless it is said otherwise."""


def _set_sizes(shape: Shape, chosen: argparse.Namespace) -> Shape:
    if chosen.size:
        if len(chosen.size) > len(shape.lengths()):
            most = len(shape.lengths())
            raise ReliefError(f"A {shape.title.lower()} has {most} sizes; {len(chosen.size)} were given.")
        shape = shape.with_size(*chosen.size)
    if chosen.segments is not None:
        if "segments" not in type(shape).model_fields:
            raise ReliefError(f"A {shape.title.lower()} has no base segments; use --level.")
        shape = type(shape).create(**shape.model_dump() | {"segments": chosen.segments})
    return shape


def _subdivision(subdivision: Subdivision, chosen: argparse.Namespace) -> Subdivision:
    values = {"kind": chosen.subdivide, "crease": chosen.crease}
    given = {name: value for name, value in values.items() if value is not None}
    return Subdivision.create(**subdivision.model_dump() | given)


def _say_lengths(model: type[Shape]) -> str:
    """What the lengths of a shape are called, in the order in which they are given."""
    labels = {known.name: known.label.lower() for known in controls(model)}
    return ", ".join(labels[name] for name in model.lengths())


def _say_number_of(kind: str) -> str:
    """What stands for the number that a way of tessellating is asked for by."""
    (unit,) = (known.unit for known in controls(TESSELLATIONS[kind]) if known.name == MEASURES[kind])
    return unit.upper() or "N"


def _tessellation(way: Tessellation, chosen: argparse.Namespace) -> Tessellation:
    """The way that options ask for.

    Raises:
        ReliefError: it is none, or a number is missing or out of its bounds.
    """
    values: dict[str, Any] = {}
    kind = way.kind
    if chosen.tessellate is not None:
        kind, colon, value = chosen.tessellate.partition(":")
        if kind not in MEASURES or not colon:
            asked = ", ".join(f"{name}:{_say_number_of(name)}" for name in MEASURES)
            raise ReliefError(f"--tessellate takes {asked}.")
        values[MEASURES[kind]] = value
    if kind == "screen":
        if chosen.camera:
            values |= zip(("camera_x", "camera_y", "camera_z"), chosen.camera, strict=True)
        if chosen.width is not None:
            values["wide"] = chosen.width
    elif chosen.camera or chosen.width is not None:
        raise ReliefError("--camera and --width go with --tessellate screen:PX.")
    if chosen.most_level is not None:
        values["most_level"] = chosen.most_level
    kept = way.model_dump() if kind == way.kind else {}
    return TESSELLATIONS[kind].create(**kept | {"kind": kind} | values)

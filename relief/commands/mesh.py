"""Write a displaced surface: of a picture or of a recipe."""

from __future__ import annotations

import argparse
import hashlib
from pathlib import Path
from typing import Any, get_args

from relief.commands._picture import add_picture, begun, print_results, with_options
from relief.commands._recipe import add_sources, read_recipe
from relief.deliver.files import write_whole
from relief.deliver.meshes import FORMATS, mesh_file
from relief.errors import ReliefError
from relief.filters.sample import Sampling
from relief.inspect.mesh_facts import mesh_facts
from relief.parameters import Parameters, control
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.run.stages import ReadSource
from relief.sources.mesh.read import ENDINGS, is_mesh, read_mesh
from relief.surface.mapping import MAPPINGS
from relief.surface.mapping.mapping import Mapping, Sizing
from relief.surface.shapes import SHAPES
from relief.surface.shapes.shape import Shape
from relief.surface.surface import Surface

OF_A_FILE = "mesh"
"""The kind of shape that is not named but comes as a file, and the key of its source."""


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    add_picture(parser)
    add_sources(parser)
    kinds = [kind for kind in SHAPES if kind != OF_A_FILE]
    parser.add_argument("--out", type=Path, required=True, metavar="FILE", help=f"file ending in {', '.join(FORMATS)}")
    parser.add_argument(
        "--shape", metavar="SHAPE", help=f"{', '.join(kinds)}, or a file ending in {', '.join(ENDINGS)}"
    )
    parser.add_argument(
        "--size", nargs="+", type=float, metavar="MM",
        help="plane: width and height; box and room: width, height and depth; cylinder: diameter and height; sphere: "
        "diameter; torus: outer diameter and thickness; a mesh file: its longest side",
    )  # fmt: skip
    parser.add_argument("--mapping", choices=list(MAPPINGS), help="how the relief is laid on")
    parser.add_argument("--sizing", choices=get_args(Sizing), help=_help(Mapping, "sizing"))
    parser.add_argument("--repeats", nargs=2, type=float, metavar=("ACROSS", "DOWN"), help="how often it repeats")
    parser.add_argument("--shift", nargs=2, type=float, metavar=("ACROSS", "DOWN"), help="in repeats, right and down")
    parser.add_argument("--turn", type=float, metavar="DEGREES", help=_help(Mapping, "turn"))
    parser.add_argument("--sampling", choices=get_args(Sampling), help=_help(Mapping, "sampling"))
    parser.add_argument("--segments", type=int, metavar="N", help="base segments, before subdivision")
    parser.add_argument("--level", type=int, metavar="L", help=_help(Surface, "level"))


def run(chosen: argparse.Namespace) -> None:
    """The displaced surface, about its own middle."""
    kind = chosen.out.suffix.lower().lstrip(".")
    if kind not in FORMATS:
        raise ReliefError(f"--out must end in {', '.join(f'.{known}' for known in FORMATS)}.")
    if chosen.picture.suffix.lower() == ".json":
        recipe, read_source = read_recipe(chosen.picture, chosen.source)
        recipe, engine = with_options(recipe, chosen), Engine()
    else:
        recipe, read_source, engine = begun(chosen)
    recipe, read_source = _with_surface(recipe, read_source, chosen)
    mesh = engine.run(SurfacePipeline.of(recipe, read_source).delivered())
    data = mesh_file(mesh, kind)
    chosen.out.parent.mkdir(parents=True, exist_ok=True)
    write_whole(chosen.out, data)
    surface = recipe.surface.model_dump(mode="json", exclude={"form", "regions"})
    print_results(recipe, files=[str(chosen.out)], faces=mesh.faces, vertices=len(mesh.positions), surface=surface)


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
            raise ReliefError(f"There is no shape “{chosen.shape}”. There are {', '.join(SHAPES)}.")
    shape = _sized(shape, chosen)
    values = {name: getattr(chosen, name) for name in ("sizing", "turn", "sampling")}
    for name in ("repeats", "shift"):
        pair = getattr(chosen, name) or (None, None)
        values |= {f"{name}_across": pair[0], f"{name}_down": pair[1]}
    values = {name: value for name, value in values.items() if value is not None}
    mapping = surface.mapping
    model: Any = MAPPINGS[chosen.mapping] if chosen.mapping else type(mapping)
    kept = mapping.model_dump(include=set(Mapping.model_fields) - {"kind"})
    mapping = model.create(**kept | values)
    level = {} if chosen.level is None else {"level": chosen.level}
    data_of = surface.model_dump() | {"shape": shape.model_dump(), "mapping": mapping.model_dump(), **level}
    changed = Recipe.from_data({**recipe.model_dump(), "surface": data_of, "sources": sources}, recipe)
    return changed, read_source


DEFAULT_SIZES = {"room": {"width": 1000, "height": 1000, "depth": 1000}}
"""Sizes that differ from those on the bench: here all are 1000 mm unless it is said otherwise."""


def _sized(shape: Shape, chosen: argparse.Namespace) -> Shape:
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

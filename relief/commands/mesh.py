"""Write the displaced plane of a picture."""

from __future__ import annotations

import argparse
from pathlib import Path

from relief.commands._picture import add_number, add_picture, begun, print_results
from relief.deliver.files import write_whole
from relief.deliver.meshes import FORMATS, mesh_file
from relief.errors import ReliefError
from relief.run.meshes import displace
from relief.run.pipeline import Pipeline


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    add_picture(parser)
    parser.add_argument("--out", type=Path, required=True, metavar="FILE", help=f"file ending in {', '.join(FORMATS)}")
    add_number(parser, "segments", kind=int)
    add_number(parser, "level", kind=int)


def run(chosen: argparse.Namespace) -> None:
    """The displaced plane, centred."""
    kind = chosen.out.suffix.lower().lstrip(".")
    if kind not in FORMATS:
        raise ReliefError(f"--out must end in {', '.join(f'.{known}' for known in FORMATS)}.")
    recipe, read_source, engine = begun(chosen)
    mesh = engine.run(displace(Pipeline.of(recipe, read_source), recipe.surface))
    data = mesh_file(mesh, kind)
    chosen.out.parent.mkdir(parents=True, exist_ok=True)
    write_whole(chosen.out, data)
    print_results(recipe, files=[str(chosen.out)], faces=mesh.faces, vertices=len(mesh.positions))

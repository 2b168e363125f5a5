"""Print what is known of pictures and meshes: facts, and what each picture seems to be."""

from __future__ import annotations

import argparse
import json
from dataclasses import asdict

from relief.commands._arguments import path
from relief.inspect.mesh_facts import mesh_facts
from relief.sources.decode import decode
from relief.sources.facts import facts
from relief.sources.mesh.read import is_mesh, read_mesh


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("pictures", type=path, nargs="+", metavar="FILE")


def run(chosen: argparse.Namespace) -> None:
    """The facts of each file, as one JSON object by file name."""
    known = {}
    for picture in chosen.pictures:
        data, name = picture.read_bytes(), picture.name
        if is_mesh(name):
            known[str(picture)] = asdict(mesh_facts(read_mesh(data, name), name))
        else:
            known[str(picture)] = asdict(facts(decode(data, name), name))
    print(json.dumps(known, indent=2))

"""Print what will look wrong: of pictures and the sets they form, or of a piece and its delivery."""

from __future__ import annotations

import argparse
import json
from typing import Any

from relief.commands._arguments import path
from relief.commands._recipe import add_sources, read_recipe
from relief.errors import ReliefError
from relief.inspect.check import check
from relief.inspect.find import find_in_piece
from relief.inspect.finding import Finding
from relief.run.engine import Engine
from relief.sources.decode import ENDINGS


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    named = "pictures, or folders of them; or the recipe of a piece"
    parser.add_argument("pictures", type=path, nargs="+", metavar="PICTURE|DIR|RECIPE.json", help=named)
    add_sources(parser)


def run(chosen: argparse.Namespace) -> None:
    """What is found in each picture and in each set, or in a piece, as one JSON object."""
    if chosen.pictures[0].suffix.lower() == ".json":
        _check_piece(chosen)
        return
    paths = []
    for named in chosen.pictures:
        inside = sorted(named.iterdir()) if named.is_dir() else [named]
        paths += [file for file in inside if not named.is_dir() or file.suffix.lower() in ENDINGS]
    if not paths:
        raise ReliefError(f"There is no picture in {chosen.pictures[0]}.")
    found = check({str(each): each.read_bytes() for each in paths})
    if len(found.problems) == len(paths):
        raise ReliefError(f"{paths[0]}: {found.problems[str(paths[0])]}")
    listed: dict[str, Any] = {name: {"problem": problem} for name, problem in found.problems.items()}
    for name, role in found.roles.items():
        listed[name] = {"role": role, "findings": [_in_words(item) for item in found.files[name]]}
    sets = {name: [_in_words(item) for item in items] for name, items in found.sets.items()}
    print(json.dumps({"files": listed, "sets": sets}, indent=2, ensure_ascii=False))


def _check_piece(chosen: argparse.Namespace) -> None:
    """Prints what is found in each relief of a recipe, in its surface, its mesh and its delivery."""
    if len(chosen.pictures) > 1:
        raise ReliefError("Check a recipe on its own, without other files.")
    recipe, read_source = read_recipe(chosen.pictures[0], chosen.source)
    engine = Engine()
    reliefs = {}
    for key in recipe.reliefs:
        _, found = find_in_piece(recipe.showing(key), read_source, engine)
        reliefs[key] = [_in_words(item) for item in found]
    print(json.dumps({"reliefs": reliefs}, indent=2, ensure_ascii=False))


def _in_words(finding: Finding) -> dict[str, str]:
    mend = {"mend": finding.mend.label} if finding.mend else {}
    return {"kind": finding.kind, "title": finding.title, "reason": finding.reason} | mend

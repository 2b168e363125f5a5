"""Print what is known of pictures: facts and what each seems to be."""

from __future__ import annotations

import argparse
import json
from dataclasses import asdict
from pathlib import Path

from relief.sources.decode import decode
from relief.sources.facts import facts


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("pictures", type=Path, nargs="+", metavar="PICTURE")


def run(chosen: argparse.Namespace) -> None:
    """The facts of each picture, as one JSON object by file name."""
    known = {}
    for picture in chosen.pictures:
        known[str(picture)] = asdict(facts(decode(picture.read_bytes(), picture.name), picture.name))
    print(json.dumps(known, indent=2))

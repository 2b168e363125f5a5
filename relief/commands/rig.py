"""Photograph a made-up surface with a mirrored ball beside it, the lamp stepping round: a stand-in for a camera rig."""

from __future__ import annotations

import argparse
import json

from relief.commands._arguments import path, seed
from relief.deliver.files import write_all
from relief.sources.decode import decode
from relief.synthetic.rig import ball_beside, lights_around, photograph_surface
from relief.synthetic.surfaces import find_surface


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("surface", metavar="SURFACE", help="the key of a made-up surface, such as beach-pebble")
    parser.add_argument("--photos", type=int, default=8, help="how many (8)")
    parser.add_argument("--size", type=int, default=512, help="pixels on their sides (512)")
    parser.add_argument("--shaken", type=seed, metavar="SEED", help="shake the camera, and blur some photos")
    parser.add_argument("--out", type=path, required=True, metavar="DIR", help="folder for the files; made if missing")


def run(chosen: argparse.Namespace) -> None:
    """Writes the photos and prints where ball and lights are."""
    known = find_surface(chosen.surface)
    shaken = chosen.shaken is not None
    photos = list(photograph_surface(chosen.surface, chosen.photos, chosen.size, chosen.shaken or 0, shaken))
    places = write_all(chosen.out, photos)
    first = decode(photos[0].data, photos[0].name)
    ball = ball_beside(first.rows, first.columns)
    told = {"files": [str(place) for place in places], "width_mm": known.width, "ball": ball}
    print(json.dumps(told | {"lights": lights_around(chosen.photos)}, indent=2))

"""Photograph a made-up surface with a mirrored ball beside it, the lamp stepping round: a stand-in for a camera rig."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

import numpy as np

from relief.deliver.files import Made, write_all
from relief.deliver.formats import picture_file
from relief.depth.stereo import FEWEST, MOST
from relief.errors import ReliefError
from relief.made.rig import take_series
from relief.made.textures import texture_called
from relief.made.truth import made_surface
from relief.sources.colour import eight_bits, srgb_from_linear

ELEVATIONS = 38.0, 52.0


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("surface", metavar="SURFACE", help="the key of a made-up surface, such as beach-pebble")
    parser.add_argument("--photos", type=int, default=8, help="how many (8)")
    parser.add_argument("--size", type=int, default=512, help="pixels on their sides (512)")
    parser.add_argument("--shaken", type=int, metavar="SEED", help="shake the camera, and blur some photos")
    parser.add_argument("--out", type=Path, required=True, metavar="DIR", help="folder for the files; made if missing")


def run(chosen: argparse.Namespace) -> None:
    """Writes the photos and prints where ball and lights are."""
    texture = texture_called(chosen.surface)
    if not FEWEST <= chosen.photos <= MOST or not 64 <= chosen.size <= 2048:
        raise ReliefError(f"A rig takes {FEWEST} to {MOST} photos of 64 to 2048 pixels.")
    surface = made_surface(texture, chosen.size)
    lights = [(360 * number / chosen.photos + 11, ELEVATIONS[number % 2]) for number in range(chosen.photos)]
    radius = chosen.size / 12
    ball = (chosen.size - 1.3 * radius, chosen.size - 1.3 * radius, radius)
    shots = take_series(surface.height, surface.texel, surface.paint, lights, ball, chosen.shaken)
    brightest = float(np.percentile(surface.paint, 99.5))
    files = [
        Made(f"{chosen.surface}-{number}.png", picture_file(_developed(shot / brightest), "png"))
        for number, shot in enumerate(shots, 1)
    ]
    places = write_all(chosen.out, files)
    told = {"files": [str(place) for place in places], "width_mm": surface.texel * chosen.size, "ball": ball}
    print(json.dumps(told | {"lights": lights}, indent=2))


def _developed(light: np.ndarray) -> np.ndarray:
    return eight_bits(srgb_from_linear(np.clip(0.8 * light, 0, 1)))

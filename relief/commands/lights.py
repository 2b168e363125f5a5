"""Measure normals, colour and height of a surface from photos with the light moved between them."""

from __future__ import annotations

import argparse
import json
import math
from collections.abc import Sequence

import numpy as np

from relief.commands._arguments import number, path
from relief.deliver.files import Made, safe_stem, write_all
from relief.depth.light import Ball, Light
from relief.depth.near import check_distance
from relief.depth.series import Measured, lights_of, measure_series, photos_of
from relief.depth.stereo import FEWEST, MOST
from relief.depth.unknown import FEWEST_UNKNOWN, estimate_lights
from relief.errors import ReliefError
from relief.formats.writing import picture_file
from relief.height import Footprint
from relief.inspect.start import LONG_SIDE
from relief.sources.colour import luminance
from relief.sources.decode import decode


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument(
        "photos", type=path, nargs="+", metavar="PHOTO", help=f"{FEWEST} to {MOST} photos from one place"
    )
    parser.add_argument(
        "--light", type=number, nargs=2, action="append", default=[], metavar=("AZIMUTH", "ELEVATION"),
        help="light of the next photo: azimuth in degrees counter-clockwise from the right edge, and elevation above "
            "the surface",
    )  # fmt: skip
    parser.add_argument(
        "--ball", type=number, nargs=3, metavar=("X", "Y", "RADIUS"),
        help="a mirrored ball in every photo, in pixels from the upper left corner: lights are read from its highlight",
    )  # fmt: skip
    parser.add_argument(
        "--turned", action="store_true",
        help="if the lights are estimated: take the other of the two solutions, with hills and hollows exchanged",
    )  # fmt: skip
    parser.add_argument(
        "--lamp-distance", type=number, metavar="MM",
        help="distance of the lamps from the middle of the picture; found from four or more photos if not given",
    )  # fmt: skip
    parser.add_argument("--far", action="store_true", help="the lamps were far away: do not test for near ones")
    parser.add_argument("--footprint", nargs=2, type=number, metavar=("W", "H"), help="real width and height, mm")
    parser.add_argument("--out", type=path, required=True, metavar="DIR", help="folder for the files; made if missing")


def run(chosen: argparse.Namespace) -> None:
    """Writes normal map, colour and displacement map, and prints how they are to be read."""
    photos = photos_of([decode(path.read_bytes(), path.name) for path in chosen.photos])
    rows, columns = photos[0].shape[:2]
    lights, doubts = _lights(chosen, photos)
    width, height = chosen.footprint or (side * LONG_SIDE / max(rows, columns) for side in (columns, rows))
    Footprint.create(width=width, height=height)
    spacing = width / columns, height / rows
    seen_from = Ball(*chosen.ball).place(rows, columns, spacing) if chosen.ball else (0.0, 0.0)
    distance = check_distance(math.inf if chosen.far else chosen.lamp_distance, width, height)
    measured = measure_series(photos, lights, spacing, distance=distance, seen_from=seen_from)
    stem = safe_stem(chosen.photos[0].name)
    places = write_all(chosen.out, _files(measured, stem))
    told = {
        "files": [str(place) for place in places],
        "footprint_mm": [width, height],
        "amplitude_mm": measured.amplitude,
        "midlevel": -measured.low / measured.amplitude if measured.amplitude else 0.5,
        "lights": [[round(light.azimuth, 2), round(light.elevation, 2)] for light in measured.lights],
        "shifts": [[round(side, 2) for side in shift] for shift in measured.shifts],
        "strengths": [round(strength, 3) for strength in measured.strengths],
        "light_from_everywhere": round(measured.solution.around, 3),
        "photos_that_counted": round(measured.solution.seen, 3),
        "lamp_distance_mm": _finite(measured.distance.best),
        "lamp_distance_between_mm": [_finite(measured.distance.least), _finite(measured.distance.most)],
        "remarks": [remark for remark in (doubts, measured.distance.remark) if remark],
    }
    print(json.dumps(told, indent=2))


def _finite(length: float) -> float | None:
    """A length as JSON can hold it: none for one without end."""
    return round(length, 1) if math.isfinite(length) else None


def _lights(chosen: argparse.Namespace, photos: list[np.ndarray]) -> tuple[Sequence[Light], str]:
    """Where the lights stood, and what can be doubted of that."""
    if (chosen.light and chosen.ball) or (not (chosen.light or chosen.ball) and len(photos) < FEWEST_UNKNOWN):
        raise ReliefError(
            f"Give the lights: one --light for each photo, or a --ball. With {FEWEST_UNKNOWN} or more photos "
            "they are estimated."
        )
    if chosen.ball:
        return lights_of(photos, Ball(*chosen.ball)), ""
    if chosen.light:
        return [_light(*angles) for angles in chosen.light], ""
    found = estimate_lights([luminance(photo, encoded=False) for photo in photos])
    return found.other if chosen.turned else found.lights, found.doubts


def _light(azimuth: float, elevation: float) -> Light:
    if not 0 < elevation <= 90 or not abs(azimuth) <= 3600:
        raise ReliefError("The elevation of a light must be above 0 and at most 90 degrees.")
    return Light(azimuth % 360, elevation)


def _files(measured: Measured, stem: str) -> list[Made]:
    called = {"height": "displacement"}
    maps = measured.encode().items()
    return [Made(f"{stem}_{called.get(name, name)}.png", picture_file(pixels, "png")) for name, pixels in maps]

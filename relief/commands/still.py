"""Draw a finished picture of a surface: its sun, its sky, and the light between its parts."""

from __future__ import annotations

import argparse
import json
import time
from dataclasses import replace

import numpy as np

from relief.commands._arguments import number, path
from relief.commands._lines import say_over
from relief.commands._surface import add_surface_options, begin_surface
from relief.deliver.files import write_whole
from relief.deliver.stills import ENDINGS, SUNS, VIEWS, make_scene, say_wanted, stand_camera, still_file
from relief.errors import ReliefError
from relief.progress import Progress
from relief.sources.colour import decode_srgb
from relief.still.camera import Camera
from relief.still.light import Light
from relief.still.scene import Scene
from relief.still.still import BACKDROP, Wanted, draw_still, forecast_still, time_path

WIDTHS = (640, 1280, 2560)
"""Widths that a forecast tells beside the one that is asked for."""


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    add_surface_options(parser, with_camera=False)
    parser.add_argument(
        "--out", type=path, metavar="FILE", help=f"file ending in {', '.join(f'.{known}' for known in ENDINGS)}"
    )
    parser.add_argument("--width", dest="wide", type=int, default=1280, metavar="PX", help="of the picture (1280)")
    parser.add_argument("--height", dest="high", type=int, default=800, metavar="PX", help="of the picture (800)")
    parser.add_argument("--seen", choices=list(VIEWS), default="three-quarter", help="where the camera stands")
    parser.add_argument(
        "--camera", dest="stands_at", nargs=3, type=number, metavar=("X", "Y", "Z"), help="position of the camera, mm"
    )
    parser.add_argument(
        "--look-at", nargs=3, type=number, metavar=("X", "Y", "Z"), help="where it looks, mm (the middle)"
    )
    parser.add_argument("--lens", type=number, default=50, metavar="MM", help="focal length, for a frame of 36 mm (50)")
    parser.add_argument(
        "--sun", nargs=2, type=number, metavar=("AZIMUTH", "ELEVATION"),
        help="the sun, degrees: counter-clockwise from the right seen from above, and over the ground (from the left)",
    )  # fmt: skip
    parser.add_argument("--sun-size", type=number, default=0.53, metavar="DEG", help="of its disc (0.53)")
    parser.add_argument("--sun-strength", type=number, default=1, metavar="S", help="of the sun (1)")
    parser.add_argument("--sky", type=number, default=1, metavar="S", help="strength of the sky (1)")
    parser.add_argument("--samples", type=int, default=16, metavar="N", help="paths for each pixel (16)")
    parser.add_argument("--region", nargs=4, type=int, metavar=("X", "Y", "W", "H"), help="draw this part only, pixels")
    parser.add_argument("--ground", choices=("on", "off"), help="ground below it (on for shapes that stand)")
    parser.add_argument("--backdrop", metavar="COLOUR", help="what lies behind, such as #6f7678")
    parser.add_argument("--flat", action="store_true", help="undisplaced with its normal map, to compare")
    parser.add_argument("--clay", action="store_true", help="in matt clay, without its colours")
    parser.add_argument("--noisy", action="store_true", help="keep the noise of few samples: no denoising")
    parser.add_argument(
        "--forecast", action="store_true", help="say how long it would take at several sizes; draw nothing"
    )


def run(chosen: argparse.Namespace) -> None:
    """The still as a file, and what it took; or how long it would take."""
    begun = time.perf_counter()
    if not chosen.forecast:
        if chosen.out is None:
            raise ReliefError("Say where the still goes: --out FILE.png or FILE.exr.")
        if chosen.out.suffix.lower().lstrip(".") not in ENDINGS:
            raise ReliefError(f"--out must end in {', '.join(f'.{known}' for known in ENDINGS)}.")
    width, height = chosen.wide, chosen.high
    recipe, read_source, engine = begin_surface(chosen)
    ground = None if chosen.ground is None else chosen.ground == "on"
    scene = make_scene(recipe, read_source, engine, flat=chosen.flat, plain=chosen.clay, ground=ground)
    azimuth, elevation = chosen.sun or SUNS[scene.up]
    light = Light(azimuth, elevation, chosen.sun_size, chosen.sun_strength, chosen.sky)
    wanted = Wanted(
        _camera(scene, chosen, width / max(height, 1)), light, width,
        height, chosen.samples, region=tuple(chosen.region) if chosen.region else None,
        backdrop=_colour(chosen.backdrop), smooth=not chosen.noisy,
    )  # fmt: skip
    about = {"faces": scene.mesh.faces, "ready_after": round(time.perf_counter() - begun, 2)}
    if chosen.forecast:
        sizes = dict.fromkeys([*((w, round(w * wanted.height / wanted.width)) for w in WIDTHS), (width, wanted.height)])
        each = time_path(scene, wanted)
        rows = [
            {
                "width": wide,
                "height": high,
                "seconds": round(forecast_still(scene, _sized(wanted, wide, high), each), 1),
            }
            for wide, high in sizes
        ]
        print(json.dumps(about | {"samples": wanted.samples, "forecast": rows}, indent=2))
        return
    still = draw_still(scene, wanted, _Bar())
    told = say_wanted(wanted)
    write_whole(chosen.out, still_file(still, chosen.out.suffix.lower().lstrip("."), told))
    results = {"file": str(chosen.out), "seconds": round(still.seconds, 2), "noise": round(still.noise, 4)}
    print(json.dumps(about | results | told, indent=2))


def _sized(wanted: Wanted, width: int, height: int) -> Wanted:
    return replace(wanted, width=width, height=height, region=None)


def _camera(scene: Scene, chosen: argparse.Namespace, ratio: float) -> Camera:
    """The camera that options ask for; from a view of its own it fills the picture."""
    camera = stand_camera(scene, chosen.seen, chosen.lens, ratio)
    if chosen.stands_at:
        camera = camera._replace(position=_point(chosen.stands_at), look_at=_point(scene.middle.tolist()))
    return camera._replace(look_at=_point(chosen.look_at)) if chosen.look_at else camera


def _point(values: list[float]) -> tuple[float, float, float]:
    x, y, z = values
    return float(x), float(y), float(z)


def _colour(text: str | None) -> tuple[float, float, float]:
    """A colour such as #6f7678 in linear light.

    Raises:
        ReliefError: it is none.
    """
    if text is None:
        return BACKDROP
    try:
        values = bytes.fromhex(text.removeprefix("#"))
    except ValueError:
        values = b""
    if len(values) != 3:
        raise ReliefError(f"“{text[:20]}” is not a colour such as #6f7678.")
    red, green, blue = (float(value) for value in decode_srgb(np.frombuffer(values, np.uint8)))
    return red, green, blue


class _Bar(Progress):
    """Says on standard error how far it is, where somebody watches."""

    def step(self, share: float, message: str) -> None:
        say_over(f"{message:40} {share:4.0%}", end="" if share < 0.98 else "\n")

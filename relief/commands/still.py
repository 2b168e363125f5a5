"""Draw a finished picture of a surface: its sun, its sky, and the light between its parts."""

from __future__ import annotations

import argparse
import json
import time
from dataclasses import replace
from typing import Any

import numpy as np

from relief.commands._arguments import number, path
from relief.commands._lines import say_over
from relief.commands._surface import add_surface_options, begin_surface
from relief.deliver.files import write_whole
from relief.deliver.stills import (
    ENDINGS,
    SUNS,
    VIEWS,
    develop_still,
    make_scene,
    say_wanted,
    stand_camera,
    still_file,
)
from relief.deliver.sweeps import FEWEST_FRAMES, FRAMES, MOST_FRAMES, SWEEPS, animation, draw_sweep, sweep_frames
from relief.errors import ReliefError
from relief.progress import Progress
from relief.sources.colour import decode_srgb
from relief.still.camera import Camera
from relief.still.forecast import forecast_still, time_path
from relief.still.light import Lamp, Light
from relief.still.scene import Scene
from relief.still.still import BACKDROP, Still, Wanted, draw_still

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
    parser.add_argument(
        "--lamp", nargs=3, type=number, metavar=("X", "Y", "Z"), help="position of one more lamp, mm (none)"
    )
    parser.add_argument(
        "--lamp-strength", type=number, default=1, metavar="S", help="of that lamp at the middle of the surface (1)"
    )
    parser.add_argument("--lamp-size", type=number, default=0, metavar="MM", help="diameter of that lamp (0)")
    parser.add_argument(
        "--opening", type=number, default=0, metavar="F",
        help="f-number; the lower it is, the more is blurred before and behind (0: all sharp)",
    )  # fmt: skip
    parser.add_argument(
        "--focus", type=number, default=0, metavar="MM", help="distance of what is sharp (that to where it looks)"
    )
    parser.add_argument("--samples", type=int, default=16, metavar="N", help="paths for each pixel (16)")
    parser.add_argument(
        "--noise", type=number, default=0, metavar="PERCENT", help="stop earlier at this relative error (0: never)"
    )
    parser.add_argument("--sweep", choices=list(SWEEPS), help="an animation: the sun, or the view, goes round once")
    parser.add_argument(
        "--frames", type=int, metavar="N", help=f"of a sweep, {FEWEST_FRAMES} to {MOST_FRAMES} ({FRAMES})"
    )
    parser.add_argument("--region", nargs=4, type=int, metavar=("X", "Y", "W", "H"), help="draw this part only, pixels")
    parser.add_argument("--ground", choices=("on", "off"), help="ground below it (on for shapes that stand)")
    parser.add_argument("--open-air", action="store_true", help="a sky with a horizon behind it, and haze")
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
    ending = _check_out(chosen)
    frames = (chosen.frames or FRAMES) if chosen.sweep else 1
    recipe, read_source, engine = begin_surface(chosen)
    ground = None if chosen.ground is None else chosen.ground == "on"
    scene = make_scene(recipe, read_source, engine, flat=chosen.flat, plain=chosen.clay, ground=ground)
    wanted = _want(chosen, scene)
    if chosen.sweep:
        next(sweep_frames(wanted, chosen.sweep, frames))
    about = {"faces": scene.mesh.faces, "ready_after": round(time.perf_counter() - begun, 2)}
    if chosen.forecast:
        print(json.dumps(about | {"samples": wanted.samples, "forecast": _forecast(scene, wanted, frames)}, indent=2))
        return
    told = say_wanted(wanted)
    if chosen.sweep:
        drawn, files = _draw_sweep(chosen, scene, wanted, frames, ending)
        results: dict[str, Any] = {"files": files, "sweep": chosen.sweep, "frames": frames}
    else:
        drawn = [draw_still(scene, wanted, _Bar())]
        write_whole(chosen.out, still_file(drawn[0], ending, told))
        results = {"file": str(chosen.out)}
    results["seconds"] = round(sum(still.seconds for still in drawn), 2)
    results["noise"] = round(float(np.mean([still.noise for still in drawn])), 4)
    print(json.dumps(about | results | told | {"samples": min(still.samples for still in drawn)}, indent=2))


def _check_out(chosen: argparse.Namespace) -> str:
    """What the file ends in that is asked for.

    Raises:
        ReliefError: it is missing, or cannot be written.
    """
    if chosen.forecast:
        return ""
    known = (*ENDINGS, "webp") if chosen.sweep else ENDINGS
    if chosen.out is None:
        raise ReliefError(f"Say where the still goes: --out FILE.{' or FILE.'.join(known)}.")
    ending: str = chosen.out.suffix.lower().lstrip(".")
    if ending not in known:
        raise ReliefError(f"--out must end in {', '.join(f'.{each}' for each in known)}.")
    return ending


def _want(chosen: argparse.Namespace, scene: Scene) -> Wanted:
    azimuth, elevation = chosen.sun or SUNS[scene.up]
    lamp = Lamp(_point(chosen.lamp), chosen.lamp_strength, chosen.lamp_size) if chosen.lamp else None
    light = Light(azimuth, elevation, chosen.sun_size, chosen.sun_strength, chosen.sky, lamp=lamp)
    wanted = Wanted(
        _camera(scene, chosen, chosen.wide / max(chosen.high, 1)), light, chosen.wide, chosen.high, chosen.samples,
        region=tuple(chosen.region) if chosen.region else None, backdrop=_colour(chosen.backdrop),
        open_air=chosen.open_air, smooth=not chosen.noisy, noise=chosen.noise / 100,
    )  # fmt: skip
    wanted.check()
    return wanted


def _forecast(scene: Scene, wanted: Wanted, frames: int) -> list[dict[str, Any]]:
    """Seconds at several sizes and at that which is asked for, of all frames."""
    sizes = dict.fromkeys(
        [*((w, round(w * wanted.height / wanted.width)) for w in WIDTHS), (wanted.width, wanted.height)]
    )
    each = time_path(scene, wanted)
    return [
        {
            "width": wide,
            "height": high,
            "seconds": round(frames * forecast_still(scene, _resize(wanted, wide, high), each), 1),
        }
        for wide, high in sizes
    ]


def _draw_sweep(
    chosen: argparse.Namespace, scene: Scene, wanted: Wanted, frames: int, ending: str
) -> tuple[list[Still], list[str]]:
    """An animation, or a file for each frame with its number in the name."""
    drawn, shown, files = [], [], []
    for at, (frame, still) in enumerate(draw_sweep(scene, wanted, chosen.sweep, frames, _Bar()), start=1):
        drawn.append(replace(still, radiance=np.zeros((0, 0, 3), np.float32)))
        if ending == "webp":
            shown.append(develop_still(still))
        else:
            numbered = chosen.out.with_stem(f"{chosen.out.stem}_{at:03}")
            write_whole(numbered, still_file(still, ending, say_wanted(frame)))
            files.append(str(numbered))
    if shown:
        write_whole(chosen.out, animation(shown))
    return drawn, files or [str(chosen.out)]


def _resize(wanted: Wanted, width: int, height: int) -> Wanted:
    return replace(wanted, width=width, height=height, region=None)


def _camera(scene: Scene, chosen: argparse.Namespace, ratio: float) -> Camera:
    """The camera that options ask for; from a view of its own it fills the picture."""
    camera = stand_camera(scene, chosen.seen, chosen.lens, ratio)
    if chosen.stands_at:
        camera = camera._replace(position=_point(chosen.stands_at), look_at=_point(scene.middle.tolist()))
    camera = camera._replace(look_at=_point(chosen.look_at)) if chosen.look_at else camera
    return camera._replace(opening=chosen.opening, focus=chosen.focus)


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

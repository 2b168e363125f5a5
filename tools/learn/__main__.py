"""Makes the examples, teaches the networks from their last checkpoints on, and writes them for the application."""

from __future__ import annotations

import argparse
from pathlib import Path

CHECKPOINTS = Path(__file__).parent / "checkpoints"


def main() -> None:
    """Reads the command line and does what it says."""
    parser = argparse.ArgumentParser(prog="python -m tools.learn", description=__doc__)
    does = parser.add_subparsers(dest="does", required=True)
    make = does.add_parser("make", help="make examples")
    make.add_argument("--first", type=int, default=0, help="the first seed")
    make.add_argument("--many", type=int, default=10_000, help="how many")
    make.add_argument("--workers", type=int, default=2, help="processes that make them")
    relief = does.add_parser("relief", help="teach the network that tells relief")
    light = does.add_parser("light", help="teach the network that tells where the light stood")
    for course in (relief, light):
        course.add_argument("--minutes", type=float, default=60, help="how long at most")
        course.add_argument("--steps", type=int, default=20_000, help="of the whole course, those taken included")
    for what in (make, relief, light):
        what.add_argument("--examples", type=Path, default=Path("var/examples"), help="their folder")
    show = does.add_parser("show", help="draw a page of a hundred examples, and one of real photos that are read")
    show.add_argument("folder", type=Path, help="where both are written as JPEGs")
    does.add_parser("export", help="write both networks where the application looks for them")
    chosen = parser.parse_args()
    match chosen.does:
        case "make":
            from tools.learn.examples import make_examples

            make_examples(chosen.examples, chosen.first, chosen.many, chosen.workers)
        case "show":
            from tools.learn.page import draw_page, draw_real

            (chosen.folder / "made-up-photos.jpg").write_bytes(draw_page())
            (chosen.folder / "real-photos.jpg").write_bytes(draw_real())
        case "export":
            _export()
        case _:
            from tools.learn.lamp import light_course
            from tools.learn.teach import follow, relief_course

            course = relief_course(chosen.examples)
            light = chosen.does == "light"
            relief = CHECKPOINTS / "relief.npz"
            course = light_course(chosen.examples, relief) if light else relief_course(chosen.examples)
            follow(course, CHECKPOINTS / f"{chosen.does}.npz", chosen.minutes, chosen.steps)


def _export() -> None:
    from relief.depth.networks import LIGHT, RELIEF, WEIGHTS
    from tools.learn.export import export_light, export_relief
    from tools.learn.teach import restore

    export_relief(restore(CHECKPOINTS / "relief.npz")[0], WEIGHTS / RELIEF)
    export_light(restore(CHECKPOINTS / "light.npz")[0], WEIGHTS / LIGHT)


if __name__ == "__main__":
    main()

"""Read a delivery as a program at the other end would, and say what arrives."""

from __future__ import annotations

import argparse
import json

import cv2
import numpy as np

from relief.commands._arguments import number, path
from relief.deliver.files import write_whole
from relief.errors import ReliefError
from relief.receive.arrive import Report, Settings, compare, look_at
from relief.receive.draw import draw_look, draw_sections
from relief.receive.files import open_bundle


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("bundle", type=path, metavar="DIR|FILE.zip", help="the delivery, unpacked or not")
    parser.add_argument("--green", choices=("up", "down"), default="", help="which way green is taken to point")
    parser.add_argument("--midlevel", type=number, metavar="M", help="the value that stays on the surface")
    parser.add_argument("--scale", type=number, default=1.0, metavar="S", help="multiplier on the stated amplitude")
    parser.add_argument("--read-as", choices=("data", "colour"), default="data", help="how maps are read")
    parser.add_argument("--bits", type=int, choices=(8, 16), default=16, help="bit depth kept for maps")
    parser.add_argument("--picture", type=path, metavar="FILE.png", help="also draw what arrives, lit, and its section")
    parser.add_argument(
        "--fewer-levels", type=int, default=0, metavar="N", help="how many subdivision levels fewer than intended"
    )


def run(chosen: argparse.Namespace) -> int:
    """Prints as JSON what arrives beside what was meant; 1 where it differs, 0 where it does not."""
    if chosen.picture and chosen.picture.suffix.lower() != ".png":
        raise ReliefError("--picture must end in .png.")
    settings = Settings(
        chosen.green, chosen.midlevel, chosen.scale, chosen.read_as, chosen.bits, max(0, chosen.fewer_levels)
    )
    try:
        arrived = open_bundle(chosen.bundle)
    except ReliefError as problem:
        return _print({"bundle": Report(differs=[str(problem)])})
    reports, looks = {}, {}
    for key in arrived.contents["reliefs"]:
        try:
            looks[key] = look_at(arrived, settings, key)
            reports[key] = compare(arrived, settings, key, looks[key])
        except ReliefError as problem:
            damaged = [f"{name} is damaged or missing." for name in arrived.list_damaged()]
            reports[key] = Report(differs=[str(problem), *arrived.faults, *damaged])
    if chosen.picture and looks:
        moved = (chosen.midlevel, chosen.scale, chosen.bits, chosen.fewer_levels) != (None, 1.0, 16, 0)
        look = next(iter(looks.values()))
        drawn = np.vstack([draw_look(look, False, moved), draw_sections(look)])
        write_whole(chosen.picture, cv2.imencode(".png", drawn)[1].tobytes())
    return _print(reports)


def _print(reports: dict[str, Report]) -> int:
    """Prints them as JSON; the exit status."""
    print(json.dumps({key: report.as_data() for key, report in reports.items()}, indent=2, ensure_ascii=False))
    return int(any(report.differs for report in reports.values()))

"""Print how far from the truth each way of making height of photos is, on surfaces whose relief is known."""

from __future__ import annotations

import argparse
import os

import numpy as np

from relief.commands._arguments import path
from relief.deliver.files import Made, write_all
from relief.errors import ReliefError
from relief.formats.writing import picture_file
from relief.synthetic.surfaces import SURFACES, find_surface
from relief.synthetic.truth import WAYS, Row, measure, tenths

SHORT = ("flat", "brightn.", "started", "linear", "estim.", "network", "estim.", "4", "8", "16")


NEAR = 20
"""Degrees that an azimuth may be off to be right."""


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    parser.add_argument("surfaces", nargs="*", metavar="SURFACE", help="keys of surfaces; all if none are named")
    parser.add_argument("--size", type=int, default=512, help="texels on their longer side (512)")
    parser.add_argument(
        "--pictures", type=path, metavar="DIR",
        help="folder for a strip of each: photo, truth, brightness, linear, network, four photos, colours",
    )  # fmt: skip


def run(chosen: argparse.Namespace) -> None:
    """Prints angles and correlations, surface by surface, and their means."""
    for key in chosen.surfaces:
        find_surface(key)
    if not 64 <= chosen.size <= 2048:
        raise ReliefError("A surface is 64 to 2048 texels long.")
    keys = chosen.surfaces or list(SURFACES)
    print(
        "Mean angle between computed and true normals in degrees; in brackets the correlation of computed and true "
        "height."
    )
    print(f"{'':22}" + "".join(f"{word:>13}" for word in SHORT) + "   azimuth off  colour")
    rows = []
    workers = min(os.cpu_count() or 1, len(keys)) if len(keys) > 1 else 0
    for key, (row, strip) in zip(keys, measure(keys, chosen.size, workers), strict=True):
        rows.append(row)
        print(_line(row), flush=True)
        if chosen.pictures:
            write_all(chosen.pictures, [Made(f"{key}.png", picture_file(strip, "png"))])
    print(_line(_mean(rows)))
    worse = {way: max(row.angles[way] - row.angles["flat"] for row in rows) for way in WAYS[1:]}
    print("\nAt most this much worse than flat: " + ", ".join(f"{way} {most:.1f}" for way, most in worse.items()))
    for method in ("linear", "network"):
        near = sum(row.off[method] <= NEAR for row in rows)
        print(f"Azimuth estimated within {NEAR} degrees, {method}: {near} of {len(rows)}")
    print(
        "Expected and actual error in degrees, by tenths: "
        + ", ".join(f"{said:.1f} {off:.1f}" for said, off in tenths(rows))
    )
    won = sorted(rows, key=lambda row: row.angles["network, light given"] / row.angles["flat"])
    print("Largest gains of the network: " + ", ".join(row.name for row in won[:3]))
    print("Smallest gains of the network: " + ", ".join(row.name for row in won[-3:]))


def _line(row: Row) -> str:
    told = (f"{row.angles[way]:6.1f}" + (f" ({row.alike[way]:4.2f})" if way in row.alike else " " * 7) for way in WAYS)
    return (
        f"{row.name[:22]:22}"
        + "".join(told)
        + "".join(f" {off:4.0f}" for off in row.off.values())
        + f"   {row.colour:4.2f}"
    )


def _mean(rows: list[Row]) -> Row:
    return Row(
        "mean",
        {way: float(np.mean([row.angles[way] for row in rows])) for way in WAYS},
        {way: float(np.mean([row.alike[way] for row in rows])) for way in WAYS[1:]},
        {method: float(np.mean([row.off[method] for row in rows])) for method in rows[0].off},
        float(np.mean([row.colour for row in rows])),
        np.sum([row.said for row in rows], axis=0),
    )

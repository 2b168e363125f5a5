"""Write the maps of a picture and print its readings."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from itertools import chain
from typing import get_args

from relief.commands._arguments import path
from relief.commands._picture import add_choice, add_number, add_picture, begin_recipe, channel_and_role, print_results
from relief.deliver.delivery import map_files, test_card_files
from relief.deliver.files import safe_stem, write_all
from relief.inspect.readings import readings
from relief.maps import COMPANION_MAPS
from relief.maps.slopes import Kernel
from relief.maps.vectors import Green, Red
from relief.run.pipeline import Pipeline


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    add_picture(parser)
    parser.add_argument("--out", type=path, required=True, metavar="DIR", help="folder for the files; made if missing")
    add_choice(parser, "kernel", get_args(Kernel))
    add_choice(parser, "red", get_args(Red))
    add_choice(parser, "green", get_args(Green))
    add_choice(parser, "made-of", ("relief", "source", "both"))
    parser.add_argument("--bits", type=int, choices=(8, 16), help="bits in each channel of the normal map")
    add_number(parser, "strength")
    add_number(parser, "soften")
    add_number(parser, "calm")
    parser.add_argument("--full-range", action="store_true", help="spread the bump map from black to white")
    parser.add_argument("--test-card", action="store_true", help="also write the maps of a test card")
    parser.add_argument(
        "--unpack", action="append", type=channel_and_role, metavar="CHANNEL=ROLE",
        help="a map that was packed into a channel of the picture, such as green=roughness; can be given several "
            "times; file names such as wall_orm.png are recognised",
    )  # fmt: skip
    parser.add_argument(
        "--map", dest="more", action="append", default=[], metavar="KIND[:NAME=VALUE,...]",
        help=f"add a grey map: {', '.join(COMPANION_MAPS)}; can be given several times",
    )  # fmt: skip
    parser.add_argument(
        "--pack", dest="packs", action="append", default=[], metavar="R,G,B[,A]",
        help="pack maps into the channels of one picture, such as normal.red,normal.green,displacement or "
        "occlusion,roughness,0; can be given several times",
    )  # fmt: skip


def run(chosen: argparse.Namespace) -> None:
    """Writes all files or none."""
    recipe, read_source, engine = begin_recipe(chosen)
    pipeline, relief = Pipeline.of(recipe, read_source), recipe.main
    height = engine.run(pipeline.height())
    stem = safe_stem(chosen.picture.name)
    files = [map_files(pipeline, engine, stem, recipe.delivery)]
    files += [test_card_files(pipeline, engine, stem, recipe.delivery)] if chosen.test_card else []
    places = write_all(chosen.out, chain.from_iterable(files))
    measured = readings(height, amplitude=relief.amplitude, midlevel=relief.midlevel)
    print_results(recipe, files=[str(place) for place in places], readings=asdict(measured))

"""Write a whole delivery of a picture or a recipe, by a profile."""

from __future__ import annotations

import argparse
import json
import time
from pathlib import Path
from typing import Any

from relief.commands._arguments import path
from relief.commands._picture import add_picture, begin_recipe
from relief.commands._recipe import add_sources, read_recipe
from relief.deliver.delivery import delivery_files, write_bundle
from relief.deliver.files import write_all
from relief.deliver.profiles import SHIPPED, read_profile
from relief.errors import ReliefError
from relief.inspect.find import find_in_delivery
from relief.inspect.finding import Finding
from relief.progress import Progress
from relief.recipe.delivery import Delivery
from relief.run.engine import Engine


def add_options(parser: argparse.ArgumentParser) -> None:
    """Adds the options that this command takes."""
    add_picture(parser)
    add_sources(parser)
    parser.add_argument(
        "--profile", metavar="NAME|FILE.json", help=f"what is delivered and how: {', '.join(SHIPPED)}, or a file"
    )
    parser.add_argument(
        "--stills", type=path, nargs="+", default=[], metavar="FILE.png",
        help="stills that were drawn before; the proof sheet shows the first, a profile with stills has all of them",
    )  # fmt: skip
    parser.add_argument("--out", type=path, required=True, metavar="DIR|FILE.zip", help="a folder, or a ZIP")


def run(chosen: argparse.Namespace) -> None:
    """Writes all files or none; prints what is to be seen to, and the files."""
    begun_at = time.perf_counter()
    if chosen.picture.suffix.lower() == ".json":
        recipe, read_source = read_recipe(chosen.picture, chosen.source)
        engine = Engine()
    else:
        recipe, read_source, engine = begin_recipe(chosen)
    found: list[Finding] = []
    if chosen.profile:
        delivery, found = find_profile(chosen.profile)
        recipe = recipe.model_copy(update={"delivery": delivery})
    found += find_in_delivery(recipe, read_source, engine)
    title, stills = chosen.picture.stem, {place.stem: place for place in chosen.stills}
    if chosen.out.suffix.lower() == ".zip":
        chosen.out.parent.mkdir(parents=True, exist_ok=True)
        write_bundle(chosen.out, recipe, read_source, title, None, stills, Progress(), engine)
        places = [chosen.out]
    else:
        places = write_all(chosen.out, delivery_files(recipe, read_source, engine, title, Progress(), stills=stills))
    told: dict[str, Any] = {
        "files": [str(place) for place in places],
        "findings": [{"kind": item.kind, "title": item.title, "reason": item.reason} for item in found],
        "seconds": round(time.perf_counter() - begun_at, 2),
    }
    print(json.dumps(told, indent=2, ensure_ascii=False))


def find_profile(name: str) -> tuple[Delivery, list[Finding]]:
    """A shipped profile by its name, in whatever case, or one of a file.

    Raises:
        ReliefError: there is none.
    """
    known = {title.lower(): values for title, values in SHIPPED.items()}
    if name.lower() in known:
        return read_profile(known[name.lower()])
    if not name.lower().endswith(".json"):
        raise ReliefError(f"“{name}” is not a known profile. Choose {', '.join(SHIPPED)}, or a file ending in .json.")
    try:
        return read_profile(json.loads(Path(name).read_bytes()))
    except (ValueError, RecursionError) as problem:
        raise problem if isinstance(problem, ReliefError) else ReliefError(f"{name} is not valid JSON.") from None

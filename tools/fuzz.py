"""Feeds the studio what nobody would send on purpose: broken pictures, meshes, archives, recipes and posted values.

They are made from good ones by changes that a seed fixes. Whatever is not answered by a sentence is a finding.
"""

from __future__ import annotations

import argparse
import copy
import io
import json
import random
import resource
import sys
import time
import traceback
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from relief.errors import ReliefError
from relief.formats.meshes import MESHES
from relief.formats.writing import mesh_file, picture_file
from relief.height import Footprint
from relief.inspect.mesh_facts import mesh_facts
from relief.inspect.start import start_from_nothing
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline
from relief.sources.decode import decode
from relief.sources.facts import facts
from relief.sources.mesh.read import read_mesh
from relief.surface.shapes.box import Box

MEMORY = 6 << 30
"""Bytes that the process may ask for beyond what it begins with."""

SMALL, BUDGET = 24, 3_000_000
"""Texels on the long side of what a recipe is tried with, and those that a stage may touch for it."""

NUMBERS = (0, 1, -1, 0.5, 1e-9, 1e9, -1e9, 1e300, 2**31, 2**63, 10**400, True, None, "", "x", "NaN", [], {}, [0] * 9)
TEXTS = (
    "",
    "0",
    "-1",
    "1e999",
    "nan",
    "9" * 5000,
    "\0",
    "\u2028",
    "..",
    "../../x",
    "[[0,0]]",
    "{}",
    "a" * 3000,
    "true",
)


@dataclass(frozen=True)
class Target:
    """One entrance of the studio.

    Attributes:
        name: what it takes.
        cases: gives one thing after the other to hand in, for a random generator.
        take: hands one in; anything but a ReliefError is a finding.
    """

    name: str
    cases: Callable[[random.Random], Iterator[Any]]
    take: Callable[[Any], None]


@dataclass(frozen=True)
class Finding:
    """What was handed in, and what came of it."""

    target: str
    number: int
    case: Any
    trace: str


def change_bytes(data: bytes, chance: random.Random) -> bytes:
    """The bytes with a few changes: bits turned, pieces cut out, doubled, overwritten, or lengths made large."""
    changed = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 4, 16))):
        if not changed:
            break
        place, length = chance.randrange(len(changed)), chance.choice((1, 2, 4, 8, 64))
        match chance.randrange(6):
            case 0:
                changed[place] ^= 1 << chance.randrange(8)
            case 1:
                del changed[place : place + length]
            case 2:
                changed[place:place] = changed[place : place + length]
            case 3:
                changed[place : place + length] = chance.randbytes(length)
            case 4:
                changed[place : place + 4] = chance.choice((b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\0\0\0\0"))
            case _:
                del changed[place:]
    return bytes(changed)


def pictures() -> dict[str, bytes]:
    """A good picture of every kind that is written here, by its ending."""
    colours = (np.arange(12 * 10 * 3) * 7 % 251).astype(np.uint8).reshape(12, 10, 3)
    made = {ending: picture_file(colours, ending) for ending in ("png", "tif", "jpg", "webp")}
    made["exr"] = picture_file(colours.astype(np.float32) / 255, "exr")
    made["hdr"] = b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 4 +X 4\n" + bytes(range(64))
    made["bmp"] = _as_bmp(colours)
    made["r16"] = bytes(range(128))
    return _named(made)


def meshes() -> dict[str, bytes]:
    """A box in every format that is written here."""
    mesh = Box(segments=1).mesh(Footprint(), 0)
    return _named({ending: mesh_file(mesh, ending) for ending in MESHES})


def _as_bmp(colours: np.ndarray) -> bytes:
    from PIL import Image

    file = io.BytesIO()
    Image.fromarray(colours).save(file, "BMP")
    return file.getvalue()


def _named(files: dict[str, bytes]) -> dict[str, bytes]:
    """Files by their names, from those by what these end with."""
    return {f"fuzz.{ending}": data for ending, data in files.items()}


def changed_files(good: Callable[[], dict[str, bytes]]) -> Callable[[random.Random], Iterator[tuple[str, bytes]]]:
    """Files with changes, and now and then one under another's name."""

    def cases(chance: random.Random) -> Iterator[tuple[str, bytes]]:
        files = good()
        while True:
            name = chance.choice(sorted(files))
            other = chance.choice(sorted(files)) if chance.random() < 0.05 else name
            yield other, change_bytes(files[name], chance)

    return cases


def take_picture(case: tuple[str, bytes]) -> None:
    """Decodes and measures a picture."""
    filename, data = case
    facts(decode(data, filename), filename)


def take_mesh(case: tuple[str, bytes]) -> None:
    """Reads and measures a mesh."""
    filename, data = case
    mesh_facts(read_mesh(data, filename), filename)


def take_archive(case: tuple[str, bytes]) -> None:
    """Opens what may be an archive."""
    from studio.shelf.archives import incoming

    for _ in incoming(case[0], io.BytesIO(case[1])):
        pass


def archives() -> dict[str, bytes]:
    """Archives of a picture, stored and packed."""
    made = {}
    for name, method in (("stored.zip", zipfile.ZIP_STORED), ("packed.zip", zipfile.ZIP_DEFLATED)):
        file = io.BytesIO()
        with zipfile.ZipFile(file, "w", method) as archive:
            archive.writestr("folder/a.png", pictures()["fuzz.png"])
            archive.writestr("b.obj", "v 0 0 0\n")
        made[name] = file.getvalue()
    return made


def changed_recipes(chance: random.Random) -> Iterator[Any]:
    """Recipes with values replaced, taken out or put elsewhere."""
    kinds = ("gradient_noise", "cellular_noise", "courses", "scallops")
    good = [start_from_nothing(kind, lambda _: b"", Engine()).model_dump(mode="json") for kind in kinds]
    while True:
        recipe = json.loads(json.dumps(chance.choice(good)))
        for _ in range(chance.choice((1, 1, 2, 3))):
            places = list(_places(recipe))
            holder, key = chance.choice(places)
            match chance.randrange(4):
                case 0 if isinstance(holder, dict):
                    del holder[key]
                case 1:
                    other, name = chance.choice(places)
                    holder[key] = json.loads(json.dumps(other[name])) if name in other or isinstance(other, list) else 0
                case _:
                    holder[key] = copy.deepcopy(chance.choice(NUMBERS))
        yield recipe


def _places(data: Any) -> Iterator[tuple[Any, Any]]:
    """Every place in JSON data: what holds it, and its key or number."""
    items = data.items() if isinstance(data, dict) else enumerate(data) if isinstance(data, list) else ()
    for key, value in items:
        yield data, key
        yield from _places(value)


def take_recipe(data: Any) -> None:
    """Reads a recipe, and makes its relief and its surface as small as may be."""
    recipe = Recipe.read(data)
    engine = Engine(1 << 26, BUDGET)
    engine.run(Pipeline.of(recipe, _no_source, SMALL).height())
    surface = SurfacePipeline.of(recipe, _no_source, SMALL)
    if surface.forecast(engine).faces < BUDGET / 100:
        engine.run(surface.displaced())


def _no_source(_: str) -> bytes:
    raise ReliefError("There is none.")


class AnsweredWrongError(Exception):
    """A page answered a request with a fault of its own."""


def changed_posts(chance: random.Random) -> Iterator[tuple[str, str, dict[str, str]]]:
    """Requests to every address of the bench and the deliveries, with values that do not belong there."""
    from django.urls import get_resolver

    apps = {"bench": "studio.bench.urls", "deliveries": "studio.deliveries.urls"}
    named = [(app, name) for app, urls in apps.items() for name in _names(urls)]
    get_resolver()  # the converters are known from here on
    steps, actions = ("source", "relief", "maps", "surface", "deliver"), _actions()
    while True:
        app, name = chance.choice(named)
        good = {"base": "1", "step": chance.choice(steps), "layer": "0", "relief": "main"}
        for _ in range(chance.choice((1, 2, 3))):
            good[chance.choice(POSTED)] = chance.choice(TEXTS)
        if chance.random() < 0.7:
            good["action"] = chance.choice(actions)
        yield chance.choice(("get", "post")), f"{app}:{name}", good


POSTED = (
    "base", "step", "layer", "relief", "action", "number", "to", "kind", "part", "region", "edge", "source", "set",
    "amplitude", "d.amplitude", "d.footprint.width", "d.layers.0.content.size@cm", "view", "longest", "section", "x",
    "y", "finding", "name", "profile", "map", "until", "against", "try", "card", "detail", "displaced", "path",
    "values", "from", "points", "stroke", "camera", "size", "turn", "level", "shape", "mesh", "mark", "places",
)  # fmt: skip


def _names(module: str) -> list[str]:
    import importlib

    return sorted({pattern.name for pattern in importlib.import_module(module).urlpatterns})


def _actions() -> list[str]:
    """What pages ask to be done."""
    from studio.bench.posts import changes, surface
    from studio.deliveries import posts

    known = {*changes.ARRANGEMENTS, *changes.MAP_ACTIONS, *changes.PILE, *surface.ACTIONS, *posts.ACTIONS}
    return sorted(known | {"move", "name", "halve", "add", "source"})


def take_post(case: tuple[str, str, dict[str, str]]) -> None:
    """Sends a request about the first piece there is."""
    from django.test import Client
    from django.urls import NoReverseMatch, reverse

    from studio.shelf.models import Piece

    method, name, values = case
    for arguments in ([Piece.objects.values_list("pk", flat=True).first()], ["waves"], [1, 1], [1, "x"], []):
        try:
            address = reverse(name, args=arguments)
        except NoReverseMatch:
            continue
        client = Client(raise_request_exception=False, headers={"host": "127.0.0.1"})
        answer = getattr(client, method)(address, values)
        if answer.status_code >= 500 and answer.status_code != 503:
            raise AnsweredWrongError(f"{method} {address}: {answer.status_code}") from answer.exc_info[1]
        return


TARGETS = (
    Target("picture", changed_files(pictures), take_picture),
    Target("mesh", changed_files(meshes), take_mesh),
    Target("archive", changed_files(archives), take_archive),
    Target("recipe", changed_recipes, take_recipe),
    Target("post", changed_posts, take_post),
)


def fuzz(target: Target, seed: int, most: int, seconds: float = 1e9) -> Iterator[Finding]:
    """Hands in up to so many cases, for no longer than some seconds, and gives what is found."""
    until = time.monotonic() + seconds
    for number, case in zip(range(most), target.cases(random.Random(seed)), strict=False):
        if time.monotonic() > until:
            return
        try:
            target.take(case)
        except ReliefError:
            continue
        except Exception:
            yield Finding(target.name, number, case, traceback.format_exc(limit=-4))


def main() -> int:
    """Fuzzes every entrance for its share of the time; the exit status is 1 when something was found."""
    parser = argparse.ArgumentParser(prog="bin/tool fuzz", description=__doc__)
    parser.add_argument("--minutes", type=float, default=5, help="how long (5)")
    parser.add_argument("--seed", type=int, default=1, help="another number, other changes (1)")
    parser.add_argument("--keep", type=Path, metavar="DIR", help="where the files that were found are kept")
    chosen = parser.parse_args()
    if sys.platform == "linux":
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY + (4 << 30), MEMORY + (4 << 30)))
    found, tried = 0, Counter()
    prepare_studio()
    for target in TARGETS:
        counting = replace(target, take=lambda case, target=target: (tried.update([target.name]), target.take(case)))
        for finding in fuzz(counting, chosen.seed, 10**9, chosen.minutes * 60 / len(TARGETS)):
            found += 1
            print(f"{finding.target} {finding.number}:\n{finding.trace}", flush=True)
            if chosen.keep:
                chosen.keep.mkdir(parents=True, exist_ok=True)
                name, data = _as_file(finding)
                (chosen.keep / name).write_bytes(data)
    told = ", ".join(f"{count} of {name}" for name, count in tried.items())
    print(f"{found} findings in {chosen.minutes:g} minutes, seed {chosen.seed}: {told}.")
    return int(found > 0)


def prepare_studio() -> None:
    """A studio in a folder that is thrown away, with one piece."""
    import atexit
    import logging
    import os
    import shutil
    import tempfile

    folder = tempfile.mkdtemp(prefix="gravel-fuzz-")
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    os.environ |= {"GRAVEL_DATA": folder, "DJANGO_SETTINGS_MODULE": "studio.settings"}
    import django

    django.setup()
    logging.disable(logging.CRITICAL)
    from django.core.management import call_command

    from studio.bench.models import Revision
    from studio.middleware import the_artist

    call_command("migrate", verbosity=0)
    recipe = start_from_nothing("waves", lambda _: b"", Engine())
    Revision.objects.keep_first(the_artist(), "Waves", recipe)


def _as_file(finding: Finding) -> tuple[str, bytes]:
    if isinstance(finding.case, tuple):
        return f"{finding.target}-{finding.number}-{finding.case[0]}", finding.case[1]
    return f"{finding.target}-{finding.number}.json", json.dumps(finding.case).encode()


if __name__ == "__main__":
    sys.exit(main())

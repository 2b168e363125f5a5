"""A delivery: all maps of a piece, its mesh, descriptions of the scene, the recipe and the notes, in one ZIP.

The same recipe and sources give the same bytes, on one thread or several. Files are made one after the other; while one
is packed the next is made, and each is on disk before many more are.
"""

from __future__ import annotations

import hashlib
import importlib
import zipfile
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, cast

import numpy as np

from relief.deliver import scenes
from relief.deliver.bundle import Bundle
from relief.deliver.dates import LONG_AGO
from relief.deliver.embedded import embedded_pictures
from relief.deliver.files import open_whole
from relief.deliver.maps import Maps
from relief.deliver.materials import as_mtl
from relief.deliver.note import Entry, note, page
from relief.deliver.plan import Planned, plan_maps, plan_test_card
from relief.errors import ReliefError
from relief.formats.meshes import AroundMesh
from relief.formats.writing import mesh_file, picture_file
from relief.progress import Part, Progress
from relief.recipe.delivery import AS_ALWAYS, Delivery
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline, ReadSource
from relief.surface.mesh import Mesh

PACKERS = 2
"""Files that are packed at once."""


@dataclass(frozen=True)
class File:
    """One file of a delivery."""

    entry: Entry
    data: bytes

    @property
    def name(self) -> str:
        return self.entry.name


def map_files(
    pipeline: Pipeline, engine: Engine, stem: str, delivery: Delivery = AS_ALWAYS, progress: Progress | None = None
) -> Iterator[File]:
    """All maps of a relief as files: normal, bump, displacement, colour, grey maps, what came along, and packed ones.

    Args:
        pipeline: the relief and its sources, at full size.
        engine: where stages are run.
        stem: what file names begin with.
        delivery: what is delivered, and how it is written.
        progress: told of each map; may cancel between two.

    Raises:
        Cancelled, PictureError.
    """
    maps = Maps(pipeline, engine)
    files = plan_maps(pipeline.relief, stem, delivery, maps.height.alpha is not None)
    return _made(maps, files, progress or Progress())


def test_card_files(pipeline: Pipeline, engine: Engine, stem: str, delivery: Delivery = AS_ALWAYS) -> Iterator[File]:
    """The test card's normal, bump and displacement map, made with the settings of the relief."""
    return _made(Maps(pipeline, engine), plan_test_card(pipeline.relief, stem, delivery), Progress())


def _made(maps: Maps, files: list[Planned], progress: Progress) -> Iterator[File]:
    def work() -> Iterator[Callable[[], bytes]]:
        for place, file in enumerate(files):
            progress.step(place / len(files), f"Making {file.title.lower()}")
            yield partial(picture_file, maps.pixels(file), file.ending, file.is_colour)

    for file, data in zip(files, side_by_side(work()), strict=True):
        yield File(maps.entry(file), data)


def side_by_side(work: Iterable[Callable[[], bytes]]) -> Iterator[bytes]:
    """What some functions return, in their order, while the next ones are made ready and called."""
    under_way: deque[Future[bytes]] = deque()
    with ThreadPoolExecutor(PACKERS) as pool:
        for each in work:
            under_way.append(pool.submit(each))
            if len(under_way) > PACKERS:
                yield under_way.popleft().result()
        while under_way:
            yield under_way.popleft().result()


def _load_scene(name: str) -> Any:
    """The module that writes a description of a scene; its libraries are loaded by who writes one only.

    Raises:
        ReliefError: they are not installed.
    """
    try:
        return importlib.import_module(f"{scenes.__name__}.{name}")
    except ModuleNotFoundError as problem:
        if (problem.name or "").startswith(scenes.__name__):
            raise
        raise ReliefError(
            f"Writing a .{name} file needs {problem.name}, which is not installed. Install it with: "
            "pip install 'zealous-gravel[scenes]'"
        ) from None


def make_ready(bundle: Bundle, file: Planned) -> Callable[[], bytes]:
    """What makes the bytes of a file; heavy computing is done before."""
    match file.name:
        case "note" | "page":
            write, told = (note if file.name == "note" else page), [*bundle.entries.values()]
            return lambda: write(bundle.title, bundle.sizes, told, bundle.recipe.delivery.unit).encode()
        case "mesh":
            return partial(_mesh_file, bundle, bundle.mesh_in_mm if bundle.mesh_format.unit else bundle.mesh)
        case "materials":
            return lambda: as_mtl(bundle).encode()
        case "residual":
            return partial(picture_file, cast("np.ndarray", bundle.built.residual), "png")
        case "mtlx" | "usda":
            return partial(_load_scene(file.name).write, bundle)
        case "sheet" | "sheet-pdf":
            from relief.deliver.sheet import sheet_file

            return partial(sheet_file, bundle, file.ending)
        case "recipe":
            return lambda: bundle.recipe.as_text(bundle.read_source).encode()
        case "contents":
            return lambda: bundle.contents().encode()
    return partial(picture_file, bundle.reliefs[file.relief].pixels(file), file.ending, file.is_colour)


def _mesh_file(bundle: Bundle, mesh: Mesh) -> bytes:
    pictures = embedded_pictures(bundle) if bundle.mesh_format.has_pictures else ()
    around = AroundMesh(bundle.recipe.delivery.unit, bundle.named("materials"), pictures)
    return mesh_file(mesh, bundle.recipe.delivery.mesh_format, around)


def delivery_files(
    recipe: Recipe,
    read_source: ReadSource,
    engine: Engine,
    title: str,
    progress: Progress,
    builds: Path | None = None,
) -> Iterator[File]:
    """All files of a delivery, the notes first; each is made when it is asked for.

    Args:
        recipe: what to make.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        title: the piece's name; file names are made of it.
        progress: told what is being done; may cancel between two steps.
        builds: a folder of finished builds; a mesh that is among them is not built again.

    Raises:
        Cancelled, TooManyFacesError, PictureError.
    """
    bundle = Bundle.of(recipe, read_source, engine, title, builds)
    progress.step(0.02, "Making the height at full size")
    for maps in bundle.reliefs.values():
        engine.run(maps.pipeline.height(), Part(progress, 0.02, 0.3))
    progress.step(0.3, "Building the mesh")
    told = bundle.entries  # what has to be computed for the notes, the mesh above all
    making = Part(progress, 0.6, 0.97)
    checksums: list[str] = []
    *files, last = bundle.files

    def work() -> Iterator[Callable[[], bytes]]:
        for place, file in enumerate(files):
            making.step(place / len(files), f"Making {file.title.lower()}")
            yield make_ready(bundle, file)

    for file, data in zip(files, side_by_side(work()), strict=True):
        checksums.append(f"{hashlib.sha256(data).hexdigest()}  {file.filename}\n")
        yield File(told.get(file.filename) or Entry(file.filename, file.title, file.format, ""), data)
    yield File(told[last.filename], "".join(checksums).encode())


def write_bundle(
    place: Path,
    recipe: Recipe,
    read_source: ReadSource,
    title: str,
    builds: Path | None,
    progress: Progress,
    engine: Engine | None = None,
) -> None:
    """Writes the ZIP of a delivery, whole or not at all. Takes and raises what `delivery_files` does."""
    with open_whole(place) as beside, zipfile.ZipFile(beside, "w") as archive:
        for file in delivery_files(recipe, read_source, engine or Engine(), title, progress, builds):
            about = zipfile.ZipInfo(file.name, LONG_AGO)
            about.external_attr = 0o644 << 16
            packed = file.name.rpartition(".")[2] in PACKED
            kind = zipfile.ZIP_STORED if packed else zipfile.ZIP_DEFLATED
            archive.writestr(about, file.data, kind, compresslevel=1)
        progress.step(0.98, "Packing")


PACKED = ("png", "tif", "exr", "jpg", "webp", "pdf")
"""Endings of files that are packed already."""

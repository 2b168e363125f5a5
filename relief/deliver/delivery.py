"""A delivery: all maps of a piece, its mesh, descriptions of the scene, the recipe and the notes, in one ZIP.

The same recipe and sources give the same bytes, on one thread or several. Files are made one after the other; while one
is packed the next is made, and each is on disk before many more are.
"""

from __future__ import annotations

import hashlib
import zipfile
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from relief.deliver.bundle import NO_STILLS, Bundle
from relief.deliver.dates import LONG_AGO
from relief.deliver.files import open_whole
from relief.deliver.maps import Maps
from relief.deliver.notes import Entry
from relief.deliver.plan import plan
from relief.deliver.plan_maps import plan_maps, plan_test_card
from relief.deliver.planned import Planned
from relief.deliver.writers import WRITERS
from relief.formats.writing import picture_file
from relief.progress import Part, Progress
from relief.recipe.delivery import AS_ALWAYS, Delivery
from relief.recipe.recipe import MAIN, Recipe
from relief.recipe.surface_edits import title_of
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline, ReadSource

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


def _make_ready(bundle: Bundle, file: Planned) -> Callable[[], bytes]:
    """What makes the bytes of a file; heavy computing is done before."""
    if file.writer:
        return WRITERS[file.writer].make(bundle, file)
    return partial(picture_file, bundle.reliefs[file.relief].pixels(file), file.ending, file.is_colour)


def _describe(bundle: Bundle, file: Planned) -> Entry:
    """What the notes say of a file."""
    if file == bundle.files[-1]:
        about = "The SHA-256 of every file here, as sha256sum -c takes them."
        return Entry(file.filename, file.title, file.format, about)
    if file.writer:
        return WRITERS[file.writer].describe(bundle, file)
    entry = bundle.reliefs[file.relief].entry(file)
    return entry if file.relief == MAIN else replace(entry, role=f"{title_of(file.relief)}: {entry.role.lower()}")


def delivery_files(
    recipe: Recipe,
    read_source: ReadSource,
    engine: Engine,
    title: str,
    progress: Progress,
    builds: Path | None = None,
    stills: Mapping[str, Path] = NO_STILLS,
) -> Iterator[File]:
    """All files of a delivery, the notes first; each is made when it is asked for.

    Args:
        recipe: what to make.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        title: the piece's name; file names are made of it.
        progress: told what is being done; may cancel between two steps.
        builds: a folder of finished builds; a mesh that is among them is not built again.
        stills: as `Bundle` has them.

    Raises:
        Cancelled, TooManyFacesError, PictureError.
    """
    bundle = Bundle.of(recipe, read_source, engine, title, builds, stills)
    progress.step(0.02, "Making the height at full size")
    for maps in bundle.reliefs.values():
        engine.run(maps.pipeline.height(), Part(progress, 0.02, 0.3))
    bundle.files += plan(bundle.recipe, title, bundle.reliefs[MAIN].height.alpha is not None, tuple(stills))
    progress.step(0.3, "Building the mesh")
    # what has to be computed for the notes, the mesh above all
    bundle.entries.update((file.filename, _describe(bundle, file)) for file in bundle.files)
    making = Part(progress, 0.6, 0.97)
    checksums: list[str] = []
    *files, last = bundle.files

    def work() -> Iterator[Callable[[], bytes]]:
        for place, file in enumerate(files):
            making.step(place / len(files), f"Making {file.title.lower()}")
            yield _make_ready(bundle, file)

    for file, data in zip(files, side_by_side(work()), strict=True):
        checksums.append(f"{hashlib.sha256(data).hexdigest()}  {file.filename}\n")
        yield File(bundle.entries[file.filename], data)
    yield File(bundle.entries[last.filename], "".join(checksums).encode())


def write_bundle(
    place: Path,
    recipe: Recipe,
    read_source: ReadSource,
    title: str,
    builds: Path | None,
    stills: Mapping[str, Path],
    progress: Progress,
    engine: Engine | None = None,
) -> None:
    """Writes the ZIP of a delivery, whole or not at all. Takes and raises what `delivery_files` does."""
    with open_whole(place) as beside, zipfile.ZipFile(beside, "w") as archive:
        for file in delivery_files(recipe, read_source, engine or Engine(), title, progress, builds, stills):
            about = zipfile.ZipInfo(file.name, LONG_AGO)
            about.external_attr = 0o644 << 16
            packed = file.name.rpartition(".")[2] in PACKED
            kind = zipfile.ZIP_STORED if packed else zipfile.ZIP_DEFLATED
            archive.writestr(about, file.data, kind, compresslevel=1)
        progress.step(0.98, "Packing")


PACKED = ("png", "tif", "exr", "jpg", "webp", "pdf")
"""Endings of files that are packed already."""

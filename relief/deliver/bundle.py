"""A delivery: all maps of a piece, its mesh, descriptions of the scene, the recipe and the notes, in one ZIP.

The same recipe and sources give the same bytes, on one thread or several. Files are made one after the other; while one
is packed the next is made, and each is on disk before many more are.
"""

from __future__ import annotations

import hashlib
import importlib
import json
import zipfile
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cached_property, partial
from pathlib import Path
from typing import Any, cast

import numpy as np

from relief.deliver import scenes
from relief.deliver.build import say_deviation, say_residual
from relief.deliver.dates import LONG_AGO
from relief.deliver.embedded import embedded_pictures
from relief.deliver.files import open_whole
from relief.deliver.maps import Maps
from relief.deliver.materials import as_mtl
from relief.deliver.note import Entry, note, page
from relief.deliver.plan import Planned, as_delivered, plan, plan_maps, plan_test_card
from relief.errors import ReliefError
from relief.figures import UNITS
from relief.formats.meshes import MESHES, AroundMesh, MeshFormat
from relief.formats.writing import mesh_file, picture_file
from relief.progress import Part, Progress
from relief.recipe.delivery import AS_ALWAYS, Delivery
from relief.recipe.recipe import MAIN, Recipe
from relief.recipe.surface_edits import title_of
from relief.run.built import Built
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline, ReadSource
from relief.surface.mesh import Mesh
from relief.surface.mesh import Part as MeshPart

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


@dataclass(frozen=True)
class Bundle:
    """What is delivered of a piece.

    Attributes:
        recipe: as its delivery asks for it.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        title: the piece's name; file names are made of it.
        surface: the stages of its surface, as it is delivered.
    """

    recipe: Recipe
    read_source: ReadSource
    engine: Engine
    title: str
    surface: SurfacePipeline

    @classmethod
    def of(
        cls, recipe: Recipe, read_source: ReadSource, engine: Engine, title: str, builds: Path | None = None
    ) -> Bundle:
        """That of a recipe. Raises as `SurfacePipeline.refuse_if_too_large` does."""
        recipe = as_delivered(recipe)
        surface = SurfacePipeline.of(recipe, read_source).final(builds=builds)
        if recipe.delivery.mesh == "displaced":
            surface.refuse_if_too_large(engine)
        return cls(recipe, read_source, engine, title, surface)

    @cached_property
    def reliefs(self) -> dict[str, Maps]:
        """The maps of each relief, by its key."""
        return {key: Maps(each, self.engine) for key, each in self.surface.pipelines.items()}

    @cached_property
    def files(self) -> list[Planned]:
        """What it holds, in order."""
        return plan(self.recipe, self.title, self.reliefs[MAIN].height.alpha is not None)

    @cached_property
    def built(self) -> Built:
        """The finished surface."""
        return self.engine.run(self.surface.built())  # type: ignore[no-any-return]

    @cached_property
    def undisplaced(self) -> Mesh:
        """The surface before it is displaced, in mm."""
        return self.engine.run(self.surface.undisplaced())  # type: ignore[no-any-return]

    @property
    def mesh_format(self) -> MeshFormat:
        """What its mesh is written as."""
        return MESHES[self.recipe.delivery.mesh_format]

    @property
    def mesh_in_mm(self) -> Mesh:
        """The mesh that is delivered, in mm."""
        return self.undisplaced if self.recipe.delivery.mesh == "base" else self.built.mesh

    @cached_property
    def mesh(self) -> Mesh:
        """The mesh that is delivered, in the unit of the delivery."""
        mesh, scale = self.mesh_in_mm, 1 / UNITS[self.recipe.delivery.unit]
        if scale == 1:
            return mesh
        middle = tuple(float(side * scale) for side in mesh.middle)
        return replace(mesh, positions=mesh.positions * mesh.positions.dtype.type(scale), middle=middle)  # type: ignore[arg-type]

    @property
    def parts(self) -> tuple[MeshPart, ...]:
        """Of its mesh: the regions; told without a mesh too."""
        displaced = self.recipe.delivery.mesh == "displaced"
        return (self.built.mesh if displaced else self.undisplaced).part_list

    @cached_property
    def entries(self) -> dict[str, Entry]:
        """What is said of each file but the notes themselves, by its name."""
        told = [file for file in self.files if file.name != "note"]
        return {file.filename: self._entry(file) for file in told}

    def named(self, name: str, relief: str = MAIN) -> str:
        """The file name of a planned file; empty where there is none."""
        return next((file.filename for file in self.files if (file.name, file.relief) == (name, relief)), "")

    def work(self, file: Planned) -> Callable[[], bytes]:
        """What makes the bytes of a file; heavy computing is done before."""
        match file.name:
            case "note" | "page":
                write, told = (note if file.name == "note" else page), [*self.entries.values()]
                return lambda: write(self.title, self.sizes, told, self.recipe.delivery.unit).encode()
            case "mesh":
                return partial(self._mesh_file, self.mesh_in_mm if self.mesh_format.unit else self.mesh)
            case "materials":
                return lambda: as_mtl(self).encode()
            case "residual":
                return partial(picture_file, cast("np.ndarray", self.built.residual), "png")
            case "mtlx" | "usda":
                return partial(_load_scene(file.name).write, self)
            case "sheet" | "sheet-pdf":
                from relief.deliver.sheet import sheet_file

                return partial(sheet_file, self, file.ending)
            case "recipe":
                return lambda: self.recipe.as_text(self.read_source).encode()
            case "contents":
                return lambda: self._contents().encode()
        return partial(picture_file, self.reliefs[file.relief].pixels(file), file.ending, file.is_colour)

    @property
    def sizes(self) -> dict[str, tuple[Any, Any]]:
        """Each relief and its height, by what it is called."""
        return {title_of(key): (maps.pipeline.relief, maps.height) for key, maps in self.reliefs.items()}

    def _mesh_file(self, mesh: Mesh) -> bytes:
        pictures = embedded_pictures(self) if self.mesh_format.has_pictures else ()
        around = AroundMesh(self.recipe.delivery.unit, self.named("materials"), pictures)
        return mesh_file(mesh, self.recipe.delivery.mesh_format, around)

    def _contents(self) -> str:
        """What each file means, for programs."""
        reliefs = {
            key: {
                "footprint_mm": list(maps.height.footprint.sides),
                "texels": [*maps.height.samples.shape[::-1]],
                "amplitude_mm": maps.pipeline.relief.amplitude,
                "midlevel": maps.pipeline.relief.midlevel,
                "wraps": list(maps.height.edges.wraps),
            }
            for key, maps in self.reliefs.items()
        }
        files = [
            {
                "name": file.filename,
                "relief": file.relief,
                "format": file.format,
                "read_as": "colour" if file.is_colour else "data",
                "bits": file.bits,
                **self.entries[file.filename].meaning,
            }
            for file in self.files
            if file.name not in ("note", "page", "contents", "checksums")
        ]
        told = {"title": self.title, "reliefs": reliefs, "files": files}
        return json.dumps(told, indent=2, ensure_ascii=False) + "\n"

    def _entry(self, file: Planned) -> Entry:
        """What the notes say of a planned file."""
        unit = self.recipe.delivery.unit
        match file.name:
            case "mesh":
                return self._about_mesh(file)
            case "materials":
                return Entry(file.filename, file.title, "Wavefront MTL", "Read along with the mesh.")
            case "residual":
                meaning = {"kind": "residual", "green": "up", "red": "right"}
                return Entry(file.filename, file.title, file.depth, say_residual(self.built), meaning)
            case "mtlx":
                about = f"A standard surface with maps, each with its colour space; displacement in {unit}."
                return Entry(file.filename, file.title, "MaterialX", about)
            case "usda":
                about = f"The mesh with a preview surface for each region, y up; lengths in {unit}, as it says."
                return Entry(file.filename, file.title, "USD", about)
            case "sheet" | "sheet-pdf":
                return Entry(file.filename, file.title, file.format, "To be shown: the relief, its maps, a section.")
            case "page":
                return Entry(file.filename, file.title, "HTML", "These notes as a page.")
            case "checksums":
                about = "The SHA-256 of every file here, as sha256sum -c takes them."
                return Entry(file.filename, file.title, "text", about)
            case "recipe":
                about = "Everything needed to make these files again from the source."
                return Entry(file.filename, "Recipe", "JSON", about)
            case "contents":
                return Entry(file.filename, file.title, "JSON", "The same as these notes, for programs.")
        entry = self.reliefs[file.relief].entry(file)
        return entry if file.relief == MAIN else replace(entry, role=f"{title_of(file.relief)}: {entry.role.lower()}")

    def _about_mesh(self, file: Planned) -> Entry:
        delivery, surface = self.recipe.delivery, self.surface.surface
        displaced = delivery.mesh == "displaced"
        unit = self.mesh_format.unit or delivery.unit
        about = f"{self.mesh_in_mm.faces} faces. Lengths in {unit}."
        if displaced:
            about += f" {say_deviation(self.built.off, surface.tessellation.allowed)}"
        else:
            about += " It is not displaced: the maps do that where it goes."
        if surface.regions and self.mesh_format.has_regions:
            about += " A group and a material for each region."
        tile = surface.is_plain and not surface.residual
        meaning = {"kind": "mesh", "displaced": displaced, "tile": tile, "unit": unit, "faces": self.mesh_in_mm.faces}
        return Entry(file.filename, file.title, self.mesh_format.title, about, meaning)


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
            yield bundle.work(file)

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

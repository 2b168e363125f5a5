"""A delivery: all maps of a piece at full size, its displaced plane, the recipe, and the note, in one ZIP.

The same recipe and sources give the same bytes. Files are made one after the other, and each is written before the next
one is made.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np

from relief.deliver.files import open_whole
from relief.deliver.images import png, tiff
from relief.deliver.meshes import mesh_file
from relief.deliver.note import Entry, note
from relief.deliver.plan import CARD, SEEN, Planned, plan, plan_maps, plan_test_card
from relief.filters.resample import resample
from relief.generate import test_card
from relief.height import HeightField
from relief.maps.displacement import displacement_range
from relief.maps.packing import Pack
from relief.progress import Part, Progress
from relief.recipe.edits import with_test_card
from relief.recipe.recipe import AS_ALWAYS, MAIN, Delivery, Recipe
from relief.recipe.relief import Relief
from relief.recipe.surface_edits import title_of
from relief.run.engine import Engine
from relief.run.finished import finish_map, packable
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline, ReadSource
from relief.sources.colour import eight_bits
from relief.surface.mesh import Mesh

LONG_AGO = (1980, 1, 1, 0, 0, 0)
"""The date of every file in a bundle: a bundle does not depend on when it was made."""


@dataclass(frozen=True)
class File:
    """One file of a delivery."""

    entry: Entry
    data: bytes

    @property
    def name(self) -> str:
        return self.entry.name


@dataclass(frozen=True)
class Maps:
    """Makes the maps of a relief, one at a time.

    Attributes:
        pipeline: the relief and its sources, at full size.
        engine: where stages are run.
        delivery: how many bits maps have.
    """

    pipeline: Pipeline
    engine: Engine
    delivery: Delivery = AS_ALWAYS

    @cached_property
    def height(self) -> HeightField:
        return self.engine.run(self.pipeline.height())

    @cached_property
    def displacing(self) -> HeightField:
        return self.engine.run(self.pipeline.displacing())

    @cached_property
    def card(self) -> Maps:
        """Those of the test card, made with the settings of this relief."""
        card = replace(self.pipeline, relief=with_test_card(self.pipeline.relief), longest=test_card.CARD)
        return replace(self, pipeline=card)

    def data(self, file: Planned) -> bytes:
        """The bytes of a planned file."""
        if file.name.startswith(CARD):
            return self.card.data(replace(file, name=file.name.removeprefix(CARD)))
        if file.name.startswith(SEEN):
            return png(eight_bits(self._find_cover(int(file.name.removeprefix(SEEN)))))
        match file.name:
            case "heights":
                return tiff(self.displacing.samples)
            case "mask" if self.height.alpha is not None:
                return png(eight_bits(self.height.alpha))
        return png(self.engine.run(finish_map(self.pipeline, file.name, self.delivery.bits_of(file.name))))

    def _find_cover(self, layer: int) -> np.ndarray:
        """Where a layer is seen, on the grid of the maps."""
        seen = self.engine.run(self.pipeline.cover(layer))
        return resample(seen, *self.height.size, "area", self.height.edges.wraps)

    def entry(self, file: Planned) -> Entry:
        """What the note says of a planned file."""
        relief = self.pipeline.relief
        if file.name.startswith(CARD):
            entry = self.card.entry(replace(file, name=file.name.removeprefix(CARD)))
            shows = test_card.SHOWS if entry.role.startswith("Normal") else "It shows the same as the normal map."
            return replace(entry, role=f"Test card: {entry.role.lower()}", reading=f"{entry.reading} {shows}")
        if file.name.startswith(SEEN):
            layer = relief.layers[int(file.name.removeprefix(SEEN))]
            about = f"White where “{layer.name}” is seen, black where what lies below is."
            return Entry(file.filename, "Mask of who won", file.depth, about)
        kind, _, rest = file.name.partition("-")
        match kind:
            case "normal":
                role, about = "Normal map, tangent space", _about_normal(relief)
            case "bump":
                role, about = "Bump map", self._about_bump()
            case "displacement":
                whole = displacement_range(self.displacing.samples)
                role, about = (
                    "Displacement map",
                    (
                        f"Black to white is {whole.amplitude(relief.amplitude):.6g} mm; the value "
                        f"{whole.midlevel(relief.midlevel):.6g} of 0 to 1 stays on the surface."
                    ),
                )
            case "heights":
                role, about = (
                    "Displacement map",
                    (
                        f"Heights as they are: one unit is {relief.amplitude:.6g} mm; the value {relief.midlevel:.6g} "
                        "stays on the surface."
                    ),
                )
            case "colour":
                role, about = "Colour", "Colour, read as sRGB."
            case "mask":
                role, about = "Mask", "White is covered by the relief, black is not."
            case "along":
                role, about = rest.capitalize(), "Data, read without any gamma."
            case "more":
                grey = relief.maps.more[int(rest)]
                role, about = grey.called, f"{grey.reads}{' Turned around.' if grey.inverted else ''}"
            case _:
                role, about = "Packed maps", _about_pack(relief, relief.maps.packs[int(rest)])
        named = rest if kind == "along" else kind
        about += "".join(
            f" It is unlinked: it lies {item.say()}." for item in relief.maps.unlinked if item.on and item.role == named
        )
        return Entry(file.filename, role, file.depth, about)

    def _about_bump(self) -> str:
        relief, most = self.pipeline.relief, 2 ** (self.delivery.bits_of("bump") or 8) - 1
        bump = relief.maps.bump.range(self.height.samples, relief.midlevel)
        level = bump.midlevel(relief.midlevel)
        stays = f"Grey {level * most:.0f} of {most}" if relief.maps.bump.full_range else f"Mid grey ({most // 2 + 1})"
        return f"{stays} stays. Black to white is {bump.amplitude(relief.amplitude):.6g} mm."


def _about_normal(relief: Relief) -> str:
    normal = relief.maps.normal
    red = "" if normal.red == "right" else " Red points left."
    made = "" if normal.of == "relief" else " The normal map that came along is in it."
    return f"Green points {normal.green}.{red} Strength {normal.strength:g}, kernel {normal.kernel}.{made}"


def _about_pack(relief: Relief, pack: Pack) -> str:
    """A packed picture, channel by channel, with what packing loses."""
    words = packable(relief)
    held = [
        f"{channel} {words.get(name, 'a value of ' + format(getattr(pack, f'{channel}_value'), 'g'))}"
        + (", turned around" if getattr(pack, f"{channel}_inverted") else "")
        for channel, name in pack.holds().items()
    ]
    costs = (cost.rstrip(".") for cost in pack.costs(relief.amplitude))
    return ". ".join(["; ".join(held).capitalize(), *costs]) + "."


def map_files(
    pipeline: Pipeline, engine: Engine, stem: str, delivery: Delivery = AS_ALWAYS, progress: Progress | None = None
) -> Iterator[File]:
    """All maps of a relief as files: normal, bump, displacement, colour, grey maps, what came along, and packed ones.

    Args:
        pipeline: the relief and its sources, at full size.
        engine: where stages are run.
        stem: what file names begin with.
        delivery: how many bits maps have.
        progress: told of each map; may cancel between two.

    Raises:
        Cancelled, PictureError.
    """
    maps = Maps(pipeline, engine, delivery)
    files = plan_maps(pipeline.relief, stem, delivery, maps.height.alpha is not None)
    return _made(maps, files, progress or Progress())


def test_card_files(pipeline: Pipeline, engine: Engine, stem: str, delivery: Delivery = AS_ALWAYS) -> Iterator[File]:
    """The test card's normal, bump and displacement map, made with the settings of the relief."""
    return _made(Maps(pipeline, engine, delivery), plan_test_card(pipeline.relief, stem, delivery), Progress())


def _made(maps: Maps, files: list[Planned], progress: Progress) -> Iterator[File]:
    for place, file in enumerate(files):
        progress.step(place / len(files), f"Making {file.title.lower()}")
        yield File(maps.entry(file), maps.data(file))


def delivery_files(
    recipe: Recipe, read_source: ReadSource, engine: Engine, title: str, progress: Progress
) -> Iterator[File]:
    """All files of a delivery, the note first; each is made when it is asked for.

    Args:
        recipe: what to make.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        title: the piece's name; file names are made of it.
        progress: told what is being done; may cancel between two steps.

    Raises:
        Cancelled, TooManyFacesError, PictureError.
    """
    surface = SurfacePipeline.of(recipe, read_source).final()
    surface.refuse_if_too_large(engine)
    reliefs = {key: Maps(each, engine, recipe.delivery) for key, each in surface.pipelines.items()}
    progress.step(0.02, "Making the height at full size")
    height = engine.run(reliefs[MAIN].pipeline.height(), Part(progress, 0.02, 0.5))
    first, *files = plan(recipe, title, height.alpha is not None)
    entries = {file.filename: _entry(surface, reliefs[file.relief], file) for file in files}
    sizes = {title_of(key): (maps.pipeline.relief, maps.height) for key, maps in reliefs.items()}
    yield File(Entry(first.filename, first.title, first.format, ""), note(title, sizes, [*entries.values()]).encode())
    making = Part(progress, 0.5, 0.95)
    library = next((file.filename for file in files if file.name == "materials"), "")
    for place, file in enumerate(files):
        making.step(place / len(files), f"Making {file.title.lower()}")
        match file.name:
            case "mesh":
                data = mesh_file(engine.run(surface.delivered()), "obj")
                data = f"mtllib {library}\n".encode() + data if library else data
            case "materials":
                data = _materials(engine.run(surface.delivered()), surface, files)
            case "recipe":
                data = recipe.as_text(read_source).encode()
            case _:
                data = reliefs[file.relief].data(file)
        yield File(entries[file.filename], data)


MATERIAL_MAPS = {"colour": "map_Kd", "along-roughness": "map_Pr", "along-metalness": "map_Pm"}
"""How a Wavefront MTL names maps; roughness and metalness as most programs extend it (common practice, no source)."""


def _materials(mesh: Mesh, surface: SurfacePipeline, files: list[Planned]) -> bytes:
    """A material for each region, with the maps of its relief (Wavefront MTL).

    The mesh is displaced, so what turns its normals or moves it once more is told in remarks alone.
    """
    carried = [surface.surface.relief, *(region.relief for region in surface.surface.regions)]
    lines = ["# The mesh is displaced already: normal, bump and displacement map are for a flat one."]
    for part, key in zip(mesh.part_list, carried, strict=True):
        lines += [f"newmtl {part.name.replace(' ', '_')}", "Kd 0.8 0.8 0.8", "illum 1"]
        maps = {file.name: file.filename for file in files if file.relief == key}
        lines += [f"{word} {maps[name]}" for name, word in MATERIAL_MAPS.items() if name in maps]
        lines += [f"# {name} map: {maps[name]}" for name in ("normal", "bump", "displacement") if name in maps]
        lines += [
            f"# {item.role} is unlinked: it lies {item.say()}."
            for item in (surface.pipelines[key].relief.maps.unlinked if key else ())
            if item.on
        ]
    return ("\n".join(lines) + "\n").encode()


def _entry(surface: SurfacePipeline, maps: Maps, file: Planned) -> Entry:
    """What the note says of a planned file."""
    match file.name:
        case "mesh":
            faces = maps.engine.run(surface.subdivided()).faces
            about = f"{faces} faces with texture coordinates and normals. Lengths in mm, y up, facing z."
            if surface.surface.regions:
                about += " A group and a material for each region."
            return Entry(file.filename, file.title, "Wavefront OBJ", about)
        case "materials":
            return Entry(file.filename, file.title, "Wavefront MTL", "Read along with the mesh.")
        case "recipe":
            about = "Everything needed to make these files again from the source."
            return Entry(file.filename, "Recipe", "JSON", about)
    entry = maps.entry(file)
    return entry if file.relief == MAIN else replace(entry, role=f"{title_of(file.relief)}: {entry.role.lower()}")


def write_bundle(
    place: Path, recipe: Recipe, read_source: ReadSource, engine: Engine, title: str, progress: Progress
) -> None:
    """Writes the ZIP of a delivery, whole or not at all. Takes and raises what `delivery_files` does."""
    with open_whole(place) as beside, zipfile.ZipFile(beside, "w") as archive:
        for file in delivery_files(recipe, read_source, engine, title, progress):
            about = zipfile.ZipInfo(file.name, LONG_AGO)
            about.external_attr = 0o644 << 16
            # pictures are packed already
            kind = zipfile.ZIP_STORED if file.name.endswith(".png") else zipfile.ZIP_DEFLATED
            archive.writestr(about, file.data, kind, compresslevel=4)
        progress.step(0.96, "Packing")

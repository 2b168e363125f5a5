"""A delivery: all maps of a piece at full size, its displaced plane, the recipe, and the note, in one ZIP.

The same recipe and sources give the same bytes.
"""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass, replace
from itertools import count

import numpy as np

from relief.deliver.files import safe_stem
from relief.deliver.images import png, tiff
from relief.deliver.meshes import obj
from relief.deliver.note import Entry, note
from relief.displace.displace import displaced
from relief.displace.forecast import refuse_if_too_large
from relief.filters.resample import resampled
from relief.generate.test_card import CARD, SHOWS
from relief.height import HeightField
from relief.maps.displacement import displacement_range
from relief.maps.packing import Pack
from relief.recipe.edits import with_test_card
from relief.recipe.recipe import AS_ALWAYS, Delivery, Recipe
from relief.recipe.relief import Relief
from relief.run.engine import Engine, Part, Progress
from relief.run.finished import delivered, finished, packable
from relief.run.pipeline import Pipeline, ReadSource
from relief.sources.colour import eight_bits
from relief.surface.mesh import Mesh
from relief.surface.plane import Plane, plane

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


def map_files(
    pipeline: Pipeline, engine: Engine, stem: str, delivery: Delivery = AS_ALWAYS, progress: Progress | None = None
) -> list[File]:
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
    relief, progress = pipeline.relief, progress or Progress()
    height, displacing = engine.run(pipeline.height()), engine.run(pipeline.displacing())
    called = delivered(relief)
    files = []
    for place, (name, title) in enumerate(called.items()):
        progress.step(place / len(called), f"Making {title.lower()}")
        pixels = engine.run(finished(pipeline, name, delivery.bits_of(name)))
        field = displacing if name == "displacement" else height
        files.append(File(_entry(relief, field, name, stem, pixels), png(pixels)))
        if name == "displacement":
            files.append(_float_displacement(relief, displacing, stem))
    if height.alpha is not None:
        cover = Entry(f"{stem}_mask.png", "Mask", "8 bit, grey", "White is covered by the relief, black is not.")
        files.append(File(cover, png(eight_bits(height.alpha))))
    return told_apart(files)


def _entry(relief: Relief, field: HeightField, name: str, stem: str, pixels: np.ndarray) -> Entry:
    """What the note says of a map that was made of a field."""
    kind, _, rest = name.partition("-")
    depth = f"{8 * pixels.dtype.itemsize} bit, {_channels(pixels)}"
    match kind:
        case "normal":
            return Entry(f"{stem}_normal.png", "Normal map, tangent space", depth, _about_normal(relief))
        case "bump":
            bump = relief.maps.bump.range(field.samples, relief.midlevel)
            level = bump.midlevel(relief.midlevel)
            most = np.iinfo(pixels.dtype).max
            stays = (
                f"Grey {level * most:.0f} of {most}" if relief.maps.bump.full_range else f"Mid grey ({most // 2 + 1})"
            )
            about = f"{stays} stays. Black to white is {bump.amplitude(relief.amplitude):.6g} mm."
            return Entry(f"{stem}_bump.png", "Bump map", depth, about)
        case "displacement":
            whole = displacement_range(field.samples)
            about = (
                f"Black to white is {whole.amplitude(relief.amplitude):.6g} mm; the value "
                f"{whole.midlevel(relief.midlevel):.6g} of 0 to 1 stays on the surface."
            )
            return Entry(f"{stem}_displacement.png", "Displacement map", depth, about)
        case "colour":
            return Entry(f"{stem}_colour.png", "Colour", depth, "Colour, read as sRGB.")
        case "along":
            about = "Data, read without any gamma."
            return Entry(f"{stem}_{safe_stem(rest)}.png", rest.capitalize(), depth, about)
        case "more":
            grey = relief.maps.more[int(rest)]
            about = f"{grey.reads}{' Turned around.' if grey.inverted else ''}"
            file = safe_stem(grey.name.lower()) if grey.name else grey.kind
            return Entry(f"{stem}_{file}.png", grey.called, depth, about)
        case _:
            return _packed_entry(relief, relief.maps.packs[int(rest)], stem, depth)


def _about_normal(relief: Relief) -> str:
    normal = relief.maps.normal
    red = "" if normal.red == "right" else " Red points left."
    made = "" if normal.of == "relief" else " The normal map that came along is in it."
    return f"Green points {normal.green}.{red} Strength {normal.strength:g}, kernel {normal.kernel}.{made}"


def _packed_entry(relief: Relief, pack: Pack, stem: str, depth: str) -> Entry:
    """A packed picture, channel by channel, with what packing loses."""
    words = packable(relief)
    held = [
        f"{channel} {words.get(name, 'a value of ' + format(getattr(pack, f'{channel}_value'), 'g'))}"
        + (", turned around" if getattr(pack, f"{channel}_inverted") else "")
        for channel, name in pack.holds().items()
    ]
    about = ". ".join(["; ".join(held).capitalize(), *(cost.rstrip(".") for cost in pack.costs(relief.amplitude))])
    return Entry(f"{stem}_{safe_stem(pack.name.lower())}.png", "Packed maps", depth, about + ".")


def _float_displacement(relief: Relief, field: HeightField, stem: str) -> File:
    about = (
        f"Heights as they are: one unit is {relief.amplitude:.6g} mm; the value {relief.midlevel:.6g} stays on the "
        "surface."
    )
    return File(Entry(f"{stem}_displacement.tif", "Displacement map", "32-bit float, grey", about), tiff(field.samples))


def test_card_files(pipeline: Pipeline, engine: Engine, stem: str, delivery: Delivery = AS_ALWAYS) -> list[File]:
    """The test card's normal, bump and displacement map, made with the settings of the relief."""
    card = replace(pipeline, relief=with_test_card(pipeline.relief), longest=CARD)
    files = []
    for name in ("normal", "bump", "displacement"):
        pixels = engine.run(finished(card, name, delivery.bits_of(name)))
        field = engine.run(card.displacing() if name == "displacement" else card.height())
        entry = _entry(card.relief, field, name, f"{stem}_test_card", pixels)
        shows = SHOWS if name == "normal" else "It shows the same as the normal map."
        entry = replace(entry, role=f"Test card: {entry.role.lower()}", reading=f"{entry.reading} {shows}")
        files.append(File(entry, png(pixels)))
    return files


def told_apart(files: list[File]) -> list[File]:
    """The files with a number after each name that another one has already."""
    given: set[str] = set()
    named = []
    for file in files:
        base, dot, ending = file.name.rpartition(".")
        names = (f"{base}{f'_{number}' if number > 1 else ''}{dot}{ending}" for number in count(1))
        name = next(name for name in names if name not in given)
        given.add(name)
        named.append(File(replace(file.entry, name=name), file.data))
    return named


def displaced_plane(surface: Plane, relief: Relief, height: HeightField) -> Mesh:
    """A plane moved by the height field of a relief.

    Raises:
        TooManyFacesError: more faces than are built.
    """
    refuse_if_too_large(surface, relief.final_footprint)
    base = plane(height.footprint, *surface.cells(relief.final_footprint))
    return displaced(base, height, relief.amplitude, relief.midlevel)


def won_files(pipeline: Pipeline, engine: Engine, height: HeightField, stem: str) -> list[File]:
    """For each layer that won by height, the mask of where it did."""
    made = []
    for number, layer in enumerate(pipeline.relief.layers[1:], start=1):
        if layer.on and layer.blend in ("taller", "lower"):
            seen = resampled(engine.run(pipeline.seen(number)), *height.samples.shape, "area", height.edges.wraps)
            about = f"White where “{layer.name}” is seen, black where what lies below is."
            entry = Entry(f"{stem}_seen_{number}_{safe_stem(layer.name)}.png", "Mask of who won", "8 bit, grey", about)
            made.append(File(entry, png(eight_bits(seen))))
    return made


def _channels(samples: np.ndarray) -> str:
    if samples.ndim == 2:
        return "grey"
    return "red green blue" + (" alpha" if samples.shape[2] == 4 else "")


def delivery_files(
    recipe: Recipe, read_source: ReadSource, engine: Engine, title: str, progress: Progress
) -> dict[str, bytes]:
    """All files of a delivery by their name, the note first.

    Args:
        recipe: what to make.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        title: the piece's name; file names are made of it.
        progress: told what is being done; may cancel between two steps.

    Raises:
        Cancelled, TooManyFacesError, PictureError.
    """
    pipeline, relief, delivery = Pipeline.of(recipe, read_source), recipe.main, recipe.delivery
    stem = safe_stem(title)
    refuse_if_too_large(recipe.surface, relief.final_footprint)
    progress.step(0.02, "Making the height at full size")
    height = engine.run(pipeline.height(), Part(progress, 0.02, 0.5))
    files = map_files(pipeline, engine, stem, delivery, Part(progress, 0.5, 0.75))
    files += won_files(pipeline, engine, height, stem)
    files += test_card_files(pipeline, engine, stem, delivery) if delivery.test_card else []
    files = told_apart(files)
    progress.step(0.75, "Displacing the plane")
    mesh = displaced_plane(recipe.surface, relief, engine.run(pipeline.displacing()))
    progress.step(0.8, "Writing the mesh")
    about_mesh = f"{len(mesh.faces)} quads with texture coordinates and normals. Lengths in mm, y up, facing z."
    files.append(File(Entry(f"{stem}_plane.obj", "Displaced plane", "Wavefront OBJ", about_mesh), obj(mesh)))
    about_recipe = "Everything needed to make these files again from the source."
    files.append(File(Entry("recipe.json", "Recipe", "JSON", about_recipe), recipe.as_text().encode()))
    text = note(title, relief, height, [file.entry for file in files])
    return {"READ-ME.txt": text.encode()} | {file.name: file.data for file in files}


def bundle(recipe: Recipe, read_source: ReadSource, engine: Engine, title: str, progress: Progress) -> bytes:
    """The ZIP of a delivery. Takes and raises what `delivery_files` does."""
    files = delivery_files(recipe, read_source, engine, title, progress)
    progress.step(0.9, "Packing")
    return _zip(files)


def _zip(files: dict[str, bytes]) -> bytes:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        for name, data in files.items():
            place = zipfile.ZipInfo(name, LONG_AGO)
            place.external_attr = 0o644 << 16
            # pictures are packed already
            kind = zipfile.ZIP_STORED if name.endswith(".png") else zipfile.ZIP_DEFLATED
            archive.writestr(place, data, kind, compresslevel=4)
    return packed.getvalue()

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
from relief.engine import Engine, Part, Progress
from relief.height import HeightField
from relief.maps.displacement import bump_range, displacement_range
from relief.maps.normal import normal_map
from relief.pipeline import Pipeline
from relief.recipe import Recipe
from relief.resample import resampled
from relief.surface.mesh import Mesh
from relief.surface.plane import plane

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


def map_files(recipe: Recipe, height: HeightField, stem: str) -> list[File]:
    """Normal, bump and displacement maps as files; and the mask of a relief that covers only part of its footprint."""
    normal = recipe.maps.normal
    bits = recipe.delivery.normal_bits
    bump = bump_range(height.samples, recipe.midlevel)
    whole = displacement_range(height.samples)
    mask = []
    if height.alpha is not None:
        cover = Entry(f"{stem}_mask.png", "Mask", "8 bit, grey", "White is covered by the relief, black is not.")
        mask = [File(cover, png(np.rint(height.alpha * 255).astype(np.uint8)))]
    files = [
        File(
            Entry(
                f"{stem}_normal.png", "Normal map, tangent space", f"{bits} bit, red green blue",
                f"Green points {normal.green}. Strength {normal.strength:g}, kernel {normal.kernel}.",
            ),
            png(normal_map(height, recipe.amplitude, normal, bits)),
        ),
        File(
            Entry(
                f"{stem}_bump.png", "Bump map", "8 bit, grey",
                f"Mid grey (128) stays. Black to white is {bump.amplitude(recipe.amplitude):.6g} mm.",
            ),
            png(bump.coded(height.samples, 8)),
        ),
        File(
            Entry(
                f"{stem}_displacement.png", "Displacement map", "16 bit, grey",
                f"Black to white is {whole.amplitude(recipe.amplitude):.6g} mm; the value "
                f"{whole.midlevel(recipe.midlevel):.6g} of 0 to 1 stays on the surface.",
            ),
            png(whole.coded(height.samples, 16)),
        ),
        File(
            Entry(
                f"{stem}_displacement.tif", "Displacement map", "32-bit float, grey",
                f"Heights as they are: one unit is {recipe.amplitude:.6g} mm; the value {recipe.midlevel:.6g} stays on "
                "the surface.",
            ),
            tiff(height.samples),
        ),
        *mask,
        *_grey_maps(recipe, height, stem),
    ]  # fmt: skip
    return told_apart(files)


def _grey_maps(recipe: Recipe, height: HeightField, stem: str) -> list[File]:
    """The grey maps beside the others."""
    made = []
    for grey in recipe.maps.more:
        if grey.on:
            reads = f"{grey.reads}{' Turned around.' if grey.inverted else ''}"
            entry = Entry(f"{stem}_{grey.kind}.png", grey.title, "8 bit, grey", reads)
            made.append(File(entry, png(grey.coded(height, recipe.amplitude))))
    return made


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


def displaced_plane(recipe: Recipe, height: HeightField) -> Mesh:
    """The recipe's plane moved by its height field.

    Raises:
        TooManyFacesError: more faces than are built.
    """
    refuse_if_too_large(recipe.surface, recipe.relief_footprint)
    base = plane(height.footprint, *recipe.surface.cells(recipe.relief_footprint))
    return displaced(base, height, recipe.amplitude, recipe.midlevel)


def companion_files(pipeline: Pipeline, engine: Engine, height: HeightField, stem: str) -> list[File]:
    """Colour, roughness and so on, laid as the height is; and for each layer that won by height where it did."""
    rows, columns = height.samples.shape
    wraps = height.edges.wraps
    made = []
    for role in pipeline.recipe.companion_roles():
        samples = resampled(engine.run(pipeline.companion(role)), rows, columns, "area", wraps)
        kind = "Colour, read as sRGB." if role == "colour" else "Data, read without any gamma."
        entry = Entry(f"{stem}_{safe_stem(role)}.png", role.capitalize(), f"8 bit, {_channels(samples)}", kind)
        made.append(File(entry, png(np.rint(np.clip(samples, 0, 1) * 255).astype(np.uint8))))
    for number, layer in enumerate(pipeline.recipe.layers[1:], start=1):
        if layer.on and layer.blend in ("taller", "lower"):
            seen = resampled(engine.run(pipeline.seen(number)), rows, columns, "area", wraps)
            about = f"White where “{layer.name}” is seen, black where what lies below is."
            entry = Entry(f"{stem}_seen_{number}_{safe_stem(layer.name)}.png", "Mask of who won", "8 bit, grey", about)
            made.append(File(entry, png(np.rint(np.clip(seen, 0, 1) * 255).astype(np.uint8))))
    return made


def _channels(samples: np.ndarray) -> str:
    return "red green blue" if samples.ndim == 3 else "grey"


def delivery_files(pipeline: Pipeline, engine: Engine, title: str, progress: Progress) -> dict[str, bytes]:
    """All files of a delivery by their name, the note first.

    Args:
        pipeline: the recipe and its sources, at full size.
        engine: where stages are run.
        title: the piece's name; file names are made of it.
        progress: told what is being done; may cancel between two steps.

    Raises:
        Cancelled, TooManyFacesError, PictureError.
    """
    recipe = pipeline.recipe
    stem = safe_stem(title)
    refuse_if_too_large(recipe.surface, recipe.relief_footprint)
    progress.step(0.02, "Making the height at full size")
    height = engine.run(pipeline.height(), Part(progress, 0.02, 0.6))
    progress.step(0.6, "Writing the maps")
    files = map_files(recipe, height, stem)
    progress.step(0.7, "Writing what goes along")
    files = told_apart(files + companion_files(pipeline, engine, height, stem))
    progress.step(0.75, "Displacing the plane")
    mesh = displaced_plane(recipe, height)
    progress.step(0.8, "Writing the mesh")
    about_mesh = f"{len(mesh.faces)} quads with texture coordinates and normals. Lengths in mm, y up, facing z."
    files.append(File(Entry(f"{stem}_plane.obj", "Displaced plane", "Wavefront OBJ", about_mesh), obj(mesh)))
    about_recipe = "Everything needed to make these files again from the source."
    files.append(File(Entry("recipe.json", "Recipe", "JSON", about_recipe), recipe.as_text().encode()))
    text = note(title, recipe, height, [file.entry for file in files])
    return {"READ-ME.txt": text.encode()} | {file.name: file.data for file in files}


def bundle(pipeline: Pipeline, engine: Engine, title: str, progress: Progress) -> bytes:
    """The ZIP of a delivery. Takes and raises what `delivery_files` does."""
    files = delivery_files(pipeline, engine, title, progress)
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

"""How sources are looked at: alone, by channel, and lit."""

from __future__ import annotations

import math
import shutil
from dataclasses import replace
from pathlib import Path

import numpy as np
from django.conf import settings

from relief.deliver.files import write_whole
from relief.deliver.images import png
from relief.filters.resample import shrink
from relief.height import Edges, Footprint, HeightField
from relief.inspect.mesh_drawing import draw_mesh
from relief.inspect.readings import steepest
from relief.inspect.swatch import in_clay, swatch
from relief.maps.height_from_normals import slopes_of_normals
from relief.maps.normal import Normal, normal_map
from relief.maps.vectors import vectors_of
from relief.run.pipeline import reading
from relief.sources.colour import display, eight_bits, full_scale, grey_of_photo
from relief.sources.mesh.read import read_mesh
from relief.sources.picture import Picture
from relief.sources.roles import READING_OF
from relief.surface.shapes.own_mesh import OwnMesh
from relief.version import computation_version
from studio.shelf.engine import get_engine
from studio.shelf.models import Source, read_source

MESH_SWATCH = 320
"""Pixels of the drawing of a mesh."""

SWATCH = 512
"""Texels on the long side of a swatch."""

STEEPNESS = math.tan(math.radians(45))
"""What the steepest 5 % of a picture without known depth are lit at."""

WIDTH = 300.0
"""mm that a picture without known size is lit as."""


def decode_source(source: Source) -> Picture:
    """The picture of a source.

    Raises:
        PictureError: its file is gone.
    """
    return get_engine().run(reading(source.reference, read_source))


def show_picture(source: Source, picture: Picture, longest: int) -> np.ndarray:
    """The picture as it is looked at: uint8 (rows, columns[, 3]). Data beyond 0 to 1 is spread over its own range."""
    if picture.is_float and not picture.is_colour:
        return _spread(shrink(picture.pixels, longest))
    return eight_bits(display(picture, longest))


def channel(picture: Picture, name: str, longest: int) -> np.ndarray:
    """One channel alone: uint8 (rows, columns)."""
    return _spread(full_scale(shrink(np.ascontiguousarray(picture.channel(name)), longest)))


def _spread(samples: np.ndarray) -> np.ndarray:
    """Samples as uint8: 0 to 1 fills it, or what they reach beyond that."""
    low, high = min(0.0, float(samples.min())), max(1.0, float(samples.max()))
    return np.rint((samples - low) * (255 / (high - low))).astype(np.uint8)


def lit(source: Source, picture: Picture, longest: int) -> np.ndarray:
    """Normals to light the source by: uint16 (rows, columns, 3), green up."""
    if source.role == "normal" and picture.is_colour:
        across, up = slopes_of_normals(full_scale(shrink(picture.pixels, longest)), source.green)
        vectors = np.dstack([-across, -up, np.ones_like(across)])
        vectors /= np.linalg.norm(vectors, axis=2, keepdims=True)
        return np.rint((vectors * 0.5 + 0.5) * 65535).astype(np.uint16)
    field, amplitude = relief_of(source, picture, longest)
    return normal_map(field, amplitude, Normal(), 16)


def relief_of(source: Source, picture: Picture, longest: int) -> tuple[HeightField, float]:
    """A height field of a source, and an amplitude that lets it be seen."""
    picture = replace(picture, pixels=shrink(picture.pixels, longest))
    if READING_OF[source.role] == "photo":
        samples = grey_of_photo(picture, "luminance")
    else:
        samples = full_scale(np.ascontiguousarray(picture.channel("")))
    if source.inverted:
        samples = 1 - samples
    rows, columns = samples.shape
    field = HeightField(samples, Footprint(width=WIDTH, height=max(0.1, WIDTH * rows / columns)), Edges())
    now = math.tan(math.radians(min(steepest(field, 1.0), 89)))
    return field, STEEPNESS / now if now > 1e-6 else 1.0


def swatch_file(source: Source) -> bytes:
    """The PNG of a source as it lies on the shelf, made once and kept beside the sources.

    Raises:
        PictureError: the source's file is gone.
    """
    place = swatches_folder() / source.digest[:2] / f"{source.digest}-{source.look}.png"
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        write_whole(place, png(small(source, SWATCH)))
    return place.read_bytes()


def swatches_folder() -> Path:
    """Where the swatches lie that this version of the computation made."""
    return Path(settings.MEDIA_ROOT) / "swatches" / computation_version()[:16]


def clear_old_swatches() -> None:
    """Removes the swatches that other versions of the computation made."""
    for folder in swatches_folder().parent.glob("*"):
        if folder != swatches_folder():
            shutil.rmtree(folder, ignore_errors=True)


def small(source: Source, longest: int) -> np.ndarray:
    """A source on the shelf: colours as they are, data in relief. uint8 (rows, columns[, 3])."""
    if source.is_mesh:
        unit = source.mesh_facts.unit
        mesh = OwnMesh(unit=unit, merge=True).base(read_mesh(read_source(source.digest), source.filename))
        return draw_mesh(mesh, min(longest, MESH_SWATCH))
    picture = decode_source(source)
    if source.role in ("height", "normal"):
        if source.role == "normal" and picture.is_colour:
            return in_clay(vectors_of(full_scale(shrink(picture.pixels, longest)), source.green))
        field, amplitude = relief_of(source, picture, longest)
        return swatch(field, amplitude)
    return show_picture(source, picture, longest)

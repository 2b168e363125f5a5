"""What each stage of a relief computes: plain functions on arrays, put in order by `pipeline`."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import reduce

import cv2
import numpy as np

from relief.compose.blend import blend_layers
from relief.compose.imprints import Imprints, cost_of_presses, places_of_presses
from relief.compose.layout import Layout
from relief.compose.pressing import press_stamp
from relief.compose.strokes import Stroke, count_texels, draw_strokes
from relief.cost import Cost
from relief.depth.from_light import read_relief, samples_of, samples_of_told, waves_of
from relief.depth.learned import Told
from relief.depth.light import Light
from relief.depth.shading import Parted, Waves
from relief.filters.resample import Method, as_type, resample, resample_field, shrink
from relief.generate.generator import Generator, Grid
from relief.height import WRAPPED, Edges, Footprint, HeightField, fit_size
from relief.maps.height_from_normals import height_from_normals
from relief.maps.vectors import unit, vectors_of
from relief.progress import Progress
from relief.recipe.layer import Layer, Picture
from relief.sources import picture as pictures
from relief.sources.colour import (
    display,
    eight_bits,
    full_scale,
    grey_of_data,
    grey_of_photo,
    heights_of_levels,
    in_three_channels,
    shrink_to_scale,
)
from relief.sources.decode import decode
from relief.sources.facts import few_levels
from relief.sources.roles import Green
from relief.treat.treatment import Treatment
from relief.treat.turn import Turn

GROUND = 2048
"""Texels on the long side of relief that no picture gives a size to."""

FLAT = np.array([0, 0, 1], np.float32)
"""The normal of level ground."""

ReadSource = Callable[[str], bytes]
"""Gives the bytes of a source by its digest."""


@dataclass(frozen=True)
class Composite:
    """Layers put together.

    Attributes:
        field: the relief.
        cover: how much of each layer is seen where it was laid, by its number: float32 (rows, columns), 0 to 1.
    """

    field: HeightField
    cover: dict[int, np.ndarray]

    @property
    def nbytes(self) -> int:
        """Bytes of all its arrays."""
        return self.field.nbytes + sum(seen.nbytes for seen in self.cover.values())


def decode_source(read_source: ReadSource, digest: str, filename: str) -> pictures.Picture:
    """The `Picture` of a source; the ending of its name helps where its bytes do not say what they are."""
    return decode(read_source(digest), filename)


def display_colours(picture: pictures.Picture, longest: int | None) -> np.ndarray:
    """A picture as it is looked at: uint8 (rows, columns, 3), sRGB, `longest` texels on its long side at most."""
    small = eight_bits(display(picture, longest))
    return small if small.ndim == 3 else cv2.cvtColor(small, cv2.COLOR_GRAY2RGB)


def plain_colours() -> np.ndarray:
    """What stands for colours where no picture brings any: one grey texel, uint8 (1, 1, 3)."""
    return np.full((1, 1, 3), 190, np.uint8)


def read_companion(role: str, channel: str, longest: int | None, picture: pictures.Picture) -> np.ndarray:
    """A companion as floats: colours as they are displayed, data as they are."""
    if role == "colour":
        return display(picture, longest)
    samples = np.ascontiguousarray(picture.channel(channel or ("green" if picture.is_colour else "")))
    return shrink(full_scale(samples), longest)


def read_vectors(green: Green, rebuild_blue: bool, longest: int | None, picture: pictures.Picture) -> np.ndarray:
    """The unit vectors of a normal map; of a grey picture, which holds none, flat ones."""
    if not picture.is_colour:
        rows, columns = fit_size(picture.rows, picture.columns, longest)
        return np.broadcast_to(FLAT, (rows, columns, 3)).copy()
    return unit(shrink(vectors_of(picture.pixels, green, rebuild_blue), longest))


def resample_vectors(vectors: np.ndarray, field: HeightField) -> np.ndarray:
    """Vectors on the grid of a field, of length 1 again after they were mixed and resampled."""
    return unit(resample(vectors, *field.size, "area", field.edges.wraps))


def treat_companion(treatment: Treatment, role: str, companion: np.ndarray, field: HeightField) -> np.ndarray:
    """A companion after a treatment; it may have another number of texels than the height."""
    rows, columns = field.samples.shape
    if companion.shape[:2] != (rows, columns):
        companion = resample(np.asarray(companion, np.float32), rows, columns, "area", field.edges.wraps)
    moved = as_type(np.ascontiguousarray(treatment.follow(companion, field)), companion.dtype)
    return treatment.turn_vectors(moved) if role == "normal" else moved


def fit_companion(role: str, grid: Grid, companion: np.ndarray | None = None) -> np.ndarray:
    """A companion at the size of the grid; mid grey, or flat, where the ground has none."""
    if companion is None and role == "normal":
        return np.broadcast_to(FLAT, (grid.rows, grid.columns, 3)).copy()
    if companion is None:
        shape = (grid.rows, grid.columns, 3) if role == "colour" else (grid.rows, grid.columns)
        return np.full(shape, 0.5, np.float32)
    if role == "colour":
        companion = in_three_channels(companion)
    return resample(companion, grid.rows, grid.columns, "area", (False, False))


def blend_companion(number: int, below: np.ndarray, over: np.ndarray, composite: Composite) -> np.ndarray:
    """A companion over those below it, where its layer is seen: float32 (rows, columns[, 3])."""
    seen = composite.cover[number]
    if below.ndim == 3:
        over = in_three_channels(over)
        seen = seen[..., None]
    return below + seen * (over - below)


def press_colours(
    content: Imprints, grid: Grid, small: HeightField, colours: np.ndarray, progress: Progress
) -> np.ndarray:
    """The colours of imprints over one repeat, pressed at the places of their heights: float32 (rows, columns, 3)."""
    colours = resample(in_three_channels(colours), *small.size, "area", (False, False))
    places = places_of_presses(content, grid.footprint, WRAPPED.wraps)
    return press_stamp(small, places, grid, WRAPPED.wraps, colours, progress)[0]


def cost_of_colours(content: Imprints, grid: Grid, small: HeightField, _: np.ndarray) -> Cost:
    """What `press_colours` costs."""
    return cost_of_presses(content, grid, small)


def repeat_samples(
    role: str, layout: Layout, samples: np.ndarray, grid: Grid, second: np.ndarray | None = None
) -> np.ndarray:
    """A companion's repeats over the grid: float32 (rows, columns[, 3]). Normals turn with their layer."""
    cell = layout.cell(grid)
    if role == "normal":
        samples = Turn(quarters=layout.quarters).turn_vectors(samples)
    return layout.repeat(resample(samples, cell.rows, cell.columns, "area", (True, True)), grid, second)


def grid_of_picture(whole: Footprint, left: Footprint, longest: int | None, picture: pictures.Picture) -> Grid:
    """As many texels as the picture leaves after it was cut."""
    rows, columns = fit_size(picture.rows, picture.columns, longest)
    across, down = round(columns * left.width / whole.width), round(rows * left.height / whole.height)
    return Grid(max(1, down), max(1, across), left)


def grid_over_footprint(footprint: Footprint, resolution: int | None, longest: int | None) -> Grid:
    """A grid of square texels, nearly, over a footprint in mm, where no picture gives a size."""
    long_side = min(resolution or GROUND, longest or 1 << 30)
    scale = long_side / max(footprint.sides)
    return Grid(max(1, round(footprint.height * scale)), max(1, round(footprint.width * scale)), footprint)


def draw_generator(generator: Generator, grid: Grid, progress: Progress) -> HeightField:
    """A noise or pattern over a grid, in which it tiles."""
    return HeightField(generator.draw_slowly(grid, progress), grid.footprint, WRAPPED)


def level_ground(grid: Grid) -> HeightField:
    """A layer of height 0, which strokes or masks are for."""
    return HeightField(np.zeros((grid.rows, grid.columns), np.float32), grid.footprint, WRAPPED)


def press_imprints(content: Imprints, grid: Grid, small: HeightField, progress: Progress) -> HeightField:
    """Imprints over one repeat, at all their places; the field's alpha is where they reach."""
    places = places_of_presses(content, grid.footprint, WRAPPED.wraps)
    heights, cover = press_stamp(small, places, grid, WRAPPED.wraps, progress=progress)
    return HeightField(heights, grid.footprint, WRAPPED, cover)


def fit_ground(amount: float, rest: float, field: HeightField, grid: Grid) -> HeightField:
    """The first layer on the grid, as much of it as is wanted."""
    field = resample_field(field, grid.rows, grid.columns, "area")
    if amount != 1:
        field = field.with_samples(
            np.float32(rest) + np.float32(amount) * (field.samples - np.float32(rest)), abs(amount)
        )
    return replace(field, footprint=grid.footprint)


def find_second_copy(layout: Layout, field: HeightField, grid: Grid) -> np.ndarray | None:
    """Where the second copy of a layer is seen, when it is laid twice."""
    cell = layout.cell(grid)
    fitted = resample_field(field, cell.rows, cell.columns, "area")
    return layout.find_second_copy(fitted.samples, fitted.alpha, grid)


def repeat_field(
    layout: Layout, edges: Edges, field: HeightField, grid: Grid, second: np.ndarray | None = None
) -> HeightField:
    """A layer's repeats over the grid."""
    cell = layout.cell(grid)
    fitted = resample_field(field, cell.rows, cell.columns, "area")
    alpha = None if fitted.alpha is None else layout.repeat(fitted.alpha, grid, second)
    return HeightField(layout.repeat(fitted.samples, grid, second), grid.footprint, edges, alpha, fitted.grain)


def compose_ground(field: HeightField) -> Composite:
    """The ground with no layer over it."""
    return Composite(field, {})


def field_of(composite: Composite) -> HeightField:
    """The relief of a composite."""
    return composite.field


def cover_of_layer(layer: int, composite: Composite) -> np.ndarray:
    """How much of a layer is seen where it was laid; of the ground, what no other layer covers."""
    if layer == 0:
        covered = [np.float32(1) - part for part in composite.cover.values()]
        return reduce(np.multiply, covered, np.ones_like(composite.field.samples))
    return composite.cover.get(layer, np.ones_like(composite.field.samples))


def apply_strokes(read: Callable[[str], bytes], digests: tuple[str, ...], field: HeightField) -> HeightField:
    """A field after some strokes, which are read by their hashes."""
    return field.with_samples(draw_strokes(field, (Stroke.read(read(digest)) for digest in digests)))


def cost_of_strokes(read: Callable[[str], bytes], digests: tuple[str, ...], field: HeightField) -> Cost:
    """What `apply_strokes` costs."""
    texels = sum(count_texels(field, Stroke.read(read(digest))) for digest in digests)
    return Cost(texels, "Draw with a smaller radius, or shorter strokes.")


def blend_layer(
    number: int,
    layer: Layer,
    amplitude: float,
    below: Composite,
    over: HeightField,
    looked_at: HeightField | np.ndarray | None = None,
) -> Composite:
    """A layer over those below it, where its mask and its own alpha let it.

    The mask looks at what lies below, at another layer, or at a picture (rows, columns).
    """
    field = below.field
    mask: np.ndarray | None
    if isinstance(looked_at, np.ndarray):
        mask = layer.mask.of_picture(looked_at)
    else:
        mask = layer.mask.cover(replace(looked_at or field, amplitude=amplitude))
    by_hand = layer.content.works_below
    if over.alpha is not None and not by_hand:
        mask = over.alpha if mask is None else mask * over.alpha
    heights, seen = blend_layers(
        field.samples, over.samples, "replace" if by_hand else layer.blend, layer.amount,
        rest=type(layer.content).rest, offset=layer.offset, passage=layer.passage, mask=mask,
    )  # fmt: skip
    if by_hand:
        seen = np.zeros_like(heights)
    return Composite(field.with_samples(heights), {**below.cover, number: np.ascontiguousarray(seen)})


def read_grey(content: Picture, longest: int | None, picture: pictures.Picture) -> np.ndarray:
    """The samples of a picture before any treatment: float32 (rows, columns), 0 to 1 of whole numbers."""
    if content.reading == "photo":
        samples = grey_of_photo(picture, content.grey, content.hue, content.transfer)
    elif content.transfer != "srgb":
        return shrink_to_scale(picture.channel(content.channel), longest)
    else:
        samples = grey_of_data(picture, content.channel, content.transfer)
    return np.ascontiguousarray(shrink(samples, longest), np.float32)


def height_of_grey(
    content: Picture, footprint: Footprint, edges: Edges, longest: int | None, grey: np.ndarray,
    picture: pictures.Picture, cell: Grid | None = None,
) -> HeightField:  # fmt: skip
    """Grey, float32 (rows, columns), over its footprint in mm, with the alpha, grain and levels of its picture."""
    footprint = cell.footprint if cell else footprint
    levels = few_levels(picture.pixels)
    if levels is not None:
        of_photo = content.grey if content.reading == "photo" else None
        levels = heights_of_levels(levels, picture, of_photo, content.transfer)
    return HeightField(grey, footprint, edges, read_alpha(picture, longest), picture.grain, levels=levels)


def make_waves(footprint: Footprint, edges: Edges, parted: Parted, cell: Grid | None = None) -> Waves:
    """A parted photo as waves, to which a light is then applied."""
    return waves_of(cell.footprint if cell else footprint, edges.wraps, parted)


def height_of_light(
    content: Picture, footprint: Footprint, edges: Edges, longest: int | None, read: Waves | Told,
    picture: pictures.Picture, cell: Grid | None = None,
) -> HeightField:  # fmt: skip
    """The height that the light in a photo tells, as the linear method or a network read it, at the photo's size."""
    footprint = cell.footprint if cell else footprint
    size = fit_size(picture.rows, picture.columns, longest)
    if isinstance(read, Told):
        samples = samples_of_told(content.light, size, footprint, edges.wraps, read)
    else:
        samples = samples_of(content.light, size, read)
    return HeightField(samples, footprint, edges, read_alpha(picture, longest))


def read_by_network(
    light: Light, footprint: Footprint, wraps: tuple[bool, bool], longest: int | None, picture: pictures.Picture,
    *more: Grid | Progress,
) -> Told:  # fmt: skip
    """What a network tells of a photo that lies over a footprint, or over one repeat, with texels of any shape."""
    *cell, progress = more
    if cell and isinstance(cell[0], Grid):
        footprint = cell[0].footprint
    assert isinstance(progress, Progress)
    ratio = footprint.width * picture.rows / (footprint.height * picture.columns)
    return read_relief(light, wraps, ratio, longest, picture, progress)


def read_alpha(picture: pictures.Picture, longest: int | None) -> np.ndarray | None:
    """The source's alpha, unless it covers everything."""
    if picture.alpha is None:
        return None
    alpha = np.clip(shrink(full_scale(picture.alpha), longest), 0, 1)
    return None if alpha.min() > 0.999 else alpha


def integrate_normals(
    content: Picture, footprint: Footprint, edges: Edges, longest: int | None, picture: pictures.Picture,
    cell: Grid | None = None,
) -> HeightField:  # fmt: skip
    """The height that has the slopes of a normal map."""
    footprint = cell.footprint if cell else footprint
    if not picture.is_colour:
        return HeightField(read_grey(content, longest, picture), footprint, edges, grain=picture.grain)
    pixels = shrink(full_scale(picture.pixels), longest)
    if content.rebuild_blue:
        pixels = vectors_of(pixels, rebuild_blue=True) * np.float32(0.5) + np.float32(0.5)
    spacing = footprint.width / pixels.shape[1], footprint.height / pixels.shape[0]
    samples, _ = height_from_normals(pixels, content.green, spacing, edges.wraps)
    return HeightField(samples, footprint, edges, read_alpha(picture, longest))


def set_amplitude(field: HeightField, amplitude: float) -> HeightField:
    """The field with its amplitude in mm, for what measures true slopes."""
    return replace(field, amplitude=amplitude)


def resize_for_maps(resolution: int | None, method: Method, longest: int | None, field: HeightField) -> HeightField:
    """The field at the resolution of the maps, a proxy at its own."""
    rows, columns = field.samples.shape
    now = max(rows, columns)
    wanted = min(resolution or now, longest or max(now, resolution or 0))
    scale = wanted / now
    return resample_field(field, max(1, round(rows * scale)), max(1, round(columns * scale)), method)

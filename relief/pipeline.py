"""The stages a recipe is made of, from the bytes of its sources to the height field.

The size is part of every stage: a proxy is the same recipe evaluated with a smaller `longest`. The full picture is kept
to the end; only the last stage brings it to the resolution of the maps. A recipe of one layer is that layer; where
there are more, each is laid on one grid over the one below.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np

from relief.compose.blend import blended
from relief.compose.imprints import Imprints, pressed, presses, stamp
from relief.compose.layout import Layout
from relief.compose.masks import FOLLOWS
from relief.compose.strokes import Strokes, worked
from relief.engine import Stage
from relief.generate.generator import Generator, Grid
from relief.height import Edges, Footprint, HeightField, fitted_size, shrunk
from relief.maps.height_from_normals import height_from_normals
from relief.recipe import Layer, Picture, Recipe
from relief.resample import Method, field_resampled, resampled
from relief.sources import picture as pictures
from relief.sources.colour import displayed, full_scale, grey_of_data, grey_of_photo
from relief.sources.decode import decode
from relief.treat.treatment import Treatment

WRAPPED = Edges(across="wrap", down="wrap")

PROXY = 1024
"""Texels on the long side of what is computed while a control is dragged."""

GROUND = 2048
"""Texels on the long side of relief that no picture gives a size to."""

ReadSource = Callable[[str], bytes]
"""Gives the bytes of a source by its digest."""


@dataclass(frozen=True)
class Composite:
    """Layers put together.

    Attributes:
        field: the relief.
        seen: how much of each layer is seen where it was laid, by its number: float32 (rows, columns), 0 to 1.
    """

    field: HeightField
    seen: dict[int, np.ndarray]

    @property
    def nbytes(self) -> int:
        return self.field.nbytes + sum(seen.nbytes for seen in self.seen.values())


@dataclass(frozen=True)
class Pipeline:
    """The stages of one recipe.

    Attributes:
        recipe: what to make.
        read_source: where the bytes come from.
        longest: texels on the long side of the result at most; none for as many as the recipe asks for.
    """

    recipe: Recipe
    read_source: ReadSource
    longest: int | None = None

    # one source

    def picture(self, key: str | None = None) -> Stage:
        """A decoded source: a `Picture`. Without a key, that of the ground."""
        source = self.recipe.sources[key or self.recipe.layers[0].source]
        ending = source.filename.rpartition(".")[2].lower()
        compute = partial(_decoded, self.read_source, source.digest, source.filename)
        return Stage("Reading the picture", compute, [source.digest, ending])

    def colour(self) -> Stage:
        """The ground's source as it is looked at: uint8 (rows, columns, 3)."""
        if not self.recipe.layers[0].source:
            return Stage("Plain grey", _plain)
        longest = self._longest_of_source
        return Stage("Shrinking the colours", partial(_colour, longest=longest), longest, (self.picture(),))

    # one layer

    def untreated(self, layer: int = 0) -> Stage:
        """The `HeightField` of a layer before any treatment."""
        chosen = self.recipe.layers[layer]
        content = chosen.content
        if layer == 0:
            footprint, edges, grid = self.recipe.footprint, self.recipe.edges, None
            resolution, longest = self.recipe.maps.resolution or None, self._longest_of_source
            whole = Stage(
                "Laying out the ground", partial(_grid_of, footprint, resolution, longest),
                [footprint.model_dump(), resolution, longest],
            )  # fmt: skip
        else:
            footprint, edges = Footprint(), WRAPPED
            grid = Stage("Cutting a repeat", chosen.layout.cell, chosen.layout.model_dump(), (self.grid(),))
        if isinstance(content, Picture):
            return self._of_picture(content, footprint, edges, grid)
        grid = grid or whole
        if isinstance(content, Generator):
            return Stage(content.title, partial(_drawn, content), content.model_dump(), (grid,))
        if isinstance(content, Imprints):
            inputs = (grid, self._stamp(content))
            return Stage("Pressing in", partial(_pressed, content), content.model_dump(exclude={"source"}), inputs)
        return Stage("Level ground", _level, None, (grid,))

    def _of_picture(self, content: Picture, footprint: Footprint, edges: Edges, grid: Stage | None) -> Stage:
        """The field of a picture, on its own footprint, or on that of one repeat."""
        longest = self._longest_of_source if grid is None else self.longest
        read = content.model_dump(exclude={"source", "companions"})
        place = [footprint.model_dump(), edges.model_dump()] if grid is None else None
        fitting = () if grid is None else (grid,)
        picture = self.picture(content.source)
        if content.reading == "normal":
            compute = partial(_integrated, content, footprint, edges, longest)
            return Stage("Finding the height", compute, [read, place, longest], (picture, *fitting))
        made = Stage("Making grey", partial(_grey, content, longest), [read, longest], (picture,))
        compute = partial(_laid_out, footprint, edges, longest)
        return Stage("Laying it out", compute, [place, longest], (made, picture, *fitting))

    def imprint_picture(self, layer: int) -> Stage | None:
        """The picture that a layer of imprints presses in, as a `HeightField`; none where it is a drawn shape."""
        content = self.recipe.layers[layer].content
        if not isinstance(content, Imprints) or content.shape != "picture" or not content.source:
            return None
        return self._of_picture(Picture(source=content.source, reading="height"), Footprint(), Edges(), None)

    def _stamp(self, content: Imprints) -> Stage:
        """The small relief of one imprint."""
        shape = content.model_dump(include={"shape", "size", "fade"})
        if content.shape != "picture" or not content.source:
            return Stage("Drawing an imprint", partial(stamp, content, None), shape)
        reading = Picture(source=content.source, reading="height")
        field = self._of_picture(reading, Footprint(), Edges(), None)
        return Stage("Cutting an imprint", partial(stamp, content), shape, (field,))

    def treated(self, until: int | None = None, layer: int = 0) -> Stage:
        """The `HeightField` of a layer after its treatments, or after the first `until` of them."""
        stage = self.untreated(layer)
        for treatment in self._switched_on(layer, until):
            stage = self._after(stage, treatment)
        return stage

    def _after(self, stage: Stage, treatment: Treatment) -> Stage:
        amplitude = self.recipe.amplitude if treatment.wants_amplitude else None
        if amplitude is not None:
            stage = Stage("Taking the amplitude", partial(_with_amplitude, amplitude=amplitude), amplitude, (stage,))
        return Stage(treatment.title, treatment.treat, treatment.model_dump(), (stage,))

    # all layers

    def grid(self) -> Stage:
        """The `Grid` that the layers are laid on. It depends on sizes only, so the ground may change beneath them."""
        recipe = self.recipe
        footprint, resolution = recipe.relief_footprint, recipe.maps.resolution or None
        place = [footprint.model_dump(), recipe.footprint.model_dump(), resolution, self.longest]
        if recipe.layers[0].source:
            compute = partial(_grid_of_picture, recipe.footprint, footprint, self._longest_of_source)
            return Stage("Laying out the grid", compute, [*place, self._longest_of_source], (self.picture(),))
        return Stage("Laying out the grid", partial(_grid_of, footprint, resolution, self.longest), place)

    def laid(self, layer: int) -> Stage:
        """The `HeightField` of one layer after its treatments, over the whole grid."""
        chosen = self.recipe.layers[layer]
        field = self.treated(layer=layer)
        if layer == 0:
            amount = chosen.amount if chosen.on else 0.0
            compute = partial(_ground, amount, type(chosen.content).rest)
            return Stage("Laying the ground", compute, [amount, chosen.content.kind], (field, self.grid()))
        compute = partial(_over_grid, chosen.layout, self.recipe.relief_edges)
        key = [chosen.layout.model_dump(), self.recipe.relief_edges.model_dump()]
        return Stage("Laying it out", compute, key, (field, self.grid()))

    def composite(self, top: int | None = None) -> Stage:
        """The `Composite` of the layers up to one, all of them when none is named."""
        top = len(self.recipe.layers) - 1 if top is None else top
        if top == 0:
            return Stage("The ground alone", _alone, None, (self.laid(0),))
        chosen = self.recipe.layers[top]
        below = self.composite(top - 1)
        if not chosen.on:
            return below
        if isinstance(chosen.content, Strokes):
            strokes = chosen.content
            over = Stage("Hand strokes", partial(_worked, strokes), strokes.model_dump(), (below,))
            for treatment in self._switched_on(top):
                over = self._after(over, treatment)
        else:
            over = self.laid(top)
        inputs = [below, over]
        looked_at = chosen.mask.source in FOLLOWS and chosen.mask.layer >= 0 and chosen.mask.layer != top
        if looked_at:
            inputs.append(self.laid(min(chosen.mask.layer, len(self.recipe.layers) - 1)))
        amplitude = self.recipe.amplitude if chosen.mask.source == "slope" else 1.0
        settings = chosen.model_dump(include={"amount", "blend", "offset", "passage", "mask"})
        compute = partial(_laid_over, top, chosen, amplitude)
        return Stage("Laying a layer over", compute, [top, settings, chosen.content.kind, amplitude], tuple(inputs))

    def height(self, until: int | None = None) -> Stage:
        """The finished `HeightField` at the maps' resolution; or the ground after its first `until` treatments."""
        maps = self.recipe.maps
        if until is not None or self._is_plain:
            field = self.treated(until)
        else:
            field = Stage("The relief", _field_of, None, (self.composite(),))
        compute = partial(_sized, maps.resolution or None, maps.method, self.longest)
        return Stage("Bringing it to size", compute, [maps.resolution, maps.method, self.longest], (field,))

    @property
    def _is_plain(self) -> bool:
        """Whether there is one layer only, and all of it."""
        ground = self.recipe.layers[0]
        return len(self.recipe.layers) == 1 and ground.on and ground.amount == 1

    def seen(self, layer: int) -> Stage:
        """How much of a layer is seen where it was laid: float32 (rows, columns)."""
        return Stage("Who is seen", partial(_seen, layer), layer, (self.composite(),))

    # what goes along

    def laid_colour(self) -> Stage:
        """The colours of the relief: uint8 (rows, columns, 3). A set's colour map, else the ground's own picture."""
        if "colour" in self.recipe.companion_roles():
            return Stage("Eight bits", _eight_bits, None, (self.companion("colour"),))
        return self._followed(self.colour(), 0)

    def companion(self, role: str) -> Stage:
        """A companion of all layers together: float32 (rows, columns[, 3]), 0 to 1, seen where its layer is seen."""
        roles = [layer.companions.get(role) for layer in self.recipe.layers]
        grid = self.grid()
        ground = self._companion_of(0, role, roles[0]) if roles[0] else None
        if ground and self._is_plain:
            return ground
        stage = Stage(f"Laying {role}", partial(_on_grid, role), role, (grid, *((ground,) if ground else ())))
        if len(roles) == 1:
            return stage
        composite = self.composite()
        for number, layer in enumerate(self.recipe.layers[1:], start=1):
            over = self._companion_over(number, layer, role)
            if over is not None and layer.on:
                key = [role, number]
                stage = Stage(f"Laying {role} over", partial(_companion_over, number), key, (stage, over, composite))
        return stage

    def _companion_over(self, number: int, layer: Layer, role: str) -> Stage | None:
        """A layer's companion over the whole grid."""
        if isinstance(layer.content, Imprints) and role == "colour" and layer.source:
            picture = Stage("Colours", partial(_companion, role, self.longest), role, (self.picture(layer.source),))
            cell = Stage("Cutting a repeat", layer.layout.cell, layer.layout.model_dump(), (self.grid(),))
            content = layer.content
            inputs = (cell, self._stamp(content), picture)
            pressed_ = Stage("Pressing colours in", partial(_colours_pressed, content), content.model_dump(), inputs)
        elif role in layer.companions:
            pressed_ = self._companion_of(number, role, layer.companions[role])
        else:
            return None
        layout = layer.layout
        return Stage("Laying it out", partial(_samples_over_grid, layout), layout.model_dump(), (pressed_, self.grid()))

    def _companion_of(self, layer: int, role: str, key: str) -> Stage:
        longest = self._longest_of_source if layer == 0 else self.longest
        picture = Stage("Companion", partial(_companion, role, longest), [role, longest], (self.picture(key),))
        return self._followed(picture, layer)

    def _followed(self, companion: Stage, layer: int) -> Stage:
        """A companion taken through the treatments of a layer: cropped, turned and closed just as its height is."""
        field = self.untreated(layer)
        for treatment in self._switched_on(layer):
            if type(treatment).follow is not Treatment.follow:
                key = treatment.model_dump()
                companion = Stage(treatment.title, partial(_follow, treatment), key, (companion, field))
            field = self._after(field, treatment)
        return companion

    def _switched_on(self, layer: int, until: int | None = None) -> list[Treatment]:
        return [treatment for treatment in self.recipe.layers[layer].treatments[:until] if treatment.on]

    @property
    def _longest_of_source(self) -> int | None:
        """As many texels of the source as leave `longest` of them when the treatments have cut it."""
        if self.longest is None:
            return None
        whole, left = self.recipe.footprint, self.recipe.relief_footprint
        return math.ceil(self.longest * max(whole.width, whole.height) / max(left.width, left.height))


def _decoded(read_source: ReadSource, digest: str, filename: str) -> pictures.Picture:
    return decode(read_source(digest), filename)


def _colour(picture: pictures.Picture, longest: int | None) -> np.ndarray:
    small = np.rint(displayed(picture, longest) * 255).astype(np.uint8)
    return small if small.ndim == 3 else cv2.cvtColor(small, cv2.COLOR_GRAY2RGB)


def _plain() -> np.ndarray:
    return np.full((1, 1, 3), 190, np.uint8)


def _companion(role: str, longest: int | None, picture: pictures.Picture) -> np.ndarray:
    """A companion as floats: colours as they are displayed, data as they are."""
    if role == "colour":
        return displayed(picture, longest)
    samples = np.ascontiguousarray(picture.channel("green" if picture.is_colour else ""))
    return shrunk(full_scale(samples), longest)


def _follow(treatment: Treatment, companion: np.ndarray, field: HeightField) -> np.ndarray:
    """A companion after a treatment; it may have another number of texels than the height."""
    rows, columns = field.samples.shape
    if companion.shape[:2] != (rows, columns):
        companion = resampled(np.asarray(companion, np.float32), rows, columns, "area", field.edges.wraps)
    return np.ascontiguousarray(treatment.follow(companion, field)).astype(companion.dtype)


def _on_grid(role: str, grid: Grid, companion: np.ndarray | None = None) -> np.ndarray:
    """A companion at the size of the grid; mid grey where the ground has none."""
    if companion is None:
        shape = (grid.rows, grid.columns, 3) if role == "colour" else (grid.rows, grid.columns)
        return np.full(shape, 0.5, np.float32)
    if role == "colour" and companion.ndim == 2:
        companion = np.dstack([companion] * 3)
    return resampled(companion, grid.rows, grid.columns, "area", (False, False))


def _companion_over(number: int, below: np.ndarray, over: np.ndarray, composite: Composite) -> np.ndarray:
    seen = composite.seen[number]
    if below.ndim == 3:
        over = over if over.ndim == 3 else np.dstack([over] * 3)
        seen = seen[..., None]
    return below + seen * (over - below)


def _colours_pressed(content: Imprints, grid: Grid, small: HeightField, colours: np.ndarray) -> np.ndarray:
    colours = colours if colours.ndim == 3 else np.dstack([colours] * 3)
    colours = resampled(colours, *small.samples.shape, "area", (False, False))
    return pressed(small, presses(content, grid.footprint, (True, True)), grid, (True, True), colours)[0]


def _samples_over_grid(layout: Layout, samples: np.ndarray, grid: Grid) -> np.ndarray:
    cell = layout.cell(grid)
    return layout.laid(resampled(samples, cell.rows, cell.columns, "area", (True, True)), grid)


def _eight_bits(colours: np.ndarray) -> np.ndarray:
    return np.rint(np.clip(colours, 0, 1) * 255).astype(np.uint8)


def _grid_of_picture(whole: Footprint, left: Footprint, longest: int | None, picture: pictures.Picture) -> Grid:
    """As many texels as the picture leaves after it was cut."""
    rows, columns = fitted_size(picture.rows, picture.columns, longest)
    across, down = round(columns * left.width / whole.width), round(rows * left.height / whole.height)
    return Grid(max(1, down), max(1, across), left)


def _grid_of(footprint: Footprint, resolution: int | None, longest: int | None) -> Grid:
    long_side = min(resolution or GROUND, longest or 1 << 30)
    scale = long_side / max(footprint.sides)
    return Grid(max(1, round(footprint.height * scale)), max(1, round(footprint.width * scale)), footprint)


def _drawn(generator: Generator, grid: Grid) -> HeightField:
    return HeightField(generator.draw(grid), grid.footprint, WRAPPED)


def _level(grid: Grid) -> HeightField:
    return HeightField(np.zeros((grid.rows, grid.columns), np.float32), grid.footprint, WRAPPED)


def _pressed(content: Imprints, grid: Grid, small: HeightField) -> HeightField:
    places = presses(content, grid.footprint, WRAPPED.wraps)
    heights, cover = pressed(small, places, grid, WRAPPED.wraps)
    return HeightField(heights, grid.footprint, WRAPPED, cover)


def _ground(amount: float, rest: float, field: HeightField, grid: Grid) -> HeightField:
    """The first layer on the grid, as much of it as is wanted."""
    field = field_resampled(field, grid.rows, grid.columns, "area")
    if amount != 1:
        field = field.with_samples(
            np.float32(rest) + np.float32(amount) * (field.samples - np.float32(rest)), abs(amount)
        )
    return replace(field, footprint=grid.footprint)


def _over_grid(layout: Layout, edges: Edges, field: HeightField, grid: Grid) -> HeightField:
    """A layer's repeats over the grid."""
    cell = layout.cell(grid)
    fitted = field_resampled(field, cell.rows, cell.columns, "area")
    alpha = None if fitted.alpha is None else layout.laid(fitted.alpha, grid)
    return HeightField(layout.laid(fitted.samples, grid), grid.footprint, edges, alpha, fitted.grain)


def _alone(field: HeightField) -> Composite:
    return Composite(field, {})


def _field_of(composite: Composite) -> HeightField:
    return composite.field


def _seen(layer: int, composite: Composite) -> np.ndarray:
    return composite.seen.get(layer, np.ones_like(composite.field.samples))


def _worked(content: Strokes, below: Composite) -> HeightField:
    return below.field.with_samples(worked(below.field, content.strokes))


def _laid_over(
    number: int,
    layer: Layer,
    amplitude: float,
    below: Composite,
    over: HeightField,
    looked_at: HeightField | None = None,
) -> Composite:
    """A layer over those below it, where its mask and its own alpha let it."""
    field = below.field
    mask = layer.mask.cover(replace(looked_at or field, amplitude=amplitude))
    by_hand = isinstance(layer.content, Strokes)
    if over.alpha is not None and not by_hand:
        mask = over.alpha if mask is None else mask * over.alpha
    heights, seen = blended(
        field.samples, over.samples, "replace" if by_hand else layer.blend, layer.amount,
        rest=type(layer.content).rest, offset=layer.offset, passage=layer.passage, mask=mask,
    )  # fmt: skip
    if by_hand:
        seen = np.zeros_like(heights)
    return Composite(field.with_samples(heights), {**below.seen, number: np.ascontiguousarray(seen)})


def _grey(content: Picture, longest: int | None, picture: pictures.Picture) -> np.ndarray:
    if content.reading == "photo":
        samples = grey_of_photo(picture, content.grey, content.hue, content.transfer)
    else:
        samples = grey_of_data(picture, content.channel, content.transfer)
    return np.ascontiguousarray(shrunk(samples, longest), np.float32)


def _laid_out(
    footprint: Footprint, edges: Edges, longest: int | None, grey: np.ndarray, picture: pictures.Picture,
    cell: Grid | None = None,
) -> HeightField:  # fmt: skip
    footprint = cell.footprint if cell else footprint
    return HeightField(grey, footprint, edges, _alpha(picture, longest), picture.grain)


def _alpha(picture: pictures.Picture, longest: int | None) -> np.ndarray | None:
    """The source's alpha, unless it covers everything."""
    if picture.alpha is None:
        return None
    alpha = np.clip(shrunk(full_scale(picture.alpha), longest), 0, 1)
    return None if alpha.min() > 0.999 else alpha


def _integrated(
    content: Picture, footprint: Footprint, edges: Edges, longest: int | None, picture: pictures.Picture,
    cell: Grid | None = None,
) -> HeightField:  # fmt: skip
    """The height that has the slopes of a normal map."""
    footprint = cell.footprint if cell else footprint
    if not picture.is_colour:
        return HeightField(_grey(content, longest, picture), footprint, edges, grain=picture.grain)
    pixels = shrunk(full_scale(picture.pixels), longest)
    spacing = footprint.width / pixels.shape[1], footprint.height / pixels.shape[0]
    samples, _ = height_from_normals(pixels, content.green, spacing, edges.wraps)
    return HeightField(samples, footprint, edges, _alpha(picture, longest))


def _with_amplitude(field: HeightField, amplitude: float) -> HeightField:
    return replace(field, amplitude=amplitude)


def _sized(resolution: int | None, method: Method, longest: int | None, field: HeightField) -> HeightField:
    """The field at the resolution of the maps, a proxy at its own."""
    rows, columns = field.samples.shape
    now = max(rows, columns)
    wanted = min(resolution or now, longest or max(now, resolution or 0))
    scale = wanted / now
    return field_resampled(field, max(1, round(rows * scale)), max(1, round(columns * scale)), method)

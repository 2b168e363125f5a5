"""The stages a recipe is made of, from the bytes of its sources to the height field.

The size is part of every stage: a proxy is the same recipe evaluated with a smaller `longest`. The full picture is kept
to the end; only the last stage brings it to the resolution of the maps.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial

import cv2
import numpy as np

from relief.engine import Stage
from relief.height import Edges, Footprint, HeightField, shrunk
from relief.maps.height_from_normals import height_from_normals
from relief.recipe import Layer, Picture, Recipe
from relief.resample import Method, field_resampled
from relief.sources import picture as pictures
from relief.sources.colour import displayed, full_scale, grey_of_data, grey_of_photo
from relief.sources.decode import decode
from relief.treat.treatment import Placement, Treatment

PROXY = 1024
"""Texels on the long side of what is computed while a control is dragged."""

ReadSource = Callable[[str], bytes]
"""Gives the bytes of a source by its digest."""


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

    def picture(self) -> Stage:
        """The decoded source: a `Picture`."""
        source = self.recipe.sources[self._layer.content.source]
        ending = source.filename.rpartition(".")[2].lower()
        compute = partial(_decoded, self.read_source, source.digest, source.filename)
        return Stage("Reading the picture", compute, [source.digest, ending])

    def colour(self) -> Stage:
        """The source as it is looked at: uint8 (rows, columns, 3)."""
        longest = self._longest_of_source
        return Stage("Shrinking the colours", partial(_colour, longest=longest), longest, (self.picture(),))

    def laid_colour(self) -> Stage:
        """The source's colours where the relief has them: cropped, straightened and turned like it."""
        stage = self.colour()
        footprint, edges = self.recipe.footprint, self.recipe.edges
        for treatment in self._switched_on():
            if isinstance(treatment, Placement):
                key = [treatment.model_dump(), footprint.model_dump(), edges.model_dump()]
                stage = Stage(treatment.title, partial(_moved, treatment, footprint, edges), key, (stage,))
            footprint, edges = treatment.footprint_after(footprint, edges), treatment.edges_after(edges)
        return stage

    def untreated(self) -> Stage:
        """The `HeightField` before any treatment."""
        content, footprint, edges = self._layer.content, self.recipe.footprint, self.recipe.edges
        longest = self._longest_of_source
        key = [content.model_dump(exclude={"source"}), footprint.model_dump(), edges.model_dump(), longest]
        made = Stage("Making grey", partial(_grey, content, longest), [key[0], longest], (self.picture(),))
        if content.reading == "normal":
            compute = partial(_integrated, content, footprint, edges, longest)
            return Stage("Finding the height", compute, key, (self.picture(),))
        return Stage("Laying it out", partial(_laid_out, footprint, edges, longest), key[1:], (made, self.picture()))

    def treated(self, until: int | None = None) -> Stage:
        """The `HeightField` after the treatments, or after the first `until` of them."""
        stage = self.untreated()
        for treatment in self._switched_on(until):
            amplitude = self.recipe.amplitude if treatment.wants_amplitude else None
            if amplitude is not None:
                stage = Stage(
                    "Taking the amplitude", partial(_with_amplitude, amplitude=amplitude), amplitude, (stage,)
                )
            stage = Stage(treatment.title, treatment.treat, treatment.model_dump(), (stage,))
        return stage

    def height(self, until: int | None = None) -> Stage:
        """The finished `HeightField`, at the resolution of the maps; or as the first `until` treatments leave it."""
        maps = self.recipe.maps
        compute = partial(_sized, maps.resolution or None, maps.method, self.longest)
        return Stage(
            "Bringing it to size", compute, [maps.resolution, maps.method, self.longest], (self.treated(until),)
        )

    @property
    def _layer(self) -> Layer:
        return self.recipe.layers[0]

    def _switched_on(self, until: int | None = None) -> list[Treatment]:
        return [treatment for treatment in self._layer.treatments[:until] if treatment.on]

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


def _moved(treatment: Placement, footprint: Footprint, edges: Edges, samples: np.ndarray) -> np.ndarray:
    return np.ascontiguousarray(treatment.moved(samples, footprint, edges))


def _grey(content: Picture, longest: int | None, picture: pictures.Picture) -> np.ndarray:
    if content.reading == "photo":
        samples = grey_of_photo(picture, content.grey, content.hue, content.transfer)
    else:
        samples = grey_of_data(picture, content.channel, content.transfer)
    return np.ascontiguousarray(shrunk(samples, longest), np.float32)


def _laid_out(
    footprint: Footprint, edges: Edges, longest: int | None, grey: np.ndarray, picture: pictures.Picture
) -> HeightField:
    return HeightField(grey, footprint, edges, _alpha(picture, longest), picture.grain)


def _alpha(picture: pictures.Picture, longest: int | None) -> np.ndarray | None:
    """The source's alpha, unless it covers everything."""
    if picture.alpha is None:
        return None
    alpha = np.clip(shrunk(full_scale(picture.alpha), longest), 0, 1)
    return None if alpha.min() > 0.999 else alpha


def _integrated(
    content: Picture, footprint: Footprint, edges: Edges, longest: int | None, picture: pictures.Picture
) -> HeightField:
    """The height that has the slopes of a normal map."""
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

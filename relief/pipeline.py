"""The stages a recipe is made of, from the bytes of its sources to the height field.

The size is part of every stage: a proxy is the same recipe evaluated with a smaller `longest`.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import cv2
import numpy as np

from relief.engine import Stage
from relief.height import HeightField, shrunk
from relief.recipe import Layer, Recipe
from relief.sources.colour import full_scale, grey_of_data, grey_of_photo
from relief.sources.picture import Picture, decode

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
        longest: texels on the long side at most; none for the size of the source.
    """

    recipe: Recipe
    read_source: ReadSource
    longest: int | None = None

    def picture(self) -> Stage:
        """The decoded source: a `Picture`."""
        digest = self.recipe.sources[self._layer.content.source].digest
        return Stage("Reading the picture", partial(_decoded, self.read_source, digest), digest)

    def colour(self) -> Stage:
        """The source as it is looked at: uint8 (rows, columns, 3)."""
        return Stage("Shrinking the colours", partial(_colour, longest=self.longest), self.longest, (self.picture(),))

    def grey(self) -> Stage:
        """The source's heights before any treatment: float32 (rows, columns)."""
        content = self._layer.content
        compute = partial(_grey, reading=content.reading, grey=content.grey, longest=self.longest)
        return Stage("Making grey", compute, [content.reading, content.grey, self.longest], (self.picture(),))

    def untreated(self) -> Stage:
        """The `HeightField` before any treatment."""
        recipe = self.recipe
        place = partial(HeightField, footprint=recipe.footprint, edges=recipe.edges)
        return Stage("Laying it out", place, [recipe.footprint.model_dump(), recipe.edges.model_dump()], (self.grey(),))

    def height(self) -> Stage:
        """The finished `HeightField`."""
        stage = self.untreated()
        for treatment in self._layer.treatments:
            if treatment.on:
                stage = Stage(treatment.title, treatment.treat, treatment.model_dump(), (stage,))
        return stage

    @property
    def _layer(self) -> Layer:
        return self.recipe.layers[0]


def _decoded(read_source: ReadSource, digest: str) -> Picture:
    return decode(read_source(digest))


def _colour(picture: Picture, longest: int | None) -> np.ndarray:
    small = full_scale(shrunk(picture.pixels, longest))
    small = np.rint(np.clip(small, 0, 1) * 255).astype(np.uint8)
    return small if small.ndim == 3 else cv2.cvtColor(small, cv2.COLOR_GRAY2RGB)


def _grey(picture: Picture, reading: str, grey: str, longest: int | None) -> np.ndarray:
    samples = grey_of_photo(picture.pixels, grey) if reading == "photo" else grey_of_data(picture.pixels)
    return np.ascontiguousarray(shrunk(samples, longest), np.float32)

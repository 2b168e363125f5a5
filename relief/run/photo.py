"""The stages of a photo that is read by its light: where the light stood, its paint, its certainty, its height."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from relief.depth.from_light import guess_light, look_for_elevation, look_for_light, paint_of_told, part_picture
from relief.depth.learned import trust
from relief.depth.shading import certainty
from relief.height import Edges, Footprint
from relief.recipe.layer import Picture
from relief.run import stages
from relief.run.engine import Stage

GUESSED_AT = 1024
"""Texels on the long side of what the linear method looks for the light in."""


@dataclass(frozen=True)
class PhotoStages:
    """The stages of one photo, read by a network or by the linear method.

    Attributes:
        content: how it is read.
        picture: the decoded photo.
        footprint, edges: where it lies; of one repeat where there is a grid.
        longest: texels on the long side that it is read at, at most.
        grid: the one that its height is fitted to, where it is not the ground.
    """

    content: Picture
    picture: Stage
    footprint: Footprint
    edges: Edges
    longest: int | None
    grid: Stage | None = None

    def guessed(self) -> Stage:
        """Where the light stood as far as the photo tells, how sure that is, and whether it was even: a `Guess`."""
        name = "Estimating the light"
        if self.content.light.by_network:
            return Stage(name, look_for_light, "network", (self.picture, self._elevation), reports=True)
        return Stage(name, guess_light, None, (self.parted(GUESSED_AT),))

    def parted(self, longest: int | None) -> Stage:
        """The photo parted into light and paint by the linear method: a `Parted`."""
        paint = self.content.light.paint
        compute = partial(part_picture, paint, longest)
        return Stage("Separating albedo and shading", compute, [paint, longest], (self.picture,))

    def told(self) -> Stage:
        """What the network tells of the photo: a `Told`."""
        light, wraps, longest = self.content.light.light, self.edges.wraps, self.longest
        compute = partial(stages.read_by_network, light, self.footprint, wraps, longest)
        place = None if self.grid else self.footprint.model_dump()
        key = [light.azimuth, light.elevation, place, wraps, longest]
        return Stage("Reading the relief", compute, key, (self.picture, *self._fitting), reports=True)

    def certain(self) -> Stage:
        """How far the depth of each place can be trusted: float32 (rows, columns), 0 to 1."""
        if self.content.light.by_network:
            return Stage("Estimating certainty", trust, None, (self.told(),))
        fill = self.content.light.fill
        return Stage("Estimating certainty", partial(certainty, fill), fill, (self.parted(self.longest),))

    def paint(self) -> Stage:
        """What is taken for paint: logarithms about their mean, float32 (rows, columns)."""
        if self.content.light.by_network:
            compute = partial(paint_of_told, self.longest)
            return Stage("Separating the paint", compute, self.longest, (self.picture, self.told()))
        return Stage("Separating the paint", lambda parted: parted.paint, None, (self.parted(self.longest),))

    def height(self) -> Stage:
        """The `HeightField` that the light tells."""
        place = [self.footprint.model_dump(), self.edges.model_dump()] if self.grid is None else None
        if self.content.light.by_network:
            read = self.told()
        else:
            compute = partial(stages.make_waves, self.footprint, self.edges)
            inputs = (self.parted(self.longest), *self._fitting)
            read = Stage("Preparing the slopes", compute, [place, self.longest], inputs)
        made = partial(stages.height_of_light, self.content, self.footprint, self.edges, self.longest)
        told_as = [self.content.light.model_dump(), place, self.longest]
        return Stage("Finding the depth", made, told_as, (read, self.picture, *self._fitting))

    @property
    def _elevation(self) -> Stage:
        return Stage("Finding how high the light stood", look_for_elevation, None, (self.picture,))

    @property
    def _fitting(self) -> tuple[Stage, ...]:
        return () if self.grid is None else (self.grid,)

"""What is looked at for findings: what each folder of `relief.inspect.findings` is given."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from relief.filters.resample import shrink
from relief.height import HeightField
from relief.inspect.agreement import LOOKED_AT, agreement
from relief.inspect.readings import Readings
from relief.inspect.repeats import Telltale, telltales
from relief.inspect.shot import Shot
from relief.progress import Progress
from relief.recipe.delivery import Depth
from relief.recipe.layer import Picture as Content
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run.engine import Engine, Stage
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import Pipeline, ReadSource
from relief.sources.colour import full_scale
from relief.sources.picture import Picture
from relief.sources.roles import ROLE_NAMES, Green


@dataclass(frozen=True)
class SeenRelief:
    """A finished height field at full size.

    Attributes:
        pipeline: the relief and its sources.
        engine: where stages are run.
        height, measured: the height field, and its readings.
        bits: those that its normal map is delivered with.
        progress: may cancel.
    """

    pipeline: Pipeline
    engine: Engine
    height: HeightField
    measured: Readings
    bits: Depth = 8
    progress: Progress = field(default_factory=Progress)

    @property
    def relief(self) -> Relief:
        return self.pipeline.relief

    @property
    def steepest_of_normal_map(self) -> float:
        """The angle that the steepest 5 % of the normal map exceed, degrees; 0 where it is not made of the relief."""
        normal = self.relief.maps.normal
        if normal.of == "source" and "normal" in self.relief.companion_roles():
            return 0.0
        return math.degrees(math.atan(abs(normal.strength) * math.tan(math.radians(self.measured.steepest))))

    @cached_property
    def marks(self) -> list[Telltale]:
        """Places that stand out in every repeat; none where the ground is not a picture or nothing repeats."""
        if not self.relief.layers[0].source:
            return []
        looking = Stage("Looking for telltales", _telltales_of_tile, None, (self.pipeline.height(),))
        marks: list[Telltale] = self.engine.run(looking, self.progress)
        return marks

    @cached_property
    def shot(self) -> Shot | None:
        """What the samples of the ground's picture hold; none where it is not a picture."""
        if not self.relief.layers[0].source:
            return None
        shot: Shot = self.engine.run(Stage("Counting grey levels", Shot.of, None, (self.pipeline.picture(),)))
        return shot


def _telltales_of_tile(height: HeightField) -> list[Telltale]:
    return telltales(height) if all(height.edges.wraps) else []


@dataclass(frozen=True)
class SeenSource:
    """The ground's picture and how a piece reads it.

    Attributes:
        pipeline: the relief and its sources.
        engine: where stages are run.
        content: how the picture is read.
        picture, filename: the picture.
        set_kinds: the kinds of findings that were made in its texture set.
        needs_curve: whether the normal map of its set says that a display curve is in it.
    """

    pipeline: Pipeline
    engine: Engine
    content: Content
    picture: Picture
    filename: str
    set_kinds: frozenset[str] = frozenset()
    needs_curve: bool = False

    @property
    def relief(self) -> Relief:
        return self.pipeline.relief


@dataclass(frozen=True)
class SeenNormalMap:
    """A normal map, as it is stored, and the name of its file."""

    picture: Picture
    filename: str = ""

    @cached_property
    def vectors(self) -> np.ndarray:
        """Its pixels as directions, -1 to 1: float32 (rows, columns, 3)."""
        return full_scale(self.picture.pixels[..., :3]) * 2 - 1

    @cached_property
    def has_blue(self) -> bool:
        """Whether it is in colour and its blue is not left out."""
        if not self.picture.is_colour:
            return False
        return bool(np.ptp(self.vectors[..., 2]) or not np.ptp(self.vectors[..., :2]))


@dataclass(frozen=True)
class SeenSet:
    """The maps of a texture set by their role, as they are stored.

    Attributes:
        pictures: the maps.
        green: which way the green of the normal map is taken to point.
        inverted: whether the height is inverted already.
    """

    pictures: Mapping[str, Picture]
    green: Green = "up"
    inverted: bool = False

    def say_sizes(self) -> str:
        """The size of each map, in words."""
        return ", ".join(
            f"{ROLE_NAMES[role].lower()} {picture.columns} x {picture.rows}" for role, picture in self.pictures.items()
        )

    @property
    def normal(self) -> Picture | None:
        """The normal map, where there is one in colour."""
        normal = self.pictures.get("normal")
        return normal if normal is not None and normal.is_colour else None

    @cached_property
    def heights(self) -> np.ndarray | None:
        """The samples of the height image at full scale, float32 (rows, columns), where there is one."""
        height = self.pictures.get("height")
        return None if height is None else full_scale(np.ascontiguousarray(height.channel("")))

    @cached_property
    def normals(self) -> np.ndarray | None:
        """The pixels of the normal map as few as are compared, at full scale, float32 (rows, columns, 3)."""
        return None if self.normal is None else shrink(full_scale(self.normal.pixels), LOOKED_AT)

    @cached_property
    def agreement(self) -> tuple[float, float] | None:
        """How the slopes of the height and the normal map agree, across and up: 1 the same, -1 reversed."""
        if self.normals is None or self.heights is None:
            return None
        across, up = agreement(self.heights, self.normals, self.green)
        return (-across, -up) if self.inverted else (across, up)


@dataclass(frozen=True)
class SeenSurface:
    """A shape with its mapping: its stages, and where they are run."""

    pipeline: SurfacePipeline
    engine: Engine


@dataclass(frozen=True)
class SeenMesh:
    """A displaced mesh.

    Attributes:
        pipeline: the surface as it is looked at.
        engine: where stages are run.
        finest: the wavelength of the finest detail of the relief that is worked on, mm; none where it is flat.
    """

    pipeline: SurfacePipeline
    engine: Engine
    finest: float | None


@dataclass(frozen=True)
class SeenDelivery:
    """A piece as its delivery is set."""

    recipe: Recipe
    read_source: ReadSource
    engine: Engine

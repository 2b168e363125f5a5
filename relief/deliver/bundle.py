"""What a delivery holds: the maps, the mesh and the words of a piece as it is delivered."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any

from relief.deliver.maps import Maps
from relief.deliver.notes import Entry
from relief.deliver.plan_maps import apply_delivery
from relief.deliver.planned import Planned
from relief.figures import UNITS
from relief.formats.meshes import MESHES, MeshFormat
from relief.recipe.recipe import MAIN, Recipe
from relief.recipe.surface_edits import title_of
from relief.run.built import Built
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import ReadSource
from relief.surface.mesh import Mesh
from relief.surface.mesh import Part as MeshPart

if TYPE_CHECKING:
    from PIL.Image import Image

NO_STILLS: Mapping[str, Path] = MappingProxyType({})


@dataclass
class Bundle:
    """What is delivered of a piece.

    Attributes:
        recipe: as its delivery asks for it.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        title: the piece's name; file names are made of it.
        surface: the stages of its surface, as it is delivered.
        stills: pictures of it that were drawn before, PNG files by their names; the one to show first.
        files: as they are planned; filled in once the heights are made.
        entries: what the notes say of each file, by its name; filled in once the mesh is built.
        sheet: the proof sheet, once it is drawn.
    """

    recipe: Recipe
    read_source: ReadSource
    engine: Engine
    title: str
    surface: SurfacePipeline
    stills: Mapping[str, Path] = field(default_factory=dict)
    files: list[Planned] = field(default_factory=list)
    entries: dict[str, Entry] = field(default_factory=dict)
    sheet: Image | None = None

    @classmethod
    def of(
        cls,
        recipe: Recipe,
        read_source: ReadSource,
        engine: Engine,
        title: str,
        builds: Path | None = None,
        stills: Mapping[str, Path] = NO_STILLS,
    ) -> Bundle:
        """That of a recipe. Raises as `SurfacePipeline.refuse_if_too_large` does."""
        recipe = apply_delivery(recipe)
        surface = SurfacePipeline.of(recipe, read_source).final(builds=builds)
        if recipe.delivery.mesh == "displaced":
            surface.refuse_if_too_large(engine)
        return cls(recipe, read_source, engine, title, surface, stills)

    @cached_property
    def reliefs(self) -> dict[str, Maps]:
        """The maps of each relief, by its key."""
        return {key: Maps(each, self.engine) for key, each in self.surface.pipelines.items()}

    @cached_property
    def built(self) -> Built:
        """The finished surface."""
        return self.engine.run(self.surface.built())  # type: ignore[no-any-return]

    @cached_property
    def undisplaced(self) -> Mesh:
        """The surface before it is displaced, in mm."""
        return self.engine.run(self.surface.undisplaced())  # type: ignore[no-any-return]

    @property
    def mesh_format(self) -> MeshFormat:
        """What its mesh is written as."""
        return MESHES[self.recipe.delivery.mesh_format]

    @property
    def mesh_in_mm(self) -> Mesh:
        """The mesh that is delivered, in mm."""
        return self.undisplaced if self.recipe.delivery.mesh == "base" else self.built.mesh

    @cached_property
    def mesh(self) -> Mesh:
        """The mesh that is delivered, in the unit of the delivery."""
        mesh, scale = self.mesh_in_mm, 1 / UNITS[self.recipe.delivery.unit]
        if scale == 1:
            return mesh
        middle = tuple(float(side * scale) for side in mesh.middle)
        return replace(mesh, positions=mesh.positions * mesh.positions.dtype.type(scale), middle=middle)  # type: ignore[arg-type]

    @property
    def parts(self) -> tuple[MeshPart, ...]:
        """Of its mesh: the regions; told without a mesh too."""
        displaced = self.recipe.delivery.mesh == "displaced"
        return (self.built.mesh if displaced else self.undisplaced).part_list

    def file_named(self, filename: str) -> Planned:
        """The file of that name."""
        return next(file for file in self.files if file.filename == filename)

    def filename_of(self, name: str, relief: str = MAIN) -> str:
        """The file name of a planned file; empty where there is none."""
        return next((file.filename for file in self.files if (file.name, file.relief) == (name, relief)), "")

    @property
    def sizes(self) -> dict[str, tuple[Any, Any]]:
        """Each relief and its height, by what it is called."""
        return {title_of(key): (maps.pipeline.relief, maps.height) for key, maps in self.reliefs.items()}

"""What a delivery holds: the maps, the mesh and the words of a piece as it is delivered."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import Any

from relief.deliver.build import say_deviation, say_residual
from relief.deliver.maps import Maps
from relief.deliver.note import Entry
from relief.deliver.plan import Planned, apply_delivery, plan
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


@dataclass(frozen=True)
class Bundle:
    """What is delivered of a piece.

    Attributes:
        recipe: as its delivery asks for it.
        read_source: where the bytes of its sources come from.
        engine: where stages are run.
        title: the piece's name; file names are made of it.
        surface: the stages of its surface, as it is delivered.
    """

    recipe: Recipe
    read_source: ReadSource
    engine: Engine
    title: str
    surface: SurfacePipeline

    @classmethod
    def of(
        cls, recipe: Recipe, read_source: ReadSource, engine: Engine, title: str, builds: Path | None = None
    ) -> Bundle:
        """That of a recipe. Raises as `SurfacePipeline.refuse_if_too_large` does."""
        recipe = apply_delivery(recipe)
        surface = SurfacePipeline.of(recipe, read_source).final(builds=builds)
        if recipe.delivery.mesh == "displaced":
            surface.refuse_if_too_large(engine)
        return cls(recipe, read_source, engine, title, surface)

    @cached_property
    def reliefs(self) -> dict[str, Maps]:
        """The maps of each relief, by its key."""
        return {key: Maps(each, self.engine) for key, each in self.surface.pipelines.items()}

    @cached_property
    def files(self) -> list[Planned]:
        """What it holds, in order."""
        return plan(self.recipe, self.title, self.reliefs[MAIN].height.alpha is not None)

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

    @cached_property
    def entries(self) -> dict[str, Entry]:
        """What is said of each file but the notes themselves, by its name."""
        told = [file for file in self.files if file.name != "note"]
        return {file.filename: self._entry(file) for file in told}

    def named(self, name: str, relief: str = MAIN) -> str:
        """The file name of a planned file; empty where there is none."""
        return next((file.filename for file in self.files if (file.name, file.relief) == (name, relief)), "")

    @property
    def sizes(self) -> dict[str, tuple[Any, Any]]:
        """Each relief and its height, by what it is called."""
        return {title_of(key): (maps.pipeline.relief, maps.height) for key, maps in self.reliefs.items()}

    def contents(self) -> str:
        """What each file means, for programs."""
        reliefs = {
            key: {
                "footprint_mm": list(maps.height.footprint.sides),
                "texels": [*maps.height.samples.shape[::-1]],
                "amplitude_mm": maps.pipeline.relief.amplitude,
                "midlevel": maps.pipeline.relief.midlevel,
                "wraps": list(maps.height.edges.wraps),
            }
            for key, maps in self.reliefs.items()
        }
        files = [
            {
                "name": file.filename,
                "relief": file.relief,
                "format": file.format,
                "read_as": "colour" if file.is_colour else "data",
                "bits": file.bits,
                **self.entries[file.filename].meaning,
            }
            for file in self.files
            if file.name not in ("note", "page", "contents", "checksums")
        ]
        told = {"title": self.title, "reliefs": reliefs, "files": files}
        return json.dumps(told, indent=2, ensure_ascii=False) + "\n"

    def _entry(self, file: Planned) -> Entry:
        """What the notes say of a planned file."""
        unit = self.recipe.delivery.unit
        match file.name:
            case "mesh":
                return self._about_mesh(file)
            case "materials":
                return Entry(file.filename, file.title, "Wavefront MTL", "Read along with the mesh.")
            case "residual":
                meaning = {"kind": "residual", "green": "up", "red": "right"}
                return Entry(file.filename, file.title, file.depth, say_residual(self.built), meaning)
            case "mtlx":
                about = f"A standard surface with maps, each with its colour space; displacement in {unit}."
                return Entry(file.filename, file.title, "MaterialX", about)
            case "usda":
                about = f"The mesh with a preview surface for each region, y up; lengths in {unit}, as it says."
                return Entry(file.filename, file.title, "USD", about)
            case "sheet" | "sheet-pdf":
                return Entry(file.filename, file.title, file.format, "A page to show: the relief, its maps, a section.")
            case "page":
                return Entry(file.filename, file.title, "HTML", "These notes as a page.")
            case "checksums":
                about = "The SHA-256 of every file here, as sha256sum -c takes them."
                return Entry(file.filename, file.title, "text", about)
            case "recipe":
                about = "Everything needed to make these files again from the source."
                return Entry(file.filename, "Recipe", "JSON", about)
            case "contents":
                return Entry(file.filename, file.title, "JSON", "The same as these notes, for programs.")
        entry = self.reliefs[file.relief].entry(file)
        return entry if file.relief == MAIN else replace(entry, role=f"{title_of(file.relief)}: {entry.role.lower()}")

    def _about_mesh(self, file: Planned) -> Entry:
        delivery, surface = self.recipe.delivery, self.surface.surface
        displaced = delivery.mesh == "displaced"
        unit = self.mesh_format.unit or delivery.unit
        about = f"{self.mesh_in_mm.faces} faces. Lengths in {unit}."
        if displaced:
            about += f" {say_deviation(self.built.off, surface.tessellation.allowed)}"
        else:
            about += " It is not displaced: the receiving program does that with the maps."
        if surface.regions and self.mesh_format.has_regions:
            about += " A group and a material for each region."
        tile = surface.is_plain and not surface.residual
        meaning = {"kind": "mesh", "displaced": displaced, "tile": tile, "unit": unit, "faces": self.mesh_in_mm.faces}
        return Entry(file.filename, file.title, self.mesh_format.title, about, meaning)

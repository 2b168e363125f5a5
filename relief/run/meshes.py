"""The stages that a surface is made in: base mesh, subdivided, laid with reliefs, displaced.

Their results have their own size in bytes, and none depends on what comes after it: a drag of the mapping leaves the
subdivided mesh alone, a drag of the relief leaves the mapping.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any, Self

from relief.displace.forecast import (
    PREVIEW,
    Forecast,
    Limit,
    final_limit,
    forecast_levels,
    forecast_triangles,
    most_triangles,
    refuse_level,
)
from relief.displace.tessellate import too_many_triangles
from relief.height import Footprint
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run import mesh_stages as steps
from relief.run.built import built_place, read_built
from relief.run.engine import Engine, Stage
from relief.run.pipeline import Pipeline
from relief.run.stages import ReadSource
from relief.surface.base_form import BaseForm
from relief.surface.mesh import Mesh
from relief.surface.normals import open_hard_edges
from relief.surface.patches import Patch
from relief.surface.surface import Surface
from relief.surface.tessellation.levels import Levels

SKY = 512
"""Texels on the long side of the relief that hides the sky on the stage."""

NOT_CUT = {"unit", "level", "final_level", "square", "smooth_below", "residual", "reach"}
"""What of a surface says nothing of how its triangles are cut."""


@dataclass(frozen=True)
class SurfacePipeline:
    """The stages of a piece's surface.

    Attributes:
        surface: the shape, and how it is laid with reliefs.
        pipelines: of each relief that the piece has, by its key.
        limit: what is built at most.
        builds: a folder of finished builds, which are not made again.
    """

    surface: Surface
    pipelines: dict[str, Pipeline]
    limit: Limit = PREVIEW
    builds: Path | None = None

    @classmethod
    def of(cls, recipe: Recipe, read_source: ReadSource, longest: int | None = None) -> Self:
        """The stages of a recipe's surface; its reliefs have at most `longest` texels on their long side."""
        return cls(recipe.surface, {key: Pipeline.of(recipe, read_source, longest, key) for key in recipe.reliefs})

    def with_relief(self, relief: Relief) -> Self:
        """The same with another relief in the place of all."""
        return replace(self, pipelines={key: replace(each, relief=relief) for key, each in self.pipelines.items()})

    def final(self, limit: Limit | None = None, builds: Path | None = None) -> Self:
        """The same as it is delivered: at its final level, with a limit of its own; finished builds are taken."""
        final = self.with_level(self.surface.final_level or self.surface.level)
        return replace(final, limit=limit or final_limit(), builds=builds)

    def with_level(self, level: int) -> Self:
        """The same at another level of subdivision."""
        return replace(self, surface=self.surface.model_copy(update={"level": level}))

    def with_at_most(self, engine: Engine, faces: int) -> Self:
        """The same at the highest level, at most its own, that has no more than so many faces; at level 0 it may."""
        level = self.surface.level
        while level and self.with_level(level).forecast(engine).faces > faces:
            level -= 1
        return self.with_level(level)

    @property
    def footprint(self) -> Footprint:
        """Of the relief that the surface is made for."""
        return self._main.relief.final_footprint

    @property
    def _main(self) -> Pipeline:
        return self.pipelines.get(self.surface.relief) or next(iter(self.pipelines.values()))

    def base(self) -> Stage:
        """The base `Mesh`: before any subdivision, at its place, its faces turned if they are to be."""
        shape = self.surface.shape
        if not shape.source_key:
            return self._mesh("Making the base mesh", 0)
        source = self._main.sources[shape.source_key]
        reading = Stage(
            "Reading the mesh",
            partial(steps.read_own_mesh, self._main.read_source, source.digest, source.filename),
            [source.digest, source.filename.rpartition(".")[2].lower()],
        )
        whole = Stage("Mending the mesh", partial(steps.mend_mesh, shape), shape.model_dump(), (reading,))
        return Stage("Placing the mesh", partial(steps.place_mesh, self.surface), self._placed, (whole,))

    def subdivided(self) -> Stage:
        """The `Mesh` before it is displaced, raised by its base form: subdivided by levels, or tessellated.

        Raises:
            TooManyFacesError: more faces than are built; of an own mesh or a tessellation only when it is run.
        """
        surface = self._as_built()
        if surface.tessellation.even:
            return self._opened(self._raised(self._cut(surface.level)))
        compute = partial(steps.tessellate_surface, surface, self._patches(), most_triangles(self.surface, self.limit))
        return self._opened(self._on_carried("Tessellating the surface", compute, self._started(), reports=True))

    def _opened(self, whole: Stage) -> Stage:
        return Stage("Splitting hard edges", open_hard_edges, None, (whole,)) if self.surface.square else whole

    def _as_built(self) -> Surface:
        """The surface; of a budget that is more than can be looked at, as much as can."""
        way, most = self.surface.tessellation, most_triangles(self.surface, self.limit)
        if self.limit != PREVIEW or not way.most_faces or way.most_faces <= most:
            return self.surface
        return self.surface.model_copy(update={"tessellation": way.model_copy(update={"faces": most})})

    def predicted(self) -> Stage:
        """About how many triangles its tessellation will have: int."""
        compute = partial(steps.predict, self.surface, self._patches())
        return self._on_carried("Counting triangles", compute, self._started())

    def _started(self) -> Stage:
        """The mesh that a tessellation begins with."""
        smooth = self.surface.subdivision.kind == "smooth"
        return self._cut(self.surface.level) if smooth else self.base()

    def _patches(self) -> list[Patch] | None:
        """What new vertices of a tessellation are placed on, where they are not halfway between old ones."""
        ours = self.surface.subdivision.kind == "shape" and not self.surface.shape.source_key
        return self.surface.shape.patches(self.footprint) if ours else None

    def _on_carried(self, name: str, compute: Callable[..., Any], mesh: Stage, reports: bool = False) -> Stage:
        """A stage that looks at what lies on a mesh: `compute` takes the mesh and a `Carried`."""
        depths, footprints = self._depths(), self._footprints()
        known = [
            self._as_built().model_dump(exclude=NOT_CUT),
            {key: footprint.model_dump() for key, footprint in footprints.items()},
            depths,
        ]
        heights = (self.pipelines[key].displacing() for key in depths)
        loaded = partial(steps.with_carried, compute, self.surface, footprints, depths)
        return Stage(name, loaded, known, (self.base(), mesh, *heights), reports=reports)

    def _cut(self, level: int) -> Stage:
        """The mesh at a level of subdivision, not raised."""
        surface, shape = self.surface, self.surface.shape
        if surface.subdivision.kind == "shape" and not shape.source_key:
            refuse_level(self._costs(None), level, self.limit)
            return self._mesh("Subdividing the surface", level)
        known = [surface.model_dump(include={"subdivision"}), level]
        needed = (self.base(),)
        if surface.subdivision.at_regions:
            known.append(self._named)
        return Stage("Subdividing the surface", partial(steps.subdivide, surface, level, self.limit), known, needed)

    def _raised(self, whole: Stage) -> Stage:
        form = self.surface.form
        if form == BaseForm():
            return whole
        return Stage("Applying the base form", partial(steps.raise_mesh, form), form.model_dump(), (whole,))

    def _carried(self) -> list[str]:
        """The keys of the reliefs that it carries, in order."""
        return sorted(self.surface.relief_keys() & self.pipelines.keys())

    def _depths(self) -> dict[str, tuple[float, float]]:
        """Amplitude in mm and midlevel of each relief that it carries, in order."""
        reliefs = {key: self.pipelines[key].relief for key in self._carried()}
        return {key: (relief.amplitude, relief.midlevel) for key, relief in reliefs.items()}

    def _footprints(self) -> dict[str, Footprint]:
        return {key: each.relief.final_footprint for key, each in self.pipelines.items()}

    @property
    def _named(self) -> list:
        """What decides which faces its regions have."""
        return [region.model_dump(include={"parts", "grow"}) for region in self.surface.regions]

    @property
    def _placed(self) -> list:
        return [self.surface.turned, self.surface.place]

    def _mesh(self, name: str, level: int) -> Stage:
        shape, footprint = self.surface.shape, self.footprint
        compute = partial(steps.make_mesh, self.surface, footprint, level)
        return Stage(name, compute, [shape.model_dump(), footprint.model_dump(), level, *self._placed])

    def assigned(self) -> Stage:
        """The region of each face of the subdivided mesh: uint16 (faces,)."""
        compute = partial(steps.assign, self.surface.regions)
        return Stage("Finding the regions", compute, self._named, (self.base(), self.subdivided()))

    def covered(self) -> Stage:
        """The `CoveredMesh`: the subdivided mesh with the places of the reliefs on it."""
        surface = self.surface
        footprints = self._footprints()
        known = [
            surface.model_dump(include={"mapping", "relief", "regions"}),
            {key: footprint.model_dump() for key, footprint in footprints.items()},
        ]
        compute = partial(steps.cover_mesh, surface, footprints)
        return Stage("Mapping the relief", compute, known, (self.subdivided(), self.assigned()))

    def displaced(self) -> Stage:
        """The `Mesh` moved by the reliefs that lie on it. Raises as `subdivided` does."""
        depths = self._depths()
        heights = tuple(self.pipelines[key].displacing() for key in depths)
        alone = not self.surface.shape.upright and not self.surface.regions
        tile = self._main.relief.final_edges.wraps if alone else (False, False)
        smooth_below = self.surface.smooth_below
        compute = partial(steps.displace, depths, tile, smooth_below)
        known = [depths, tile, smooth_below]
        return Stage("Displacing the surface", compute, known, (self.subdivided(), self.covered(), *heights))

    def folds(self) -> Stage:
        """How many times as far each triangle could move until it folds: float32 (triangles,); below 1 it has."""
        return self._of_depths("Looking for folds", steps.measure_folds)

    def reach(self) -> Stage:
        """The lowest and the highest distance that the displaced surface has from its base, mm."""
        return self._of_depths("Measuring the reach", steps.measure_reach)

    def _of_depths(self, name: str, compute: Callable[..., Any]) -> Stage:
        """A stage that looks at the covered mesh and the heights on it."""
        depths = self._depths()
        heights = (self.pipelines[key].displacing() for key in depths)
        return Stage(name, partial(compute, depths), depths, (self.covered(), *heights))

    def turned_faces(self) -> Stage:
        """Which faces of the base mesh look the wrong way: bool (faces,)."""
        if self.surface.shape.source_key:
            return Stage("Looking for reversed faces", steps.find_turned, None, (self.base(),))
        compute = partial(steps.all_turned, self.surface.turned)  # a shape of ours is made the right way round
        return Stage("Looking for reversed faces", compute, self.surface.turned, (self.base(),))

    def split(self, size: int) -> Stage:
        """The `Split` of its detail: the displaced mesh in triangles, and the normal map that completes it."""
        compute = partial(steps.split, self.surface, self._patches(), size)
        return self._on_carried(f"Splitting the detail at {size}", compute, self.subdivided())

    def deviation(self) -> Stage:
        """The `Deviation` of the displaced mesh from the true surface."""
        return self._on_carried("Measuring the mesh", partial(steps.measure, self.surface), self.subdivided())

    def open_sky(self) -> Stage:
        """How much of the sky each vertex sees past the relief around it: float32 (vertices,), 1 on flat ground.

        For looking at alone, from a small copy of each relief.
        """
        carried = self._carried()
        small = {key: replace(self.pipelines[key], longest=SKY) for key in carried}
        depths = {key: each.relief.amplitude for key, each in small.items()}
        heights = tuple(each.displacing() for each in small.values())
        return Stage(
            "Measuring how much sky is seen", partial(steps.look_at_sky, depths), depths, (self.covered(), *heights)
        )

    def built(self) -> Stage:
        """The `Built` surface, as it is delivered: split where it is to be. A finished build is read."""
        stage = self._finished()
        finished = read_built(built_place(self.builds, stage.key)) if self.builds else None
        if finished is None:
            return stage
        return Stage("Loading the final mesh", lambda: finished, stage.key, keep=False)

    def shown(self) -> Stage:
        """The mesh of `built` and its residual normal map, if any, without measuring how near it is: for pictures."""
        finished = read_built(built_place(self.builds, self.build_key)) if self.builds else None
        if finished is None:
            return self._named_parts()
        kept = finished.mesh, finished.residual
        return Stage("Loading the final mesh", lambda: kept, self.build_key, keep=False)

    def undisplaced(self) -> Stage:
        """The base `Mesh` with the places of the reliefs on it, for what displaces it elsewhere; parts are regions."""
        coarse = self.surface.model_copy(update={"level": 0, "tessellation": Levels()})
        regions, even = self.surface.regions, replace(self, surface=coarse)
        compute = partial(steps.name_covered, [region.name for region in regions])
        known = [[region.name for region in regions], self._named]
        return Stage("Making the UVs of the base mesh", compute, known, (even.covered(),), keep=False)

    @property
    def carried(self) -> list[str]:
        """The keys of the reliefs that the rest of the surface and its regions carry; empty for none."""
        return [self.surface.relief, *(region.relief for region in self.surface.regions)]

    @property
    def build_key(self) -> str:
        """What a finished build of it is kept under."""
        return self._finished().key

    def _displaced_or_split(self) -> Stage:
        return self.split(self.surface.residual) if self.surface.residual else self.displaced()

    def _named_parts(self) -> Stage:
        regions = self.surface.regions
        names = [region.name for region in regions]
        compute = partial(steps.name_parts, names, regions)
        needs = self.base(), self._displaced_or_split()
        return Stage("Naming the regions", compute, [names, self._named], needs, keep=False)

    def _finished(self) -> Stage:
        needs = self._named_parts(), self._displaced_or_split(), self.deviation()
        return Stage("Finishing the surface", steps.finish, None, needs, keep=False)

    def refuse_if_too_large(self, engine: Engine) -> None:
        """Raises TooManyFacesError, with what fits, when the mesh would be over the limit."""
        surface = self.surface
        if surface.tessellation.even or surface.subdivision.kind == "smooth":
            refuse_level(self.forecasts(engine), surface.level, self.limit)
        most, limit = surface.tessellation.most_faces, most_triangles(surface, final_limit())
        if most and most > limit:
            raise too_many_triangles(surface.tessellation, most, limit)

    def forecast(self, engine: Engine) -> Forecast:
        """The cost of the mesh; of a tessellation about."""
        if self.surface.tessellation.even:
            return self.forecasts(engine)[self.surface.level]
        return forecast_triangles(self.surface, engine.run(self.predicted()))

    def forecasts(self, engine: Engine) -> list[Forecast]:
        """The cost at every level there is, coarsest first."""
        alone = self.surface.subdivision.kind == "shape" and not self.surface.shape.source_key
        return self._costs(None if alone else engine.run(self.base()))

    def _costs(self, base: Mesh | None) -> list[Forecast]:
        return forecast_levels(self.surface, self.footprint, base)

"""The stages that a surface is made in: base mesh, subdivided, laid with reliefs, displaced.

Their results have their own size in bytes, and none depends on what comes after it: a drag of the mapping leaves the
subdivided mesh alone, a drag of the relief leaves the mapping.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, Self

import numpy as np

from relief.displace.deviation import Deviation, find_sags, measure_deviation
from relief.displace.displace import displace_mesh
from relief.displace.distances import find_distances, sample_laid
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
from relief.displace.residual import Split, split_detail
from relief.displace.tessellate import Carried, predict_faces, tessellate, too_many_triangles
from relief.height import Footprint, HeightField
from relief.maps.occlusion import occlusion
from relief.progress import Progress
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run.engine import Engine, Stage
from relief.run.pipeline import Pipeline
from relief.run.stages import ReadSource
from relief.sources.mesh.polygons import Polygons
from relief.sources.mesh.read import read_mesh
from relief.surface.base_form import BaseForm, raise_softly
from relief.surface.bisect import as_triangles
from relief.surface.cover import CoveredMesh, cover, join_edges_of_tile
from relief.surface.edges import find_edges
from relief.surface.mesh import Mesh, mean_at_vertices
from relief.surface.normals import find_hard_edges
from relief.surface.orient import find_reversed
from relief.surface.patches import Patch
from relief.surface.regions import assign_regions
from relief.surface.reverse import turn_faces
from relief.surface.shapes.shape import Shape
from relief.surface.subdivide import subdivide_flat, subdivide_smooth
from relief.surface.subdivision import sharp_edges
from relief.surface.surface import Surface

SKY = 512
"""Texels on the long side of the relief that hides the sky on the stage."""

SKY_REACH = 0.1
"""Of the long side of a footprint: how far away something still hides it."""


@dataclass(frozen=True)
class SurfacePipeline:
    """The stages of a piece's surface.

    Attributes:
        surface: the shape, and how it is laid with reliefs.
        pipelines: of each relief that the piece has, by its key.
        limit: what is built at most.
    """

    surface: Surface
    pipelines: dict[str, Pipeline]
    limit: Limit = PREVIEW

    @classmethod
    def of(cls, recipe: Recipe, read_source: ReadSource, longest: int | None = None) -> Self:
        """The stages of a recipe's surface; its reliefs have at most `longest` texels on their long side."""
        return cls(recipe.surface, {key: Pipeline.of(recipe, read_source, longest, key) for key in recipe.reliefs})

    def with_relief(self, relief: Relief) -> Self:
        """The same with another relief in the place of all."""
        return replace(self, pipelines={key: replace(each, relief=relief) for key, each in self.pipelines.items()})

    def final(self, limit: Limit | None = None) -> Self:
        """The same as it is delivered: at its final level, with a limit of its own."""
        final = self.with_level(self.surface.final_level or self.surface.level)
        return replace(final, limit=limit or final_limit())

    def with_level(self, level: int) -> Self:
        """The same at another level of subdivision."""
        return replace(self, surface=self.surface.model_copy(update={"level": level}))

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
            partial(_read, self._main.read_source, source.digest, source.filename),
            [source.digest, source.filename.rpartition(".")[2].lower()],
        )
        whole = Stage("Mending the mesh", partial(_mend, shape), shape.model_dump(), (reading,))
        return Stage("Placing the mesh", partial(_place, self.surface), self._placed, (whole,))

    def subdivided(self) -> Stage:
        """The `Mesh` before it is displaced, raised by its base form: subdivided by levels, or tessellated.

        Raises:
            TooManyFacesError: more faces than are built; of an own mesh or a tessellation only when it is run.
        """
        surface = self._as_built()
        if surface.tessellation.even:
            return self._raised(self._cut(surface.level))
        compute = partial(_tessellate, surface, self._patches(), most_triangles(self.limit))
        return self._on_carried("Tessellating the surface", compute, self._started(), reports=True)

    def _as_built(self) -> Surface:
        """The surface; of a budget that is more than can be looked at, as much as can."""
        way, most = self.surface.tessellation, most_triangles(self.limit)
        if self.limit != PREVIEW or not way.most_faces or way.most_faces <= most:
            return self.surface
        return self.surface.model_copy(update={"tessellation": way.model_copy(update={"faces": most})})

    def predicted(self) -> Stage:
        """About how many triangles its tessellation will have: int."""
        compute = partial(_predict, self.surface, self._patches())
        return self._on_carried("Asking how many triangles", compute, self._started())

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
            self._as_built().model_dump(exclude={"unit", "level", "final_level"}),
            {key: footprint.model_dump() for key, footprint in footprints.items()},
            depths,
        ]
        heights = (self.pipelines[key].displacing() for key in depths)
        loaded = partial(_with_carried, compute, self.surface, footprints, depths)
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
        return Stage("Subdividing the surface", partial(_subdivide, surface, level, self.limit), known, needed)

    def _raised(self, whole: Stage) -> Stage:
        form = self.surface.form
        if form == BaseForm():
            return whole
        return Stage("Raising the base form", partial(_raise, form), form.model_dump(), (whole,))

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
        compute = partial(_make, self.surface, footprint, level)
        return Stage(name, compute, [shape.model_dump(), footprint.model_dump(), level, *self._placed])

    def assigned(self) -> Stage:
        """The region of each face of the subdivided mesh: uint16 (faces,)."""
        compute = partial(_assign, self.surface.regions)
        return Stage("Finding the regions", compute, self._named, (self.base(), self.subdivided()))

    def covered(self) -> Stage:
        """The `CoveredMesh`: the subdivided mesh with the places of the reliefs on it."""
        surface = self.surface
        footprints = self._footprints()
        known = [
            surface.model_dump(include={"mapping", "relief", "regions"}),
            {key: footprint.model_dump() for key, footprint in footprints.items()},
        ]
        compute = partial(_cover, surface, footprints)
        return Stage("Laying on the relief", compute, known, (self.subdivided(), self.assigned()))

    def displaced(self) -> Stage:
        """The `Mesh` moved by the reliefs that lie on it. Raises as `subdivided` does."""
        depths = self._depths()
        heights = tuple(self.pipelines[key].displacing() for key in depths)
        alone = not self.surface.shape.upright and not self.surface.regions
        tile = self._main.relief.final_edges.wraps if alone else (False, False)
        compute = partial(_displace, depths, tile)
        return Stage("Displacing the surface", compute, [depths, tile], (self.subdivided(), self.covered(), *heights))

    def turned_faces(self) -> Stage:
        """Which faces of the base mesh look the wrong way: bool (faces,)."""
        if self.surface.shape.source_key:
            return Stage("Looking for turned faces", _find_turned, None, (self.base(),))
        compute = partial(_all_turned, self.surface.turned)  # a shape of ours is made the right way round
        return Stage("Looking for turned faces", compute, self.surface.turned, (self.base(),))

    def split(self, size: int) -> Stage:
        """The `Split` of its detail: the displaced mesh in triangles, and the normal map that completes it."""
        compute = partial(_split, self.surface, size)
        return self._on_carried(f"Splitting the detail at {size}", compute, self.subdivided())

    def deviation(self) -> Stage:
        """The `Deviation` of the displaced mesh from the true surface."""
        return self._on_carried("Measuring the mesh", partial(_measure_deviation, self.surface), self.subdivided())

    def open_sky(self) -> Stage:
        """How much of the sky each vertex sees past the relief around it: float32 (vertices,), 1 on flat ground.

        For looking at alone, from a small copy of each relief.
        """
        carried = self._carried()
        small = {key: replace(self.pipelines[key], longest=SKY) for key in carried}
        depths = {key: each.relief.amplitude for key, each in small.items()}
        heights = tuple(each.displacing() for each in small.values())
        return Stage("Looking at the sky", partial(_look_at_sky, depths), depths, (self.covered(), *heights))

    def delivered(self) -> Stage:
        """The displaced `Mesh` whose parts are the regions of the surface, as files name them."""
        names = [region.name for region in self.surface.regions]
        compute = partial(_name_regions, names)
        return Stage("Naming the regions", compute, names, (self.displaced(), self.assigned()), keep=False)

    def refuse_if_too_large(self, engine: Engine) -> None:
        """Raises TooManyFacesError, with what fits, when the mesh would be over the limit."""
        surface = self.surface
        if surface.tessellation.even or surface.subdivision.kind == "smooth":
            refuse_level(self.forecasts(engine), surface.level, self.limit)
        most, limit = surface.tessellation.most_faces, most_triangles(final_limit())
        if most and most > limit:
            raise too_many_triangles(surface.tessellation, most, limit)

    def forecast(self, engine: Engine) -> Forecast:
        """The cost of the mesh; of a tessellation about."""
        if self.surface.tessellation.even:
            return self.forecasts(engine)[self.surface.level]
        return forecast_triangles(engine.run(self.predicted()))

    def forecasts(self, engine: Engine) -> list[Forecast]:
        """The cost at every level there is, coarsest first."""
        alone = self.surface.subdivision.kind == "shape" and not self.surface.shape.source_key
        return self._costs(None if alone else engine.run(self.base()))

    def _costs(self, base: Mesh | None) -> list[Forecast]:
        return forecast_levels(self.surface, self.footprint, base)


def _read(read_source: ReadSource, digest: str, filename: str) -> Polygons:
    return read_mesh(read_source(digest), filename)


def _mend(shape: Shape, own: Polygons) -> Mesh:
    return shape.base(own)


def _place(surface: Surface, mesh: Mesh) -> Mesh:
    return replace(turn_faces(mesh) if surface.turned else mesh, middle=surface.place)


def _subdivide(surface: Surface, level: int, limit: Limit, base: Mesh) -> Mesh:
    refuse_level(forecast_levels(surface, Footprint(), base), level, limit)
    if surface.subdivision.kind != "smooth":
        return subdivide_flat(base, level)
    subdivision = surface.subdivision
    edges = np.concatenate(
        [
            sharp_edges(base, subdivision, assign_regions(base, surface.regions)),
            find_hard_edges(base, subdivision.crease),
        ]
    )
    weights = np.full(len(edges), subdivision.weight, np.float32)
    return subdivide_smooth(replace(base, crease_edges=edges, crease_weights=weights), level)


def _with_carried(
    compute: Callable[..., Any],
    surface: Surface,
    footprints: dict[str, Footprint],
    depths: dict[str, tuple[float, float]],
    base: Mesh,
    mesh: Mesh,
    *rest: Any,
) -> Any:
    heights, more = rest[: len(depths)], rest[len(depths) :]
    regions = assign_regions(base, surface.regions)
    return compute(mesh, Carried(regions, footprints, dict(zip(depths, heights, strict=True)), depths), *more)


def _tessellate(
    surface: Surface, patches: list[Patch] | None, most: int, mesh: Mesh, carried: Carried, progress: Progress
) -> Mesh:
    return tessellate(surface, mesh, patches, carried, most, progress)


def _predict(surface: Surface, patches: list[Patch] | None, mesh: Mesh, carried: Carried) -> int:
    return predict_faces(surface, mesh, patches, carried)


def _split(surface: Surface, size: int, mesh: Mesh, carried: Carried) -> Split:
    triangles = as_triangles(mesh)
    covered, distances = carried.lay_on(triangles, surface)
    moved = displace_mesh(covered.mesh, distances)
    return split_detail(triangles, covered, moved, carried.heights, carried.depths, size)


def _measure_deviation(surface: Surface, mesh: Mesh, carried: Carried) -> Deviation:
    triangles = as_triangles(mesh)
    covered, _ = carried.lay_on(triangles, surface)
    on_shape = surface.shape.is_round and surface.subdivision.kind == "shape"
    sags = find_sags(triangles) if on_shape else None
    return measure_deviation(covered, carried.heights, carried.depths, sags)


def _make(surface: Surface, footprint: Footprint, level: int) -> Mesh:
    return _place(surface, surface.shape.mesh(footprint, level))


def _raise(form: BaseForm, mesh: Mesh) -> Mesh:
    return raise_softly(mesh, form)


def _assign(regions: tuple, base: Mesh, mesh: Mesh) -> np.ndarray:
    return assign_regions(base, regions)[mesh.base_faces]


def _cover(surface: Surface, footprints: dict[str, Footprint], mesh: Mesh, assigned: np.ndarray) -> CoveredMesh:
    return cover(mesh, surface, assigned, footprints)


def _displace(
    depths: dict[str, tuple[float, float]],
    tile: tuple[bool, bool],
    own: Mesh,
    covered: CoveredMesh,
    *heights: HeightField,
) -> Mesh:
    distances = find_distances(covered, dict(zip(depths, heights, strict=True)), depths)
    joined = join_edges_of_tile(own, covered, tile) if any(tile) and own.is_seamless else None
    return displace_mesh(covered.mesh, distances, joined)


def _name_regions(names: list[str], mesh: Mesh, assigned: np.ndarray) -> Mesh:
    first = mesh.part_list[0]
    if not names:
        return replace(mesh, parts=np.zeros_like(mesh.parts), part_list=(first._replace(name="all"),))
    called = ["rest"]
    for name in names:
        same = sum(each.partition(" (")[0] == name for each in called)
        called.append(f"{name} ({same + 1})" if same else name)
    return replace(mesh, parts=assigned, part_list=tuple(first._replace(name=name) for name in called))


def _find_turned(mesh: Mesh) -> np.ndarray:
    edges = find_edges(mesh.corners, mesh.offsets)
    return find_reversed(mesh.positions.astype(float), mesh.corners, mesh.offsets, edges)


def _all_turned(turned: bool, mesh: Mesh) -> np.ndarray:
    return np.full(mesh.faces, turned)


def _look_at_sky(depths: dict[str, float], covered: CoveredMesh, *heights: HeightField) -> np.ndarray:
    fields = {}
    for (key, amplitude), height in zip(depths.items(), heights, strict=True):
        reach = SKY_REACH * max(height.footprint.sides)
        fields[key] = replace(height, samples=occlusion(height, amplitude, reach, 8), alpha=None)
    of_corners = np.ones(len(covered.mesh.corners), np.float32)
    for item in covered.covers:
        if item.relief:
            seen = sample_laid(item.laid, fields[item.relief], item.mapping)
            of_corners[item.chosen] = 1 - (1 - np.clip(seen, 0, 1)) * min(1, abs(item.factor))
    return mean_at_vertices(covered.mesh.corners, of_corners, len(covered.mesh.positions))

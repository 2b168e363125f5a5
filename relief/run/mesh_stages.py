"""What the stages of a surface compute, one function a stage: arrays and parameters in, arrays out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from relief.displace.deviation import Deviation, find_sags, measure_deviation
from relief.displace.displace import displace_mesh
from relief.displace.distances import find_distances, sample_laid
from relief.displace.forecast import Limit, forecast_levels, refuse_level
from relief.displace.overlap import find_folds
from relief.displace.residual import Split, TrueBase, split_detail
from relief.displace.tessellate import Carried, predict_faces, tessellate
from relief.height import Footprint, HeightField
from relief.maps.displacement import displacement
from relief.maps.occlusion import occlusion
from relief.progress import Progress
from relief.run.built import Built
from relief.run.stages import ReadSource
from relief.sources.mesh.polygons import Polygons
from relief.sources.mesh.read import read_mesh
from relief.surface.base_form import BaseForm, raise_softly
from relief.surface.bisect import as_triangles
from relief.surface.cover import CoveredMesh, cover, join_edges_of_tile
from relief.surface.edges import find_edges
from relief.surface.mesh import Mesh, mean_at_vertices
from relief.surface.normals import find_hard_edges, smooth_by_angle
from relief.surface.orient import find_reversed
from relief.surface.patches import Patch
from relief.surface.regions import assign_regions
from relief.surface.reverse import turn_faces
from relief.surface.shapes.shape import Shape
from relief.surface.subdivide import subdivide_flat, subdivide_smooth
from relief.surface.subdivision import sharp_edges
from relief.surface.surface import Surface

SKY_REACH = 0.1
"""Of the long side of a footprint: how far away something still hides it."""


def read_own_mesh(read_source: ReadSource, digest: str, filename: str) -> Polygons:
    """The polygons of a mesh file."""
    return read_mesh(read_source(digest), filename)


def mend_mesh(shape: Shape, own: Polygons) -> Mesh:
    """The base mesh of an own mesh, mended as its shape asks for."""
    return shape.base(own)


def place_mesh(surface: Surface, mesh: Mesh) -> Mesh:
    """The mesh at its place, its faces turned if they are to be."""
    return replace(turn_faces(mesh) if surface.turned else mesh, middle=surface.place)


def subdivide(surface: Surface, level: int, limit: Limit, base: Mesh) -> Mesh:
    """The base mesh cut flat or smooth, to a level."""
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


def with_carried(
    compute: Callable[..., Any],
    surface: Surface,
    footprints: dict[str, Footprint],
    depths: dict[str, tuple[float, float]],
    base: Mesh,
    mesh: Mesh,
    *rest: Any,
) -> Any:
    """Calls `compute` with a mesh and what lies on it."""
    heights, more = rest[: len(depths)], rest[len(depths) :]
    regions = assign_regions(base, surface.regions)
    return compute(mesh, Carried(regions, footprints, dict(zip(depths, heights, strict=True)), depths), *more)


def tessellate_surface(
    surface: Surface, patches: list[Patch] | None, most: int, mesh: Mesh, carried: Carried, progress: Progress
) -> Mesh:
    """The triangles of a surface, cut as its tessellation asks for."""
    return tessellate(surface, mesh, patches, carried, most, progress)


def predict(surface: Surface, patches: list[Patch] | None, mesh: Mesh, carried: Carried) -> int:
    """About how many triangles a tessellation will have."""
    return predict_faces(surface, mesh, patches, carried)


def split(surface: Surface, patches: list[Patch] | None, size: int, mesh: Mesh, carried: Carried) -> Split:
    """The displaced mesh in triangles, with the normal map that completes it."""
    triangles = as_triangles(mesh)
    covered, distances = carried.lay_on(triangles, surface)
    moved = displace_mesh(covered.mesh, distances)
    true = TrueBase(triangles, None if surface.form != BaseForm() else patches, surface.turned)
    return split_detail(true, covered, moved, carried.heights, carried.depths, size)


def measure(surface: Surface, mesh: Mesh, carried: Carried) -> Deviation:
    """How far the displaced mesh is from the true surface."""
    triangles = as_triangles(mesh)
    covered, _ = carried.lay_on(triangles, surface)
    on_shape = surface.shape.is_round and surface.subdivision.kind == "shape"
    sags = find_sags(triangles) if on_shape else None
    return measure_deviation(covered, carried.heights, carried.depths, sags)


def make_mesh(surface: Surface, footprint: Footprint, level: int) -> Mesh:
    """The mesh of a shape of ours at a level, placed."""
    return place_mesh(surface, surface.shape.mesh(footprint, level))


def raise_mesh(form: BaseForm, mesh: Mesh) -> Mesh:
    """The mesh raised by its base form."""
    return raise_softly(mesh, form)


def assign(regions: tuple, base: Mesh, mesh: Mesh) -> np.ndarray:
    """The region of each face."""
    return assign_regions(base, regions)[mesh.base_faces]


def cover_mesh(surface: Surface, footprints: dict[str, Footprint], mesh: Mesh, assigned: np.ndarray) -> CoveredMesh:
    """The mesh with the reliefs that lie on it."""
    return cover(mesh, surface, assigned, footprints)


def displace(
    depths: dict[str, tuple[float, float]],
    tile: tuple[bool, bool],
    smooth_below: float,
    own: Mesh,
    covered: CoveredMesh,
    *heights: HeightField,
) -> Mesh:
    """The mesh moved by the reliefs that lie on it, its edges hard where they turn by more than an angle."""
    distances = find_distances(covered, dict(zip(depths, heights, strict=True)), depths)
    joined = join_edges_of_tile(own, covered, tile) if any(tile) and own.is_seamless else None
    moved = displace_mesh(covered.mesh, distances, joined)
    return smooth_by_angle(moved, smooth_below) if smooth_below else moved


def measure_folds(depths: dict[str, tuple[float, float]], covered: CoveredMesh, *heights: HeightField) -> np.ndarray:
    """How many times as far each triangle could move until it folds."""
    return find_folds(covered.mesh, find_distances(covered, dict(zip(depths, heights, strict=True)), depths))


def measure_reach(
    depths: dict[str, tuple[float, float]], covered: CoveredMesh, *heights: HeightField
) -> tuple[float, float]:
    """The lowest and the highest distance from the base that the reliefs on it have anywhere, mm."""
    fields = dict(zip(depths, heights, strict=True))
    moved = find_distances(covered, fields, depths)
    ends = [0.0, float(moved.min(initial=0)), float(moved.max(initial=0))]  # between texels it may go a little beyond
    for item in covered.covers:
        if item.relief:
            amplitude, midlevel = depths[item.relief]
            samples = fields[item.relief].samples
            both = np.array([samples.min(), samples.max()])
            ends += displacement(both, amplitude * item.factor, midlevel + item.midlevel_shift).tolist()
    return min(ends), max(ends)


def name_regions(names: list[str], mesh: Mesh, assigned: np.ndarray) -> Mesh:
    """The mesh whose parts are the regions of its surface, as files name them.

    Args:
        names: of the regions.
        mesh: displaced or not.
        assigned: uint16 (faces,), the region of each face, 0 for the rest.
    """
    first = mesh.part_list[0]
    if not names:
        return replace(mesh, parts=np.zeros_like(mesh.parts), part_list=(first._replace(name="all"),))
    called = ["rest"]
    for name in names:
        same = sum(each.partition(" (")[0] == name for each in called)
        called.append(f"{name} ({same + 1})" if same else name)
    return replace(mesh, parts=assigned, part_list=tuple(first._replace(name=name) for name in called))


def name_covered(names: list[str], covered: CoveredMesh) -> Mesh:
    """The mesh that reliefs lie on, not displaced, its parts the regions."""
    return name_regions(names, covered.mesh, covered.assigned)


def name_parts(names: list[str], regions: tuple, base: Mesh, made: Mesh | Split) -> tuple[Mesh, np.ndarray | None]:
    """The mesh with its regions as parts, and the residual normal map where it is split."""
    whole = made if isinstance(made, Mesh) else made.mesh
    mesh = name_regions(names, whole, assign_regions(base, regions)[whole.base_faces])
    return mesh, None if isinstance(made, Mesh) else made.residual


def finish(named: tuple[Mesh, np.ndarray | None], made: Mesh | Split, off: Deviation) -> Built:
    """What is delivered of a surface."""
    mesh, residual = named
    return Built(mesh, off, residual, None if isinstance(made, Mesh) else (made.off_before, made.off_after))


def find_turned(mesh: Mesh) -> np.ndarray:
    """Which faces of an own mesh look inward."""
    edges = find_edges(mesh.corners, mesh.offsets)
    return find_reversed(mesh.positions.astype(float), mesh.corners, mesh.offsets, edges)


def all_turned(turned: bool, mesh: Mesh) -> np.ndarray:
    """The same answer for all faces."""
    return np.full(mesh.faces, turned)


def look_at_sky(depths: dict[str, float], covered: CoveredMesh, *heights: HeightField) -> np.ndarray:
    """How much of the sky each vertex sees past the relief around it."""
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

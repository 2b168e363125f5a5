"""How the reliefs of a piece lie on a mesh: region by region, each by its mapping."""

from __future__ import annotations

from collections.abc import Mapping as Dictionary
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from relief.height import Footprint
from relief.surface.mapping.mapping import Bounds, Laid, Mapping
from relief.surface.mesh import Mesh
from relief.surface.regions import fade_at_borders
from relief.surface.surface import Surface


@dataclass(frozen=True)
class Covered:
    """Some faces, and the relief that lies on them.

    Attributes:
        relief: its key; empty for none.
        chosen: int64 (corners,), which corners of the whole mesh they have.
        laid: where those lie on the relief.
        mapping: by what.
        factor: how many times the amplitude.
        midlevel_shift: what is added to the midlevel.
    """

    relief: str
    chosen: np.ndarray
    laid: Laid
    mapping: Mapping
    factor: float = 1
    midlevel_shift: float = 0


@dataclass(frozen=True)
class CoveredMesh:
    """A mesh with the reliefs that lie on it, not displaced.

    Attributes:
        mesh: its uv are places on the reliefs, in repeats.
        assigned: uint16 (faces,), the region of each face, 0 for the rest.
        covers: the reliefs of the rest and of the regions, in their order; those without a face are left out.
        left: float32 (vertices,), how much of the displacement is left near pinned borders.
    """

    mesh: Mesh
    assigned: np.ndarray
    covers: tuple[Covered, ...]
    left: np.ndarray


def cover(mesh: Mesh, surface: Surface, assigned: np.ndarray, footprints: Dictionary[str, Footprint]) -> CoveredMesh:
    """Lays reliefs on a mesh.

    Args:
        mesh: the subdivided mesh, with its own uv.
        surface: how.
        assigned: uint16 (faces,), the region of each face.
        footprints: of each relief, by its key.
    """
    whole = Bounds(*mesh.bounds())
    of_corners, sides = assigned[mesh.face_of_corners], np.diff(mesh.offsets)
    covers = []
    for number in range(len(surface.regions) + 1):
        region = surface.regions[number - 1] if number else None
        chosen = np.flatnonzero(of_corners == number)
        if not len(chosen):
            continue
        part = (
            mesh
            if len(chosen) == len(of_corners)
            else mesh.with_corners(chosen, sides[assigned == number], assigned == number)
        )
        own = region.mapping if region else None
        key = region.relief if region else surface.relief
        bounds = Bounds(*mesh.bounds(region.parts)) if region and own else whole
        footprint = footprints.get(key, Footprint())
        laid = (own or surface.mapping).lay(part, footprint, bounds)
        more = (region.factor, region.midlevel_shift) if region else ()
        covers.append(Covered(key, chosen, laid, own or surface.mapping, *more))
    return CoveredMesh(
        _with_places(mesh, covers), assigned, tuple(covers), fade_at_borders(mesh, assigned, surface.regions)
    )


def join_edges_of_tile(own: Mesh, covered: CoveredMesh, wraps: tuple[bool, bool]) -> tuple[np.ndarray, np.ndarray]:
    """The vertices at opposite edges of a flat tile that lie at one place of a relief which repeats.

    They share one normal, so that copies of the mesh join without a line in their shading.

    Args:
        own: the mesh with its own uv, from 0 to 1 over the tile.
        covered: the same with the places on the relief.
        wraps: whether the relief repeats across and down.
    """
    edges = own.uv_of_vertices()
    at_edge = [wrap & ((edges[:, axis] == 0) | (edges[:, axis] == 1)) for axis, wrap in enumerate(wraps)]
    vertices = np.flatnonzero(at_edge[0] | at_edge[1])
    laid = covered.covers[0].laid
    places = np.zeros((len(own.positions), 2))
    places[own.corners[covered.covers[0].chosen]] = laid.uv[laid.corners]
    places = places[vertices]
    for axis, wrap in enumerate(wraps):
        if wrap:
            places[:, axis] %= 1
    rounded = np.rint(places * 1e7).astype(np.int64) % 10_000_000
    _, groups = np.unique(rounded, axis=0, return_inverse=True)
    return vertices, groups.reshape(-1)


def _with_places(mesh: Mesh, covers: Sequence[Covered]) -> Mesh:
    """The mesh with the places on the reliefs as its uv."""
    if len(covers) == 1 and covers[0].laid.corners is mesh.uv_corners:
        return replace(mesh, uv=covers[0].laid.uv.astype(np.float32))
    uv_corners = np.empty(len(mesh.corners), np.int32)
    count = 0
    for item in covers:
        uv_corners[item.chosen] = item.laid.corners + count
        count += len(item.laid.uv)
    uv = np.concatenate([item.laid.uv for item in covers]).astype(np.float32)
    if len(uv) == len(mesh.positions) and np.array_equal(uv_corners, mesh.corners):
        uv_corners = mesh.corners
    return replace(mesh, uv=uv, uv_corners=uv_corners)

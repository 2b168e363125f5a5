"""Surfaces for the tests, displaced without a recipe."""

from typing import Any

from relief.displace.displace import displace_mesh
from relief.displace.distances import find_distances
from relief.height import HeightField
from relief.surface.cover import CoveredMesh, cover, join_edges_of_tile
from relief.surface.mesh import Mesh
from relief.surface.regions import assign_regions
from relief.surface.shapes.shape import Shape
from relief.surface.surface import Surface


def cover_shape(shape: Shape, field: HeightField, level: int = 0, **surface: Any) -> tuple[Mesh, CoveredMesh]:
    """The mesh of a shape, and the same with one relief on it."""
    settings = Surface(shape=shape, **surface)
    base, mesh = shape.mesh(field.footprint, 0), shape.mesh(field.footprint, level)
    assigned = assign_regions(base, settings.regions)[mesh.base_faces]
    return mesh, cover(mesh, settings, assigned, {"main": field.footprint})


def displace(
    shape: Shape, field: HeightField, amplitude: float, midlevel: float, level: int = 0, **surface: Any
) -> Mesh:
    """A shape displaced by one relief."""
    own, covered = cover_shape(shape, field, level, **surface)
    distances = find_distances(covered, {"main": field}, {"main": (amplitude, midlevel)})
    tile = field.edges.wraps if not shape.upright else (False, False)
    return displace_mesh(covered.mesh, distances, join_edges_of_tile(own, covered, tile) if any(tile) else None)


def displace_own(mesh: Mesh, field: HeightField, amplitude: float, midlevel: float) -> Mesh:
    """A mesh with its own UV displaced by one relief that fits."""
    settings = Surface(mapping={"kind": "uv", "sizing": "fit", "sampling": "bilinear"})
    covered = cover(mesh, settings, assign_regions(mesh, ()), {"main": field.footprint})
    return displace_mesh(covered.mesh, find_distances(covered, {"main": field}, {"main": (amplitude, midlevel)}))

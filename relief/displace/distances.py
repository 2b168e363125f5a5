"""How far each vertex of a mesh moves, from the reliefs that lie on it."""

from __future__ import annotations

from collections.abc import Mapping as Dictionary

import numpy as np

from relief.filters.sample import sample_heights
from relief.height import HeightField
from relief.maps.displacement import displacement
from relief.surface.cover import CoveredMesh
from relief.surface.mapping.mapping import Laid, Mapping
from relief.surface.mesh import mean_at_vertices


def find_distances(
    covered: CoveredMesh, heights: Dictionary[str, HeightField], depths: Dictionary[str, tuple[float, float]]
) -> np.ndarray:
    """How far each vertex moves outward, mm: float32 (vertices,).

    Args:
        covered: the mesh and what lies on it.
        heights: the field of each relief, by its key.
        depths: of each relief its amplitude in mm and its midlevel.
    """
    mesh = covered.mesh
    of_corners = np.zeros(len(mesh.corners), np.float32)
    for item in covered.covers:
        if not item.relief:
            continue
        amplitude, midlevel = depths[item.relief]
        found = sample_laid(item.laid, heights[item.relief], item.mapping)
        of_corners[item.chosen] = displacement(found, amplitude * item.factor, midlevel + item.midlevel_shift)
    # the mean of what the corners of a vertex ask for, so that seams stay closed
    return mean_at_vertices(mesh.corners, of_corners, len(mesh.positions)) * covered.left


def sample_laid(laid: Laid, field: HeightField, mapping: Mapping) -> np.ndarray:
    """The height at each corner: float32 (corners,)."""
    if not laid.mixed:
        at_places = sample_heights(field, laid.uv[:, 0], laid.uv[:, 1], mapping.sampling)
        return at_places[laid.corners]
    rest = np.float32(field.mean)  # heights are those above the mean, what no place counts for is that
    total = np.full(len(laid.corners), rest)
    for uv, corners, weights in laid.mixed:
        found = np.zeros(len(uv), np.float32)
        counts = weights > 0
        found[counts] = sample_heights(field, uv[counts, 0], uv[counts, 1], mapping.sampling)
        total += ((found - rest) * weights)[corners]
    return total

"""Cylindrical: rolled around an axis, true along it.

Snyder 1987, *Map Projections: A Working Manual*, USGS Professional Paper 1395, p. 90 (equidistant cylindrical).
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.parameters import choice
from relief.surface.mapping.mapping import Bounds, Mapping, Unrolled
from relief.surface.mesh import Mesh

AXES = {"x": "From left to right", "y": "Upright", "z": "From back to front"}
TOWARDS = {"x": (1, 2, 0), "y": (2, 0, 1), "z": (0, 1, 2)}
"""Of each axis: the direction where the angle is 0, the one where it is a quarter turn, and the axis itself."""


class CylindricalMapping(Mapping):
    """Around an axis through the middle, from the back; along it, straight."""

    title: ClassVar[str] = "Cylindrical"
    about: ClassVar[str] = "Rolled around an axis"
    turns: ClassVar[tuple[bool, bool]] = (True, False)
    kind: Literal["cylindrical"] = "cylindrical"
    axis: Literal["x", "y", "z"] = choice("y", AXES, label="Axis", help="The direction it is rolled around.")

    def unroll(self, mesh: Mesh, bounds: Bounds) -> tuple[Unrolled, tuple[Unrolled, ...]]:
        front, side, along = TOWARDS[self.axis]
        points = self._from_pivot(mesh, bounds)
        turns, at_axis = measure_turns(points[:, front], points[:, side], bounds.size.max())
        up = (mesh.positions[:, along] - bounds.low[along]) / bounds.size[along]
        vertices, turns, corners = close_turns(mesh, turns, at_axis)
        girth = np.pi * (bounds.size[front] + bounds.size[side]) / 2
        places = np.stack([turns, up[vertices]], axis=1)
        lengths = np.array([girth, bounds.size[along]])
        return Unrolled(places, corners, lengths, np.array([0, bounds.low[along] + mesh.middle[along]])), ()


def measure_turns(front: np.ndarray, side: np.ndarray, size: float) -> tuple[np.ndarray, np.ndarray]:
    """Turns from 0 to 1 about an axis, from the back, and where there is none: on the axis itself."""
    turns = np.arctan2(side, front) / (2 * np.pi) + 0.5
    return turns, np.hypot(front, side) < size * 1e-7


def close_turns(mesh: Mesh, turns: np.ndarray, at_axis: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Places for the corners of faces, none of which is torn apart where one turn ends and the next begins.

    Args:
        mesh: the faces.
        turns: float64 (vertices,), from 0 to 1.
        at_axis: bool (vertices,), where a vertex has no angle: it takes the mean of the others of each face.

    Returns:
        Of each place its vertex, int32 (places,), and its turns, float64 (places,); and the place of each corner.
    """
    count = len(turns)
    faces = mesh.face_of_corners
    of_corners, lone = turns[mesh.corners], at_axis[mesh.corners]
    highest = np.maximum.reduceat(np.where(lone, -1, of_corners), mesh.offsets[:-1]) if mesh.faces else np.zeros(0)
    late = ~lone & (highest[faces] - of_corners > 0.5)
    moved = of_corners + late
    weight = np.bincount(faces, ~lone, mesh.faces)
    mean = np.bincount(faces, np.where(lone, 0, moved), mesh.faces) / np.maximum(weight, 1)
    # a vertex, one turn later, or a place of its own for each corner at the axis
    numbers = mesh.corners + late.astype(np.int64) * count
    numbers[lone] = 2 * count + np.flatnonzero(lone)
    moved = np.where(lone, mean[faces], moved)
    _, chosen, corners = np.unique(numbers, return_index=True, return_inverse=True)
    return mesh.corners[chosen], moved[chosen], corners.reshape(-1).astype(np.int32)

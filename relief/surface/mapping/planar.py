"""Planar: straight along an axis, like a slide projector without perspective."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.parameters import choice
from relief.surface.mapping.mapping import Bounds, Mapping, Unrolled, seen_from
from relief.surface.mesh import Mesh

AXES = {"x": "From the right", "y": "From above", "z": "From the front"}


class PlanarMapping(Mapping):
    """The relief projected along an axis; the far side gets it mirrored."""

    title: ClassVar[str] = "Planar"
    about: ClassVar[str] = "Straight along one direction"
    kind: Literal["planar"] = "planar"
    axis: Literal["x", "y", "z"] = choice("z", AXES, label="Direction", help="The direction it is projected from.")

    def unroll(self, mesh: Mesh, bounds: Bounds) -> tuple[Unrolled, tuple[Unrolled, ...]]:
        axis = "xyz".index(self.axis)
        return project(mesh.positions.astype(np.float64), mesh.corners, bounds, mesh.middle, axis, 1), ()


def project(
    points: np.ndarray,
    corners: np.ndarray,
    bounds: Bounds,
    middle: tuple[float, float, float],
    axis: int,
    sign: int,
) -> Unrolled:
    """Points, float64 (places, 3), seen along an axis, over what is seen of the bounds."""
    ends = np.stack([seen_from(end, axis, sign) for end in bounds])
    low, lengths = ends.min(axis=0), np.maximum(np.abs(ends[1] - ends[0]), 1e-9)
    places = (seen_from(points, axis, sign) - low) / lengths
    return Unrolled(places, corners, lengths, low + seen_from(np.array(middle), axis, sign))

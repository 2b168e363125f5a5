"""Box: from six sides, each face by the one it looks to, with a soft passage between them (common practice)."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from relief.parameters import number
from relief.surface.mapping.mapping import Bounds, Mapping, Unrolled
from relief.surface.mapping.planar import project
from relief.surface.mesh import Mesh, join_numbers
from relief.surface.normals import face_areas


class BoxMapping(Mapping):
    """Three planes. Where a face looks between two of them, the heights of both are mixed."""

    title: ClassVar[str] = "Box"
    about: ClassVar[str] = "From six sides, blended where they meet"
    kind: Literal["box"] = "box"
    passage: float = number(
        0.15, 0, 0.5, label="Passage", step=0.01,
        help="Width over which two sides are blended where a round surface turns from one to the other.",
    )  # fmt: skip

    def unroll(self, mesh: Mesh, bounds: Bounds) -> tuple[Unrolled, tuple[Unrolled, ...]]:
        towards = face_areas(mesh.positions, mesh.offsets, mesh.corners)
        axes = np.abs(towards).argmax(axis=1)
        sides = 2 * axes + (towards[np.arange(len(axes)), axes] < 0)
        side_of = sides[mesh.face_of_corners].astype(np.int32)
        chosen, corners = join_numbers(mesh.corners, side_of)
        points = mesh.positions[mesh.corners[chosen]].astype(np.float64)
        drawn = self._each(points, side_of[chosen], corners, bounds, mesh.middle)
        return drawn, self._mix(mesh, bounds) if self.passage else ()

    def _each(
        self,
        points: np.ndarray,
        sides: np.ndarray,
        corners: np.ndarray,
        bounds: Bounds,
        middle: tuple[float, float, float],
    ) -> Unrolled:
        """Points each seen from a side of its own: lengths and origin differ, so that they are given in mm."""
        rolled = [project(points, corners, bounds, middle, side // 2, 1 - 2 * (side % 2)) for side in range(6)]
        places = np.choose(sides[:, None], [item.places for item in rolled])
        lengths = np.array([item.lengths for item in rolled])[sides]
        origin = np.array([item.origin for item in rolled])[sides]
        return Unrolled(places, corners, lengths, origin)

    def _mix(self, mesh: Mesh, bounds: Bounds) -> tuple[Unrolled, ...]:
        chosen, corners = join_numbers(mesh.corners, mesh.normal_corners)
        points = mesh.positions[mesh.corners[chosen]].astype(np.float64)
        normals = mesh.normals[mesh.normal_corners[chosen]]
        far = np.abs(normals)
        weights = np.clip((far - far.max(axis=1, keepdims=True)) / self.passage + 1, 0, 1)
        weights /= weights.sum(axis=1, keepdims=True)
        found = []
        for axis in range(3):
            sides = (2 * axis + (normals[:, axis] < 0)).astype(np.int64)
            each = self._each(points, sides, corners, bounds, mesh.middle)
            found.append(replace(each, weights=weights[:, axis].astype(np.float32)))
        return tuple(found)

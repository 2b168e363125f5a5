"""Spherical: longitude and latitude (equirectangular projection: Snyder 1987, USGS Professional Paper 1395, p. 90)."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.surface.mapping.cylindrical import close_turns, measure_turns
from relief.surface.mapping.mapping import Bounds, Mapping, Unrolled
from relief.surface.mesh import Mesh


class SphericalMapping(Mapping):
    """Around the upright axis from the back, and from the lower pole to the upper one."""

    title: ClassVar[str] = "Spherical"
    about: ClassVar[str] = "Longitude and latitude"
    turns: ClassVar[tuple[bool, bool]] = (True, True)
    has_poles: ClassVar[bool] = True
    kind: Literal["spherical"] = "spherical"

    def degrees_from_poles(self, mesh: Mesh, drawn: Unrolled) -> np.ndarray:
        return np.asarray(180 * np.minimum(drawn.places[:, 1], 1 - drawn.places[:, 1]))

    def unroll(self, mesh: Mesh, bounds: Bounds) -> tuple[Unrolled, tuple[Unrolled, ...]]:
        points = self._from_pivot(mesh, bounds)
        turns, at_axis = measure_turns(points[:, 2], points[:, 0], bounds.size.max())
        vertices, turns, corners = close_turns(mesh, turns, at_axis)
        latitude = np.arctan2(points[:, 1], np.hypot(points[:, 0], points[:, 2]))
        girth = np.pi * bounds.size.mean()
        places = np.stack([turns, latitude[vertices] / np.pi + 0.5], axis=1)
        return Unrolled(places, corners, np.array([girth, girth / 2]), np.zeros(2)), ()

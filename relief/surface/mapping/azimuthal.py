"""Azimuthal equidistant: true distances and directions from one pole.

Snyder 1987, *Map Projections: A Working Manual*, USGS Professional Paper 1395, p. 195, equations 22-4, 22-5, 25-2.
"""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.parameters import number
from relief.surface.mapping.mapping import Bounds, Mapping, Unrolled
from relief.surface.mesh import Mesh


class AzimuthalMapping(Mapping):
    """The relief laid over a pole like a cloth over a knob. At the opposite pole it is squeezed together."""

    title: ClassVar[str] = "Azimuthal"
    about: ClassVar[str] = "Like a cloth over a chosen pole"
    turns: ClassVar[tuple[bool, bool]] = (True, True)
    has_poles: ClassVar[bool] = True
    kind: Literal["azimuthal"] = "azimuthal"
    pole_latitude: float = number(
        90, -90, 90, label="Pole, up", unit="°", step=1,
        help="Elevation of the pole on which it is centred: 90 is the top, 0 the middle.",
    )  # fmt: skip
    pole_longitude: float = number(
        0, -180, 180, label="Pole, around", unit="°", step=1, help="How far to the right of the front the pole lies.",
    )  # fmt: skip

    def degrees_from_poles(self, mesh: Mesh, drawn: Unrolled) -> np.ndarray:
        return np.asarray(180 - 360 * np.hypot(*(drawn.places - 0.5).T))  # opposite the one that it is laid over

    def unroll(self, mesh: Mesh, bounds: Bounds) -> tuple[Unrolled, tuple[Unrolled, ...]]:
        points = self._from_pivot(mesh, bounds)
        latitude = np.arctan2(points[:, 1], np.hypot(points[:, 0], points[:, 2]))
        longitude = np.arctan2(points[:, 0], points[:, 2])
        pole = np.radians(self.pole_latitude), np.radians(self.pole_longitude)
        girth = np.pi * bounds.size.mean()
        places = azimuthal_equidistant(latitude, longitude, *pole) / (2 * np.pi) + 0.5
        return Unrolled(places, mesh.corners, np.array([girth, girth]), np.zeros(2)), ()


def azimuthal_equidistant(
    latitude: np.ndarray, longitude: np.ndarray, pole_latitude: float, pole_longitude: float, radius: float = 1
) -> np.ndarray:
    """x and y of places on a sphere about a pole: float64 (..., 2), in units of the radius; all angles in radians."""
    around = longitude - pole_longitude
    from_pole = np.sin(pole_latitude) * np.sin(latitude) + np.cos(pole_latitude) * np.cos(latitude) * np.cos(around)
    x = np.cos(latitude) * np.sin(around)
    y = np.cos(pole_latitude) * np.sin(latitude) - np.sin(pole_latitude) * np.cos(latitude) * np.cos(around)
    # the sine of the distance is the length of (x, y), which tells small angles better than the cosine
    sine = np.hypot(x, y)
    scale = np.where(sine > 1e-12, np.arctan2(sine, from_pole) / np.maximum(sine, 1e-12), 1)
    return radius * scale[..., None] * np.stack([x, y], axis=-1)

"""The sphere, with its poles at the top and at the bottom."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import Footprint
from relief.parameters import number
from relief.surface.mesh import Part
from relief.surface.patches import Patch
from relief.surface.shapes.cylinder import around
from relief.surface.shapes.shape import Shape, length


class Sphere(Shape):
    """A sphere of rings and segments. Its own UVs are longitude and latitude, from the back around."""

    title: ClassVar[str] = "Sphere"
    about: ClassVar[str] = "A ball, a knob, a planet"
    closes: ClassVar[tuple[bool, bool]] = (True, False)
    is_round: ClassVar[bool] = True
    has_poles: ClassVar[bool] = True
    kind: Literal["sphere"] = "sphere"
    diameter: float = length(1000, label="Diameter", help="From side to side.")
    segments: int = number(
        32, 4, 2000, label="Base segments", step=1, slider=(4, 128),
        help="Faces around the equator before subdivision; from pole to pole there are half as many.",
    )  # fmt: skip

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        return self.diameter, self.diameter, self.diameter

    def patches(self, footprint: Footprint) -> list[Patch]:
        girth = np.pi * self.diameter
        whole = Part("all", girth, girth / 2, has_poles=True)
        return [Patch(whole, self.segments, max(2, self.segments // 2), self._place, curved=True)]

    def _place(self, u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        x, z = around(u)
        at_pole = (v == 0) | (v == 1)
        across = np.where(at_pole, 0, np.sin(np.pi * v))
        normals = np.stack([x * across, -np.cos(np.pi * v), z * across], axis=-1)
        # a triangle at a pole stands over the middle of its base; of its two corners there, one is left out
        half = 0.5 / max(u.shape[1] - 1, 1)
        places = u + np.where(v == 1, half, np.where(v == 0, -half, 0))
        return normals * (self.diameter / 2), normals, np.stack([np.clip(places, 0, 1), v], axis=-1)

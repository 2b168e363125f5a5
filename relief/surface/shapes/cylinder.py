"""The cylinder: a side that stands up, closed by a cap at each end."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import Footprint
from relief.parameters import number, switch
from relief.surface.mesh import Part
from relief.surface.patches import Patch
from relief.surface.shapes.shape import Shape, length, near_squares


class Cylinder(Shape):
    """A cylinder about y. Its side goes around once from the back; a cap shows the disc in the middle of the maps."""

    title: ClassVar[str] = "Cylinder"
    about: ClassVar[str] = "A column, a post, a coin"
    closes: ClassVar[tuple[bool, bool]] = (True, False)
    is_round: ClassVar[bool] = True
    kind: Literal["cylinder"] = "cylinder"
    diameter: float = length(1000, label="Diameter", help="From side to side.")
    height: float = length(1000, label="Height", help="From bottom to top.")
    caps: bool = switch(True, label="Caps", help="Closes both ends.")
    segments: int = number(
        32, 3, 2000, label="Base segments", step=1, slider=(3, 128),
        help="Faces around the side before subdivision; along it, it has as many as keep them nearly square.",
    )  # fmt: skip

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        return self.diameter, self.height, self.diameter

    def patches(self, footprint: Footprint) -> list[Patch]:
        radius, girth = self.diameter / 2, np.pi * self.diameter
        edge = girth / self.segments
        side = Patch(
            Part("side", girth, self.height), self.segments, near_squares(self.height, edge), self._side, curved=True
        )
        if not self.caps:
            return [side]
        rings = near_squares(radius, edge)
        disc = (self.diameter, self.diameter)
        return [
            side,
            Patch(Part("top cap", *disc), self.segments, rings, self._top),
            Patch(Part("bottom cap", *disc), self.segments, rings, self._bottom),
        ]

    def _side(self, u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        x, z = around(u)
        normals = np.stack([x, np.zeros_like(x), z], axis=-1)
        positions = normals * (self.diameter / 2)
        positions[..., 1] = (v - 0.5) * self.height
        return positions, normals, np.stack([u, v], axis=-1)

    def _top(self, u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        return self._cap(u, 1 - v, 1)

    def _bottom(self, u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        return self._cap(u, v, -1)

    def _cap(self, u: np.ndarray, out: np.ndarray, up: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """`out` is 0 in the middle and 1 at the rim; `up` is 1 for the top and -1 for the bottom."""
        x, z = around(u)
        positions = np.stack([x * out, np.full_like(x, up * self.height / self.diameter), z * out], axis=-1)
        normals = np.broadcast_to(np.array([0.0, up, 0.0]), positions.shape)
        # seen from its own side, x to the right
        uv = np.stack([0.5 + x * out / 2, 0.5 - up * z * out / 2], axis=-1)
        return positions * (self.diameter / 2), normals, uv


def around(u: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """x and z on the unit circle; u runs from the back over the left to the front. Its ends are one point."""
    angle = (np.where(u == 1, 0, u) * 2 - 1) * np.pi
    return np.sin(angle), np.cos(angle)

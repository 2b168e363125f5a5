"""The plane: one footprint unless it is told otherwise, lying in x and y, facing z."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import Footprint
from relief.parameters import number
from relief.surface.mesh import Part
from relief.surface.patches import Patch
from relief.surface.shapes.shape import LONGEST, Shape, near_squares


class Plane(Shape):
    """A plane of base segments."""

    title: ClassVar[str] = "Plane"
    about: ClassVar[str] = "A wall, a floor, ground"
    upright: ClassVar[bool] = False
    kind: Literal["plane"] = "plane"
    width: float = number(
        0, 0, LONGEST, label="Width", unit="mm", step=1, slider=(0, 10_000), zero="as the relief",
        help="Width of the plane; the relief's own unless set. Depending on the sizing, a wider plane shows more "
            "repeats or a larger relief.",
    )  # fmt: skip
    height: float = number(
        0, 0, LONGEST, label="Height", unit="mm", step=1, slider=(0, 10_000), zero="as the relief",
        help="Height of the plane; the relief's own unless set.",
    )  # fmt: skip
    segments: int = number(
        16, 1, 2000, label="Base segments", step=1, slider=(1, 100),
        help="Quads across the plane before subdivision; down it has as many as keep them nearly square.",
    )  # fmt: skip

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        return self.width or footprint.width, self.height or footprint.height, 0

    def patches(self, footprint: Footprint) -> list[Patch]:
        width, height, _ = self.size(footprint)
        down = near_squares(height, width / self.segments)
        return [flat(Part("all", width, height), self.segments, down, (width, 0, 0), (0, height, 0), (0, 0, 0))]


def flat(
    part: Part,
    across: int,
    down: int,
    right: tuple[float, float, float],
    up: tuple[float, float, float],
    middle: tuple[float, float, float],
) -> Patch:
    """A flat patch about a point, spanned by two directions at right angles with their lengths in mm."""
    sideways, upwards, centre = np.array(right), np.array(up), np.array(middle)
    normal = np.cross(sideways, upwards)
    normal = normal / np.linalg.norm(normal)

    def place(u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        positions = centre + (u[..., None] - 0.5) * sideways + (v[..., None] - 0.5) * upwards
        return positions, np.broadcast_to(normal, positions.shape), np.stack([u, v], axis=-1)

    return Patch(part, across, down, place)

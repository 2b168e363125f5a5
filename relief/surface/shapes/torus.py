"""The torus: a ring that lies flat."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from relief.height import Footprint
from relief.parameters import number
from relief.surface.mesh import Part
from relief.surface.patches import Patch
from relief.surface.shapes.cylinder import around
from relief.surface.shapes.shape import Shape, length, near_squares


class Torus(Shape):
    """A ring about y. Its own UVs run along it, and around the tube from the hole: below, outside, above."""

    title: ClassVar[str] = "Torus"
    about: ClassVar[str] = "A ring, a rope, a moulding"
    closes: ClassVar[tuple[bool, bool]] = (True, True)
    is_round: ClassVar[bool] = True
    kind: Literal["torus"] = "torus"
    diameter: float = length(1000, label="Outer diameter", help="From outer edge to outer edge.")
    thickness: float = length(250, label="Thickness", help="Diameter of the tube.")
    segments: int = number(
        48, 3, 2000, label="Base segments", step=1, slider=(3, 128),
        help="Faces along the ring before subdivision; around its thickness as many as keep them nearly square.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _has_a_hole(self) -> Self:
        if self.thickness * 2 > self.diameter:
            raise ValueError("The thickness of a torus is at most half of its outer diameter.")
        return self

    def with_size(self, *sides: float) -> Shape:
        return super().with_size(*sides) if len(sides) > 1 else super().with_size(sides[0], sides[0] / 4)

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        return self.diameter, self.thickness, self.diameter

    @property
    def _radii(self) -> tuple[float, float]:
        """Of the ring's middle line, and of its thickness."""
        return (self.diameter - self.thickness) / 2, self.thickness / 2

    def patches(self, footprint: Footprint) -> list[Patch]:
        ring, round_ = 2 * np.pi * self._radii[0], np.pi * self.thickness
        rows = max(3, near_squares(round_, np.pi * self.diameter / self.segments))
        return [Patch(Part("all", ring, round_), self.segments, rows, self._place, curved=True)]

    def _place(self, u: np.ndarray, v: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        ring, thick = self._radii
        x, z = around(u)
        up, out = around(v)  # from the hole under the ring and outside over it
        normals = np.stack([x * out, up, z * out], axis=-1)
        positions = normals * thick
        positions[..., 0] += x * ring
        positions[..., 2] += z * ring
        return positions, normals, np.stack([u, v], axis=-1)

"""The room: a box seen from inside, whose walls come towards the middle where the relief stands out."""

from __future__ import annotations

from typing import ClassVar, Literal

from relief.height import Footprint
from relief.parameters import number
from relief.surface.patches import Patch
from relief.surface.shapes.box import sides_of_box
from relief.surface.shapes.shape import Shape, length


class Room(Shape):
    """Four walls, a floor and a ceiling that face inward."""

    title: ClassVar[str] = "Room"
    about: ClassVar[str] = "A box seen from inside"
    inward: ClassVar[bool] = True
    kind: Literal["room"] = "room"
    width: float = length(4000, label="Width", help="From the left wall to the right one.")
    height: float = length(2500, label="Height", help="From floor to ceiling.")
    depth: float = length(3000, label="Depth", help="From the front wall to the back one.")
    segments: int = number(
        16, 1, 2000, label="Base segments", step=1, slider=(1, 100),
        help="Quads across the longest side before subdivision; across the others as many as keep them nearly square.",
    )  # fmt: skip

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        return self.width, self.height, self.depth

    def edge_length(self, footprint: Footprint) -> float:
        return max(self.width, self.height, self.depth) / self.segments

    def patches(self, footprint: Footprint) -> list[Patch]:
        return sides_of_box(self.width, self.height, self.depth, self.segments, inward=True)

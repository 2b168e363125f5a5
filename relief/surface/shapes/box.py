"""The box: six sides, each with its own whole place on the maps."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from relief.height import Footprint
from relief.parameters import number
from relief.surface.mesh import Part
from relief.surface.patches import Patch
from relief.surface.shapes.plane import flat
from relief.surface.shapes.shape import Shape, length, near_squares


class SixSides(Shape):
    """What the box and the room share. A subclass has its lengths and its base segments."""

    width: float
    height: float
    depth: float
    segments: int

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        return self.width, self.height, self.depth

    def edge_length(self, footprint: Footprint) -> float:
        return max(self.width, self.height, self.depth) / self.segments

    def patches(self, footprint: Footprint) -> list[Patch]:
        return sides_of_box(self.width, self.height, self.depth, self.segments, self.inward)


def segments_of_longest(default: int) -> Any:
    """Quads across the longest of six sides."""
    return number(
        default, 1, 2000, label="Base segments", step=1, slider=(1, 100),
        help="Quads across the longest side before subdivision; across the others as many as keep them nearly square.",
    )  # fmt: skip


class Box(SixSides):
    """A box with hard edges."""

    title: ClassVar[str] = "Box"
    about: ClassVar[str] = "A block, a beam, a plinth"
    kind: Literal["box"] = "box"
    width: float = length(1000, label="Width", help="From left to right.")
    height: float = length(1000, label="Height", help="From bottom to top.")
    depth: float = length(1000, label="Depth", help="From front to back.")
    segments: int = segments_of_longest(8)


def sides_of_box(width: float, height: float, depth: float, segments: int, inward: bool) -> list[Patch]:
    """The six sides of a box, seen from outside or from inside; on the walls v runs up, on floor and ceiling back."""
    edge = max(width, height, depth) / segments
    x, y, z = width / 2, height / 2, depth / 2
    sides = {
        "front": ((width, 0, 0), (0, height, 0), (0, 0, z)),
        "back": ((-width, 0, 0), (0, height, 0), (0, 0, -z)),
        "right": ((0, 0, -depth), (0, height, 0), (x, 0, 0)),
        "left": ((0, 0, depth), (0, height, 0), (-x, 0, 0)),
        "top": ((width, 0, 0), (0, 0, -depth), (0, y, 0)),
        "bottom": ((width, 0, 0), (0, 0, depth), (0, -y, 0)),
    }
    patches = []
    for name, (right, up, middle) in sides.items():
        across, down = (max(map(abs, direction)) for direction in (right, up))
        seen = (-right[0], -right[1], -right[2]) if inward else right
        called = {"top": "ceiling", "bottom": "floor"}.get(name, f"{name} wall") if inward else name
        part = Part(called, across, down)
        patches.append(flat(part, near_squares(across, edge), near_squares(down, edge), seen, up, middle))
    return patches

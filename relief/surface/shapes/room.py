"""The room: a box seen from inside, whose walls come towards the middle where the relief stands out."""

from __future__ import annotations

from typing import ClassVar, Literal

from relief.surface.shapes.box import SixSides, segments_of_longest
from relief.surface.shapes.shape import length


class Room(SixSides):
    """Four walls, a floor and a ceiling that face inward."""

    title: ClassVar[str] = "Room"
    about: ClassVar[str] = "A box seen from inside"
    inward: ClassVar[bool] = True
    kind: Literal["room"] = "room"
    width: float = length(4000, label="Width", help="From the left wall to the right one.")
    height: float = length(2500, label="Height", help="From floor to ceiling.")
    depth: float = length(3000, label="Depth", help="From the front wall to the back one.")
    segments: int = segments_of_longest(16)

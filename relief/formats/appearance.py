"""How one region of a surface looks where a delivery goes: the maps that its material takes, and how they are read."""

from __future__ import annotations

from dataclasses import dataclass

GREY = (0.8, 0.8, 0.8)
"""Of a surface without a colour map."""

ROUGHNESS = 0.8
"""Of a surface without a roughness map."""


@dataclass(frozen=True)
class Appearance:
    """The material of one region.

    Attributes:
        name: of the region, as files name it.
        relief: the key of the relief that it carries; empty for none.
        maps: file names by role: `colour`, `normal`, `displacement`, `roughness`, `metalness`, `occlusion`; only those
            that are of use to the mesh as it is delivered.
        green_down, red_left: how the normal map is turned.
        normal_up: the file name of the one that has green up and red to the right.
        rise: real length of 0 to 1 of the displacement map, in the unit of the delivery.
        midlevel: its value that stays on the surface.
    """

    name: str
    relief: str
    maps: dict[str, str]
    green_down: bool = False
    red_left: bool = False
    normal_up: str = ""
    rise: float = 0.0
    midlevel: float = 0.5

"""Roughness: of a map that came along or the photo, and of the relief: hollows keep dust, edges are polished."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import ClassVar, Literal, Self

import numpy as np

from relief.height import HeightField
from relief.maps.companion import NOTHING, CompanionMap
from relief.maps.curvature import hollow
from relief.maps.slopes import steepness
from relief.parameters import choice, number
from relief.sources.colour import LUMINANCE_WEIGHTS

Ground = Literal["level", "along", "photo"]


class Roughness(CompanionMap):
    """How dull the surface is: one level, a set's own map or the photo, with cavities and slopes on top."""

    title: ClassVar[str] = "Roughness"
    reads: ClassVar[str] = "White is dull, black is glossy. Inverted it is a gloss map."
    role: ClassVar[str] = "roughness"
    kind: Literal["roughness"] = "roughness"
    ground: Ground = choice(
        "level",
        {"level": "One level", "along": "The set's roughness", "photo": "The brightness of the colours"},
        label="Starts from",
        help="The roughness before cavities and slopes are added. Without such a map or colours it is the level.",
    )  # fmt: skip
    level: float = number(0.6, 0, 1, label="Level", step=0.01, help="The roughness of level, even ground.")
    cavities: float = number(
        0.3, -1, 1, label="Cavities", step=0.01, help="How much rougher cavities are, and how much glossier edges are."
    )
    slopes: float = number(0, -1, 1, label="Slopes", step=0.01, help="How much rougher steep places are.")
    size: float = number(
        2, 0.001, 100_000_000, label="Size", unit="mm", step=0.1, slider=(0.1, 50), logarithmic=True,
        help="How wide a hollow must be to count as a cavity.",
    )  # fmt: skip

    @classmethod
    def start_for(cls, roles: Collection[str], layers: int) -> Self:
        # the map of a set has its own cavities in it
        return cls(ground="along", cavities=0) if "roughness" in roles else cls()

    @property
    def beside(self) -> tuple[str, ...]:
        return {"along": ("roughness",), "photo": ("colour",)}.get(self.ground, ())

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        rough = np.full_like(field.samples, self.level)
        if self.ground == "along" and "roughness" in beside:
            rough = beside["roughness"].copy()
        elif self.ground == "photo" and "colour" in beside:
            colours = beside["colour"]
            rough = colours @ np.array(LUMINANCE_WEIGHTS, np.float32) if colours.ndim == 3 else colours.copy()
        if self.cavities:
            rough += np.float32(self.cavities) * hollow(field, amplitude, self.size)
        if self.slopes:
            rough += np.float32(self.slopes / 90) * steepness(field, amplitude)
        return rough

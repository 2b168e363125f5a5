"""Roughness from the relief: hollows keep dust, edges are polished, slopes are washed."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.maps.companion import CompanionMap
from relief.maps.curvature import mean_curvature
from relief.maps.slopes import steepness
from relief.parameters import number
from relief.treat.soften import softened


class Roughness(CompanionMap):
    """How dull the surface is, from its cavities and slopes."""

    title: ClassVar[str] = "Roughness"
    reads: ClassVar[str] = "White is dull, black is glossy. Inverted it is a gloss map."
    kind: Literal["roughness"] = "roughness"
    level: float = number(0.6, 0, 1, label="Level", step=0.01, help="The roughness of level, even ground.")
    cavities: float = number(
        0.3, -1, 1, label="Cavities", step=0.01, help="How much duller cavities are, and how much glossier edges."
    )
    slopes: float = number(0, -1, 1, label="Slopes", step=0.01, help="How much duller steep places are.")
    size: float = number(
        2, 0.001, 10_000, label="Size", unit="mm", step=0.1, slider=(0.1, 50), logarithmic=True,
        help="How wide the cavities are that count.",
    )  # fmt: skip

    def draw(self, field: HeightField, amplitude: float) -> np.ndarray:
        smooth = field.with_samples(softened(field, self.size / 2))
        hollow = np.tanh(mean_curvature(smooth, amplitude) * np.float32(self.size))
        steep = steepness(field, amplitude) / np.float32(90)
        return np.float32(self.level) + np.float32(self.cavities) * hollow + np.float32(self.slopes) * steep

"""Gradient noise: Perlin 2002, on a lattice that tiles."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Grid
from relief.generate.kernels import add_gradient
from relief.generate.noise import SummedNoise, gradients
from relief.progress import Progress


class GradientNoise(SummedNoise):
    """Rolling ground: soft hills, and with more octaves rock and bark."""

    title: ClassVar[str] = "Gradient noise"
    kind: Literal["gradient_noise"] = "gradient_noise"

    def draw_slowly(self, grid: Grid, progress: Progress) -> np.ndarray:
        return self.sum_octaves(grid, add_gradient, gradients, progress)

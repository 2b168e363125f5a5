"""Value noise: random heights on a lattice that tiles, a smooth surface through them."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Grid
from relief.generate.kernels import add_value
from relief.generate.lattice import Lattice
from relief.generate.noise import SummedNoise
from relief.progress import Progress


class ValueNoise(SummedNoise):
    """Blotchy ground: plaster, worn paint, patches."""

    title: ClassVar[str] = "Value noise"
    kind: Literal["value_noise"] = "value_noise"

    def draw_slowly(self, grid: Grid, progress: Progress) -> np.ndarray:
        return self.sum_octaves(grid, add_value, heights, progress)


def heights(lattice: Lattice, seed: int, beyond: float, octave: int) -> np.ndarray:
    """A height for each lattice place."""
    return lattice.randoms(seed, 1, beyond, octave)

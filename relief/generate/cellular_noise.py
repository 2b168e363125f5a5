"""Cellular noise: S. Worley 1996, A cellular texture basis function, SIGGRAPH 1996."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Grid
from relief.generate.kernels import cells
from relief.generate.noise import NOTHING, Noise
from relief.parameters import choice, number

Measure = Literal["nearest", "second", "edges", "value"]
SHAPES = {"round": 0, "square": 1, "diamond": 2}


class CellularNoise(Noise):
    """Cells round scattered points: pebbles, scales, cracked mud, flagstones."""

    title: ClassVar[str] = "Cellular noise"
    kind: Literal["cellular_noise"] = "cellular_noise"
    octaves: int = number(
        1, 1, 10, label="Octaves", step=1, slider=(1, 8),
        help="How many finer layers are added, each a step smaller than the one before.",
    )  # fmt: skip
    measure: Measure = choice(
        "edges",
        {"nearest": "To the nearest (F1)", "second": "To the second (F2)", "edges": "From the edge (F2 - F1)",
         "value": "A height for each cell"},
        label="Height is", help="What is measured: distances to the points, how far from a cell's edge, or flat cells.",
    )  # fmt: skip
    shape: Literal["round", "square", "diamond"] = choice(
        "round", {"round": "Round", "square": "Square", "diamond": "Diamond"}, label="Distance",
        help="How distances are measured, which is the shape the cells lean to.",
    )  # fmt: skip
    jitter: float = number(
        1, 0, 1, label="Scatter", step=0.01, help="How far points stray from a grid; 0 leaves them on it."
    )

    def draw(self, grid: Grid) -> np.ndarray:
        total = np.zeros((grid.rows, grid.columns), np.float32)
        bend = self.bend(grid)
        whole = 0.0
        for number_ in range(self.octaves):
            weight = self.gain**number_
            total += np.float32(weight) * (self._measured(grid, number_, bend) - np.float32(0.5))
            whole += weight
        return np.float32(0.5) + total * np.float32(self.contrast / max(whole, 1e-9))

    def _measured(self, grid: Grid, octave: int, bend: tuple[np.ndarray, np.ndarray]) -> np.ndarray:
        """One octave, 0 to 1."""
        nearest, second, value = self.distances(grid, octave, bend)
        match self.measure:
            case "nearest":
                return np.clip(1 - nearest, 0, 1)
            case "second":
                return np.clip(second / np.float32(1.5), 0, 1)
            case "edges":
                return np.clip(second - nearest, 0, 1)
            case _:
                return value

    def distances(
        self, grid: Grid, octave: int = 0, bend: tuple[np.ndarray, np.ndarray] = (NOTHING, NOTHING)
    ) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """F1 and F2 in cells, and the number of the nearest cell, 0 to 1; each float32 (rows, columns)."""
        lattice = self.lattice(grid.footprint, octave)
        beyond = 0.0
        if bend[0].size:
            reach = max(abs(lattice.a), abs(lattice.b), abs(lattice.c), abs(lattice.d))
            beyond = 2 * reach * float(max(np.abs(bend[0]).max(), np.abs(bend[1]).max()))
        table = lattice.randoms(self.seed + octave, 3, beyond)
        first_u, first_v, _, _ = lattice.bounds(beyond)
        out = tuple(np.empty((grid.rows, grid.columns), np.float32) for _ in range(3))
        matrix = (float(lattice.a), float(lattice.b), float(lattice.c), float(lattice.d))
        cells(table, matrix, first_u, first_v, *bend, np.float32(self.jitter), SHAPES[self.shape], *out)
        return out[0], out[1], out[2]

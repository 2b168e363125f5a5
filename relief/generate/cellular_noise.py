"""Cellular noise: S. Worley 1996, A cellular texture basis function, SIGGRAPH 1996."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Grid
from relief.generate.kernels import add_cells, measure_cells
from relief.generate.noise import NOTHING, Noise, cells_beyond, offset_of, place_lattice
from relief.parameters import choice, number
from relief.progress import Progress

Measure = Literal["nearest", "second", "edges", "value"]
MEASURES: dict[Measure, int] = {"nearest": 0, "second": 1, "edges": 2, "value": 3}
SHAPES = {"round": 0, "square": 1, "diamond": 2}


class CellularNoise(Noise):
    """Cells around scattered points: pebbles, scales, cracked mud, flagstones."""

    title: ClassVar[str] = "Cellular noise"
    kind: Literal["cellular_noise"] = "cellular_noise"
    octaves: int = number(
        1, 1, 10, label="Octaves", step=1, slider=(1, 8),
        help="How many finer octaves are added, each a step smaller than the one before.",
    )  # fmt: skip
    measure: Measure = choice(
        "edges",
        {"nearest": "To the nearest (F1)", "second": "To the second (F2)", "edges": "From the edge (F2 - F1)",
         "value": "A height for each cell"},
        label="Height is", help="What is measured: distances to the points, how far from a cell's edge, or flat cells.",
    )  # fmt: skip
    shape: Literal["round", "square", "diamond"] = choice(
        "round", {"round": "Round", "square": "Square", "diamond": "Diamond"}, label="Distance",
        help="How distances are measured; it decides the shape of the cells.",
    )  # fmt: skip
    jitter: float = number(
        1, 0, 1, label="Scatter", step=0.01, help="How far points stray from a grid; 0 leaves them on it."
    )

    def draw_slowly(self, grid: Grid, progress: Progress) -> np.ndarray:
        total = np.zeros((grid.rows, grid.columns), np.float32)
        bend = self.bend(grid)
        whole = sum(self.gain**octave for octave in range(self.octaves))
        for octave in range(self.octaves):
            progress.step(octave / self.octaves, self.title)
            weight = np.float32(self.gain**octave * self.contrast / whole)
            add_cells(*self._cells(grid, octave, bend), SHAPES[self.shape], MEASURES[self.measure], weight, total)
        return np.float32(0.5) + total

    def _cells(self, grid: Grid, octave: int, bend: tuple[np.ndarray, np.ndarray]) -> tuple:
        """What the loops take: the points and heights of the cells of one octave, and where their lattice lies."""
        lattice = self.lattice(grid.footprint, octave)
        beyond = cells_beyond(lattice, bend)
        table = lattice.randoms(self.seed, 3, beyond, octave)
        table[..., :2] = np.float32(0.5) + np.float32(self.jitter) * (table[..., :2] - np.float32(0.5))
        return (
            np.ascontiguousarray(np.moveaxis(table, -1, 0)),
            *place_lattice(lattice, beyond, offset_of(self.seed, octave)),
            *bend,
        )

    def distances(self, grid: Grid) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """F1 and F2 in cells, and the height of the nearest cell, 0 to 1; each float32 (rows, columns)."""
        out = np.empty((3, grid.rows, grid.columns), np.float32)
        measure_cells(*self._cells(grid, 0, (NOTHING, NOTHING)), SHAPES[self.shape], grid.rows, out)
        return out[0], out[1], out[2]

"""Layout: how often a layer repeats within the footprint, and where it begins."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from relief.generate.generator import Grid
from relief.height import Footprint
from relief.parameters import Parameters, choice, number
from relief.resample import resampled

WRAP = (True, True)


class Layout(Parameters):
    """Where a layer lies; its heights and its companions move together."""

    repeats_across: int = number(
        1,
        1,
        64,
        label="Repeats across",
        step=1,
        slider=(1, 12),
        help="How often the layer repeats across the footprint.",
    )
    repeats_down: int = number(
        1, 1, 64, label="Repeats down", step=1, slider=(1, 12), help="How often the layer repeats down the footprint."
    )
    shift_across: float = number(
        0, 0, 100, label="Shift across", unit="%", step=1, help="How far it is moved to the right."
    )
    shift_down: float = number(0, 0, 100, label="Shift down", unit="%", step=1, help="How far it is moved down.")
    quarters: Literal[0, 1, 2, 3] = choice(
        0, {0: "None", 1: "A quarter left", 2: "Half around", 3: "A quarter right"}, label="Turn",
        help="Turned by right angles it keeps tiling.",
    )  # fmt: skip

    def cell(self, grid: Grid) -> Grid:
        """The grid of one repeat, before it is turned."""
        width = grid.footprint.width / self.repeats_across
        height = grid.footprint.height / self.repeats_down
        rows, columns = math.ceil(grid.rows / self.repeats_down), math.ceil(grid.columns / self.repeats_across)
        if self.quarters % 2:
            return Grid(columns, rows, Footprint().resized(height, width))
        return Grid(rows, columns, grid.footprint.resized(width, height))

    def laid(self, samples: np.ndarray, grid: Grid) -> np.ndarray:
        """Samples of one repeat (rows, columns[, channels]) over the whole grid."""
        turned = np.rot90(samples, self.quarters) if self.quarters else samples
        still = (1,) * (samples.ndim - 2)
        tiled = np.tile(turned, (self.repeats_down, self.repeats_across, *still))
        whole = resampled(tiled, grid.rows, grid.columns, "area", WRAP)
        by = round(self.shift_down / 100 * grid.rows), round(self.shift_across / 100 * grid.columns)
        return np.roll(whole, by, (0, 1)) if any(by) else whole

"""Layout: how often a layer repeats within the footprint, and where it begins."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from relief.filters.resample import resample
from relief.generate.generator import Grid
from relief.height import Footprint
from relief.parameters import Parameters, choice, number

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
    arrangement: Literal["rows", "brick", "half_drop", "centre_corners"] = choice(
        "rows",
        {"rows": "Rows, columns", "brick": "Brick", "half_drop": "Half drop", "centre_corners": "Centre and corners"},
        label="Arranged",
        help="How the repeats are arranged. Brick shifts every other row by half, half drop every other column. "
            "Centre and corners lays the layer twice, once shifted by half both ways, and keeps the taller: that "
            "hides the repeat of a single motif.",
    )  # fmt: skip
    shift_across: float = number(
        0, 0, 100, label="Shift across", unit="%", step=1, help="Moves the layer to the right."
    )
    shift_down: float = number(0, 0, 100, label="Shift down", unit="%", step=1, help="Moves the layer down.")
    quarters: Literal[0, 1, 2, 3] = choice(
        0, {0: "None", 1: "90° left", 2: "180°", 3: "90° right"}, label="Rotation",
        help="Rotates the layer by right angles, so that it still tiles.",
    )  # fmt: skip

    @property
    def counts(self) -> tuple[int, int]:
        """Repeats across and down as they are laid: those that are moved by half come in pairs, so that it tiles."""
        across, down = self.repeats_across, self.repeats_down
        across += across % 2 if self.arrangement == "half_drop" else 0
        down += down % 2 if self.arrangement == "brick" else 0
        return across, down

    def nudges(self) -> list[str]:
        """In words, which number was changed so that it tiles."""
        across, down = self.counts
        if across != self.repeats_across:
            return [
                f"{across} repeats across instead of {self.repeats_across}, so that every other one can be shifted."
            ]
        if down != self.repeats_down:
            return [f"{down} repeats down instead of {self.repeats_down}, so that every other one can be shifted."]
        return []

    def cell(self, grid: Grid) -> Grid:
        """The grid of one repeat, before it is turned."""
        across, down = self.counts
        width, height = grid.footprint.width / across, grid.footprint.height / down
        rows, columns = math.ceil(grid.rows / down), math.ceil(grid.columns / across)
        if self.quarters % 2:
            return Grid(columns, rows, Footprint().resize(height, width))
        return Grid(rows, columns, grid.footprint.resize(width, height))

    def repeat(self, samples: np.ndarray, grid: Grid, second: np.ndarray | None = None) -> np.ndarray:
        """Samples of one repeat (rows, columns[, channels]) over the whole grid.

        `second` is where the copy is seen that is moved by half both ways, as `second_seen` has it.
        """
        whole = resample(self._tile(samples), grid.rows, grid.columns, "area", WRAP)
        by = round(self.shift_down / 100 * grid.rows), round(self.shift_across / 100 * grid.columns)
        whole = np.roll(whole, by, (0, 1)) if any(by) else whole
        if second is None:
            return whole
        return np.where(second[..., None] if whole.ndim == 3 else second, self._move_by_half(whole), whole)

    def find_second_copy(self, heights: np.ndarray, cover: np.ndarray | None, grid: Grid) -> np.ndarray | None:
        """Where the second of two copies is seen: the taller, as far as each is there. None where there is one only."""
        if self.arrangement != "centre_corners":
            return None
        standing = self.repeat(heights - heights.min() + 1e-3, grid)
        if cover is not None:
            standing = standing * self.repeat(cover, grid)
        return self._move_by_half(standing) > standing

    def _tile(self, samples: np.ndarray) -> np.ndarray:
        """All repeats beside each other."""
        cell = np.rot90(samples, self.quarters) if self.quarters else samples
        across, down = self.counts
        still = (1,) * (samples.ndim - 2)
        if self.arrangement == "brick":
            row = np.tile(cell, (1, across, *still))
            return np.tile(np.concatenate([row, np.roll(row, cell.shape[1] // 2, 1)]), (down // 2, 1, *still))
        if self.arrangement == "half_drop":
            column = np.tile(cell, (down, 1, *still))
            moved = np.roll(column, cell.shape[0] // 2, 0)
            return np.tile(np.concatenate([column, moved], axis=1), (1, across // 2, *still))
        return np.tile(cell, (down, across, *still))

    def _move_by_half(self, whole: np.ndarray) -> np.ndarray:
        """A repeated field (rows, columns), moved by half a repeat both ways."""
        across, down = self.counts
        return np.roll(whole, (round(whole.shape[0] / down / 2), round(whole.shape[1] / across / 2)), (0, 1))

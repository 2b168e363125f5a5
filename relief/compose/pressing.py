"""One small relief pressed in at many places.

The field is worked on in square tiles. Of the imprints that reach into one, those come first that may stand tallest
there, and those that can neither be seen nor cover more are left out: imprints over each other cost about what they
cover, however many there are.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from relief.filters.resample import resample_by_area
from relief.filters.warp import BEYOND, cubic_at
from relief.generate.generator import Grid
from relief.height import HeightField
from relief.kernels import kernel
from relief.progress import Progress

FRAME = 2
"""Texels around a stamp in which it has run out."""

FINER = 1.2
"""Stamps are averaged in steps of this factor, so that imprints of nearly one size share one."""

TILE = 16
"""Texels on a side of a tile."""

BLOCK = 4
"""Texels on a side of the blocks of a stamp whose highest is known."""

OVERSHOOT = 0.29
"""How far bicubic values may lie beyond those they are made of, as a part of their range: the weights of Keys 1981
(a = -1/2) without their signs come to 5/4, to 25/16 in two directions, so those below zero to (25/16 - 1) / 2."""

LOWEST = np.float32(-1e30)
TILES_AT_ONCE = 512


@dataclass(frozen=True)
class Press:
    """One imprint: its middle as parts of the footprint, its turn in radians, and its size beside the others."""

    x: float
    y: float
    turn: float
    size: float


class Windows(NamedTuple):
    """The windows of texels that imprints reach into, each within one repeat of the field.

    Attributes:
        press: the number of the imprint, int64 (windows,).
        rows, columns: from and up to, within the field, int64 (windows, 2) each.
        tile: how many repeats down and across they lie from the field, int64 (windows, 2).
    """

    press: np.ndarray
    rows: np.ndarray
    columns: np.ndarray
    tile: np.ndarray


def press_stamp(
    small: HeightField,
    places: list[Press],
    grid: Grid,
    wraps: tuple[bool, bool],
    companion: np.ndarray | None = None,
    progress: Progress | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """A small relief pressed in at many places; where imprints meet the taller is seen.

    Args:
        small: the relief of one imprint, with its alpha.
        places: where.
        grid: what it is pressed into.
        wraps: whether an imprint over the edge comes in again on the other side (across, down), as often as it must.
        companion: (rows, columns, channels) of one imprint, to be set at the same places in place of its heights.
        progress: told how far it is; may cancel meanwhile.

    Returns:
        Heights (or companions) and cover: float32 (rows, columns[, channels]) and (rows, columns).
    """
    values, covered, _ = press_and_count(small, places, grid, wraps, companion, progress)
    return values, covered


def press_and_count(
    small: HeightField,
    places: list[Press],
    grid: Grid,
    wraps: tuple[bool, bool],
    companion: np.ndarray | None = None,
    progress: Progress | None = None,
) -> tuple[np.ndarray, np.ndarray, int]:
    """The same, and how many texels of imprints were looked at for it."""
    channels = () if companion is None else companion.shape[2:]
    values = np.zeros((grid.rows, grid.columns, *channels), np.float32)
    tallest = np.full((grid.rows, grid.columns), LOWEST, np.float32)
    covered = np.zeros((grid.rows, grid.columns), np.float32)
    flat = values.reshape(grid.rows, grid.columns, -1)
    stamps = _Stamps(small, companion)
    placed = np.array([(place.x, place.y, place.turn, place.size) for place in places], np.float64).reshape(-1, 4)
    across = -(-grid.columns // TILE)
    looked_at = 0
    counts_of = stamps.counts(placed[:, 3], grid)
    for few in np.unique(counts_of, axis=0):
        alike = placed[(counts_of == few).all(axis=1)]
        stamp, matrices = stamps.at(alike, (int(few[0]), int(few[1])), grid)
        windows = windows_of(alike, small, grid, wraps)
        starts, members = _by_tile(windows, grid, across)
        highest = _highest_of_blocks(stamp, stamps.channels)
        reached = np.flatnonzero(np.diff(starts))
        for first in range(0, len(reached), TILES_AT_ONCE):
            (progress or Progress()).step(first / len(reached), "Pressing in")
            tiles = reached[first : first + TILES_AT_ONCE]
            counts = np.zeros(len(tiles), np.int64)
            _press(
                stamp, stamps.channels, highest, matrices, windows, tiles, starts, members, across, tallest, covered,
                flat, counts,
            )  # fmt: skip
            looked_at += int(counts.sum())
    return values, covered, looked_at


def count_windows(sizes: np.ndarray, small: HeightField, grid: Grid) -> tuple[float, float]:
    """About how many windows imprints of some sizes have on a grid that wraps, and how many texels are in them."""
    half = 0.5 * sizes * math.hypot(*small.footprint.sides)
    wide, high = 2 * half / grid.footprint.width, 2 * half / grid.footprint.height
    windows = float(((wide + 2) * (high + 2)).sum())
    texels = float(((2 * half / grid.spacing[0] + 2) * (2 * half / grid.spacing[1] + 2)).sum())
    return windows, texels


def windows_of(placed: np.ndarray, small: HeightField, grid: Grid, wraps: tuple[bool, bool]) -> Windows:
    """Where imprints (x, y, turn, size) reach, parted where they go over an edge that wraps."""
    half = 0.5 * placed[:, 3] * math.hypot(*small.footprint.sides)
    spans = []
    for axis, count in ((1, grid.rows), (0, grid.columns)):
        middle, step = placed[:, axis] * grid.footprint.sides[axis], grid.spacing[axis]
        first = np.floor((middle - half) / step).astype(np.int64)
        last = np.ceil((middle + half) / step).astype(np.int64) + 1
        if not wraps[axis]:
            first, last = np.clip(first, 0, count), np.clip(last, 0, count)
        spans.append((first, last, first // count, np.maximum(last - 1, first) // count))
    (top, bottom, above, below), (left, right, before, behind) = spans
    down, over = below - above + 1, behind - before + 1
    press, number = _count_out(down * over)
    tile = np.stack([above[press] + number // over[press], before[press] + number % over[press]], axis=1)
    rows, columns = (
        np.clip(np.stack([low[press], high[press]], axis=1) - tile[:, [side]] * count, 0, count)
        for side, (low, high, count) in enumerate(((top, bottom, grid.rows), (left, right, grid.columns)))
    )
    some = (rows[:, 1] > rows[:, 0]) & (columns[:, 1] > columns[:, 0])
    return Windows(press[some], rows[some], columns[some], tile[some])


def _count_out(counts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Whose each of some items is of which everybody has so many, and the number that it has there."""
    owners = np.repeat(np.arange(len(counts)), counts)
    return owners, np.arange(len(owners)) - np.repeat(np.cumsum(counts) - counts, counts)


def _by_tile(windows: Windows, grid: Grid, across: int) -> tuple[np.ndarray, np.ndarray]:
    """For each tile of the field the windows that reach into it: where its list begins, and the lists."""
    top, left = windows.rows[:, 0] // TILE, windows.columns[:, 0] // TILE
    high, wide = (windows.rows[:, 1] - 1) // TILE - top + 1, (windows.columns[:, 1] - 1) // TILE - left + 1
    members, number = _count_out(high * wide)
    tiles = (top[members] + number // wide[members]) * across + left[members] + number % wide[members]
    order = np.argsort(tiles, kind="stable")
    counts = np.bincount(tiles, minlength=across * -(-grid.rows // TILE))
    return np.concatenate([[0], np.cumsum(counts)]), members[order]


def _highest_of_blocks(stamp: np.ndarray, channels: int) -> np.ndarray:
    """How high a stamp stands at most in each of its blocks, bicubically, and how much it covers: float32 (., ., 2)."""
    framed = stamp.reshape(len(stamp), -1, channels)[BEYOND - 1 :, BEYOND - 1 :, :2]  # from one texel before
    rows, columns = (-(-(side - 2 * BEYOND) // BLOCK) for side in (len(stamp), stamp.shape[1] // channels))
    most = np.empty((rows, columns, 2), np.float32)
    for row in range(rows):
        for column in range(columns):
            near = framed[row * BLOCK : (row + 1) * BLOCK + 3, column * BLOCK : (column + 1) * BLOCK + 3]
            high, low = near.max(axis=(0, 1)), near.min(axis=(0, 1))
            most[row, column] = high + np.float32(OVERSHOOT) * (high - low)
    most[..., 1] = np.clip(most[..., 1], 0, 1)
    most[..., 0] = np.maximum(most[..., 0], 0) * most[..., 1]
    return most


@kernel(rows_of="tiles")
def _press(
    begin, end, stamp, channels, highest, matrices, windows, tiles, starts, members, across, tallest, covered, values,
    counts,
):  # fmt: skip
    """Channel 0 of a stamp are its heights, 1 is where it is, the others are companions to be set in their place."""
    press, rows_of, columns_of, repeat = windows
    rows, columns = tallest.shape
    last_row, last_column = stamp.shape[0] - 2 * BEYOND - 1, stamp.shape[1] // channels - 2 * BEYOND - 1
    for which in range(begin, end):
        tile = tiles[which]
        top, left = tile // across * TILE, tile % across * TILE
        bottom, right = min(top + TILE, rows), min(left + TILE, columns)
        first, count = starts[tile], starts[tile + 1] - starts[tile]
        most = np.zeros((count, 2), np.float32)
        for number in range(count):
            window = members[first + number]
            matrix = matrices[press[window]]
            low_x, high_x, low_y, high_y = np.inf, -np.inf, np.inf, -np.inf
            for row in (max(top, rows_of[window, 0]), min(bottom, rows_of[window, 1]) - 1):
                for column in (max(left, columns_of[window, 0]), min(right, columns_of[window, 1]) - 1):
                    far_row, far_column = row + repeat[window, 0] * rows, column + repeat[window, 1] * columns
                    x = matrix[0, 0] * far_column + matrix[0, 1] * far_row + matrix[0, 2]
                    y = matrix[1, 0] * far_column + matrix[1, 1] * far_row + matrix[1, 2]
                    low_x, high_x, low_y, high_y = min(low_x, x), max(high_x, x), min(low_y, y), max(high_y, y)
            if high_x >= 0 and high_y >= 0 and low_x < last_column and low_y < last_row:
                for row in range(int(max(low_y, 0)) // BLOCK, int(min(high_y, last_row - 1)) // BLOCK + 1):
                    for column in range(int(max(low_x, 0)) // BLOCK, int(min(high_x, last_column - 1)) // BLOCK + 1):
                        most[number, 0] = max(most[number, 0], highest[row, column, 0])
                        most[number, 1] = max(most[number, 1], highest[row, column, 1])
        order = np.argsort(-most[:, 0])
        lowest, least = LOWEST, np.float32(0)  # of what stands in the tile, and of what is covered of it
        for number in order:
            height_bound, cover_bound = most[number, 0], most[number, 1]
            if cover_bound <= 0 or (height_bound <= lowest and cover_bound <= least):
                continue
            window = members[first + number]
            matrix = matrices[press[window]]
            for row in range(max(top, rows_of[window, 0]), min(bottom, rows_of[window, 1])):
                for column in range(max(left, columns_of[window, 0]), min(right, columns_of[window, 1])):
                    if height_bound <= tallest[row, column] and cover_bound <= covered[row, column]:
                        continue
                    far_row, far_column = row + repeat[window, 0] * rows, column + repeat[window, 1] * columns
                    x = matrix[0, 0] * far_column + matrix[0, 1] * far_row + matrix[0, 2]
                    y = matrix[1, 0] * far_column + matrix[1, 1] * far_row + matrix[1, 2]
                    if 0 <= x < last_column and 0 <= y < last_row:
                        counts[which] += 1
                        alpha = min(cubic_at(stamp, channels, 1, x, y), np.float32(1))
                        if alpha > 0:
                            height = cubic_at(stamp, channels, 0, x, y)
                            covered[row, column] = max(covered[row, column], alpha)
                            # a thin rim of one imprint does not hide the next
                            if height * alpha > tallest[row, column]:
                                tallest[row, column] = height * alpha
                                if channels == 2:
                                    values[row, column, 0] = height
                                for channel in range(2, channels):
                                    values[row, column, channel - 2] = cubic_at(stamp, channels, channel, x, y)
            lowest, least = np.float32(1e30), np.float32(1)
            for row in range(top, bottom):
                for column in range(left, right):
                    lowest, least = min(lowest, tallest[row, column]), min(least, covered[row, column])


class _Stamps:
    """One imprint's heights, alpha and companions, averaged beforehand where many of its texels fall into one."""

    def __init__(self, small: HeightField, companion: np.ndarray | None) -> None:
        self.small = small
        alpha = np.ones_like(small.samples) if small.alpha is None else small.alpha
        parts = [small.samples[..., None], alpha[..., None]] + ([] if companion is None else [companion])
        self.whole = np.concatenate(parts, axis=2).astype(np.float32)
        self.channels = self.whole.shape[2]

    def counts(self, sizes: np.ndarray, grid: Grid) -> np.ndarray:
        """Rows and columns of the stamps for imprints of some sizes: int64 (imprints, 2)."""
        found = []
        for axis, count in ((1, self.whole.shape[0]), (0, self.whole.shape[1])):
            shrink = grid.spacing[axis] * count / (self.small.footprint.sides[axis] * sizes)
            steps = np.floor(np.log(np.maximum(shrink, 1)) / math.log(FINER))
            few = np.maximum(1, np.ceil(count / FINER**steps))
            found.append(np.where(shrink <= FINER, count, few).astype(np.int64))
        return np.stack(found, axis=1)

    def at(self, placed: np.ndarray, few: tuple[int, int], grid: Grid) -> tuple[np.ndarray, np.ndarray]:
        """A framed stamp, its channels side by side, and for each imprint the affine map from texels of the grid to its
        own: float64 (imprints, 2, 3)."""
        x, y, turn, size = placed.T
        width, height = grid.spacing
        own_width, own_height = (side * size for side in self.small.footprint.sides)
        # from a texel to mm from the imprint's middle, turned back upright, to one of its own texels
        left, above = 0.5 * width - x * grid.footprint.width, 0.5 * height - y * grid.footprint.height
        cosine, sine = np.cos(turn), np.sin(turn)
        across, down = few[1] / own_width, few[0] / own_height
        matrices = np.empty((len(placed), 2, 3))
        matrices[:, 0, 0], matrices[:, 0, 1] = across * cosine * width, -across * sine * height
        matrices[:, 1, 0], matrices[:, 1, 1] = down * sine * width, down * cosine * height
        matrices[:, 0, 2] = across * (cosine * left - sine * above) + few[1] / 2 - 0.5 + FRAME
        matrices[:, 1, 2] = down * (sine * left + cosine * above) + few[0] / 2 - 0.5 + FRAME
        return _frame_stamp(resample_by_area(self.whole, *few)), matrices


def _frame_stamp(stamp: np.ndarray) -> np.ndarray:
    """A stamp with its channels side by side, and a frame around it in which it goes on and its alpha is 0."""
    around = FRAME + BEYOND
    framed = np.pad(stamp, ((around, around), (around, around), (0, 0)), mode="edge")
    inside = np.zeros(framed.shape[:2], bool)
    inside[around:-around, around:-around] = True
    framed[~inside, 1] = 0
    return np.ascontiguousarray(framed).reshape(len(framed), -1)

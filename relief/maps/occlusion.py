"""Ambient occlusion by horizons: how much of an even sky each place sees.

The mean over directions of cos^2 of the horizon's elevation: the cosine-weighted share of the sky for an upright
normal. References: L. Bavoil, M. Sainz & R. Dimitrov 2008, Image-space horizon-based ambient occlusion, SIGGRAPH talks;
H. C. Hottel's crossed strings (any view-factor catalogue) for the groove.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

import numba
import numpy as np

from relief.height import HeightField, extended, padded
from relief.kernels import inlined, kernel
from relief.maps.companion import NOTHING, CompanionMap
from relief.parameters import number
from relief.resample import averaged

GROWTH = 1.06
"""Steps outwards grow by this much once they are wider than a texel, so a horizon is hit within 6 % of its distance."""

NEAR = 16
"""Texels up to which every one is looked at. Farther away the relief is looked at on a grid of coarse texels."""

COARSE = 4
"""Texels across and down in a coarse one. What stands out of it counts, so that a thin wall is not missed."""

WORTH = 96
"""Texels of reach from which on the coarse grid is worth its while."""


def steps(
    counts: list[int], spacing: tuple[float, float], directions: int
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Where each direction is looked at: on whole texels along its longer axis, between two texels along the other.

    Args:
        counts: how many texels away along the longer axis.
        spacing: width and height of a texel, mm.
        directions: how many, evenly round.

    Returns:
        int32 (directions, steps, 2, 2), for both texels how far down and to the right; float32 (directions, steps), the
        share of the second; and float32 (directions, steps), one over the distance in mm.
    """
    ahead = _ahead(spacing, directions)
    offsets = (ahead / np.abs(ahead).max(axis=1, keepdims=True))[:, None, :] * np.array(counts)[None, :, None]
    first = np.floor(offsets + 1e-9)
    along_rows = np.abs(ahead[:, 0]) < np.abs(ahead[:, 1])  # these lie between two rows, the others between two columns
    aside = np.where(along_rows[:, None, None], (1, 0), (0, 1))
    share = np.clip((offsets - first).sum(axis=-1), 0, 1)
    distance = np.hypot(offsets[..., 0] * spacing[1], offsets[..., 1] * spacing[0])
    places = np.stack([first, first + aside], axis=2).astype(np.int32)
    return places, share.astype(np.float32), (1 / distance).astype(np.float32)


def _ahead(spacing: tuple[float, float], directions: int) -> np.ndarray:
    """Down and right in texels of a way of one mm in each direction: (directions, 2)."""
    angles = 2 * np.pi * (np.arange(directions) + 0.5) / directions
    return np.stack([-np.sin(angles) / spacing[1], np.cos(angles) / spacing[0]], axis=-1)


def _counts(first: int, reach: float, spacing: tuple[float, float], directions: int) -> list[int]:
    """Texels from `first` on that are looked at up to a reach in mm, fewer and fewer the farther they are."""
    longest = float(np.abs(_ahead(spacing, directions)).max())
    counts = [first]
    while counts[-1] / longest < reach:
        counts.append(max(counts[-1] + 1, int(counts[-1] * GROWTH)))
    return counts[:-1] if len(counts) > 1 and first > 1 else counts


@kernel
def _far_horizons(wide, own, beyond_down, beyond_across, places, share, inverse, out):
    """Of one direction: the slope up to the horizon as seen from height 0, and one over its distance."""
    rows, columns = own.shape
    for row in numba.prange(rows):
        here, horizon, nearness = own[row], np.full(columns, -np.inf, np.float32), np.zeros(columns, np.float32)
        for step in range(share.size):
            one, other = places[step, 0], places[step, 1]
            first, second = row + beyond_down + one[0], row + beyond_down + other[0]
            left, right = beyond_across + one[1], beyond_across + other[1]
            near, next_ = wide[first, left : left + columns], wide[second, right : right + columns]
            between, scale = share[step], inverse[step]
            for column in range(columns):
                slope = (near[column] + between * (next_[column] - near[column]) - here[column]) * scale
                nearness[column] = scale if slope > horizon[column] else nearness[column]
                horizon[column] = max(slope, horizon[column])
        for column in range(columns):
            out[0, row, column] = horizon[column] + here[column] * nearness[column]
        out[1, row] = nearness


@inlined
def _beside(wide, row, beyond_down, beyond_across, place, columns):
    """The two rows between which a step lies."""
    one, other = place[0], place[1]
    return (
        wide[row + beyond_down + one[0], beyond_across + one[1] : beyond_across + one[1] + columns],
        wide[row + beyond_down + other[0], beyond_across + other[1] : beyond_across + other[1] + columns],
    )


@kernel
def _add_seen(wide, beyond_down, beyond_across, places, share, inverse, far, far_row, far_column, part, out):
    """Adds what is seen of the sky in one direction; `far` are far horizons on a coarse grid, or empty."""
    rows, columns = out.shape
    last = share.size - 1
    for row in numba.prange(rows):
        here = wide[row + beyond_down, beyond_across : beyond_across + columns]
        horizon = np.zeros(columns, np.float32)
        if far.size:
            above, down = far_row[0][row], far_row[1][row]
            slope = far[0, above] + down * (far[0, above + 1] - far[0, above])
            nearness = far[1, above] + down * (far[1, above + 1] - far[1, above])
            left, right = far_column
            for column in range(columns):
                one = left[column]
                other = one + np.uint64(1)
                there = slope[one] + right[column] * (slope[other] - slope[one])
                scale = nearness[one] + right[column] * (nearness[other] - nearness[one])
                horizon[column] = max(there - here[column] * scale, np.float32(0))
        for step in range(0, share.size, 2):  # two at a time, so that horizons are read and written half as often
            following = min(step + 1, last)
            near, next_ = _beside(wide, row, beyond_down, beyond_across, places[step], columns)
            near_2, next_2 = _beside(wide, row, beyond_down, beyond_across, places[following], columns)
            between, scale, between_2, scale_2 = share[step], inverse[step], share[following], inverse[following]
            for column in range(columns):
                there = near[column] + between * (next_[column] - near[column])
                there_2 = near_2[column] + between_2 * (next_2[column] - near_2[column])
                higher = max((there - here[column]) * scale, (there_2 - here[column]) * scale_2)
                horizon[column] = max(horizon[column], higher)
        total = out[row]
        for column in range(columns):
            total[column] += part / (np.float32(1) + horizon[column] * horizon[column])


def occlusion(field: HeightField, amplitude: float, reach: float, directions: int) -> np.ndarray:
    """The share of the sky that is seen, 1 on flat ground: float32 (rows, columns).

    With a reach beyond 96 texels horizons beyond 16 are taken from a grid of coarse texels. Against looking at every
    texel the mean error is 0.008 at a reach of 250 texels on rough ground, and 0.05 at the bottom line of a steep V
    groove.

    Args:
        field: the height field.
        amplitude: mm that one unit of height stands for.
        reach: mm beyond which nothing hides the sky. Beyond the size of the footprint nothing new comes: what wraps is
            the same relief again, lower over the horizon, and what does not goes on level.
        directions: how many are looked at.
    """
    rows, columns = field.samples.shape
    spacing, wraps = field.spacing, field.edges.wraps
    reach = min(reach, max(field.footprint.sides))
    counts = _counts(1, reach, spacing, directions)
    far = _Far(field, amplitude, reach, directions) if counts[-1] > WORTH and min(rows, columns) >= COARSE else None
    places, share, inverse = steps(list(range(1, NEAR + 1)) if far else counts, spacing, directions)
    beyond_down, beyond_across = (int(np.abs(places[..., axis]).max()) for axis in (0, 1))
    wide = np.ascontiguousarray(padded(field.samples, (beyond_across, beyond_down), wraps)) * np.float32(amplitude)
    out = np.zeros((rows, columns), np.float32)
    part = np.float32(1 / directions)
    for way in range(directions):
        horizons, far_row, far_column = far.horizons(way, rows, columns) if far else NOT_FAR
        _add_seen(
            wide, beyond_down, beyond_across, places[way], share[way], inverse[way], horizons, far_row, far_column,
            part, out,
        )  # fmt: skip
    return out


NOT_FAR = np.zeros((2, 0, 0), np.float32), *((np.zeros(0, np.uint64), np.zeros(0, np.float32)),) * 2


class _Far:
    """The relief on coarse texels, for what lies farther away than `NEAR`."""

    def __init__(self, field: HeightField, amplitude: float, reach: float, directions: int) -> None:
        self.shape = tuple(max(1, count // COARSE) for count in field.samples.shape)
        footprint, self.wraps = field.footprint, field.edges.wraps
        spacing = footprint.width / self.shape[1], footprint.height / self.shape[0]
        counts = _counts(NEAR // COARSE, reach, spacing, directions)
        self.steps = steps(counts, spacing, directions)
        self.beyond = tuple(int(np.abs(self.steps[0][..., axis]).max()) for axis in (1, 0))
        mean = averaged(field.samples, *self.shape, self.wraps)
        self.own = mean * np.float32(amplitude)
        highest = _highest(field.samples, mean, self.wraps) * np.float32(amplitude)
        self.wide = np.ascontiguousarray(padded(highest, self.beyond, self.wraps))

    def horizons(self, way: int, rows: int, columns: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Far horizons of one direction, a coarse texel more on each side, and where full rows and columns lie."""
        out = np.empty((2, *self.shape), np.float32)
        steps_ = (part[way] for part in self.steps)
        _far_horizons(self.wide, self.own, self.beyond[1], self.beyond[0], *steps_, out)
        framed = np.stack([padded(part, (1, 1), self.wraps) for part in out])
        return framed, *(_between(*counts) for counts in zip((rows, columns), self.shape, strict=True))


def _between(count: int, coarse: int) -> tuple[np.ndarray, np.ndarray]:
    """Between which coarse texels of a framed side each texel lies: uint64, the first, and float32, how far towards the
    second.
    """
    place = (np.arange(count) + 0.5) * coarse / count + 0.5
    first = np.floor(place)
    return first.astype(np.uint64), (place - first).astype(np.float32)


def _highest(samples: np.ndarray, mean: np.ndarray, wraps: tuple[bool, bool]) -> np.ndarray:
    """How high each coarse texel stands: its mean, and what stands out highest above its own slope, if it is as high.

    Those that it shares with the next are included. float32, of the shape of `mean`.
    """
    wide = extended(mean, (1, 1), wraps)
    across, down = (wide[1:-1, 2:] - wide[1:-1, :-2]) / 2, (wide[2:, 1:-1] - wide[:-2, 1:-1]) / 2
    out = np.empty_like(mean)
    _take_highest(samples, mean, across, down, out)
    return out


@kernel
def _take_highest(samples, mean, across, down, out):
    rows, columns = out.shape
    high, wide = samples.shape[0] / rows, samples.shape[1] / columns
    for row in numba.prange(rows):
        top, bottom = int(np.floor(row * high)), int(np.ceil((row + 1) * high))
        for column in range(columns):
            left, right = int(np.floor(column * wide)), int(np.ceil((column + 1) * wide))
            above, highest = np.float32(0), np.float32(-np.inf)
            for old_row in range(top, min(bottom, samples.shape[0])):
                level = mean[row, column] + down[row, column] * np.float32((old_row + 0.5) / high - row - 0.5)
                for old_column in range(left, min(right, samples.shape[1])):
                    slope = across[row, column] * np.float32((old_column + 0.5) / wide - column - 0.5)
                    above = max(above, samples[old_row, old_column] - level - slope)
                    highest = max(highest, samples[old_row, old_column])
            out[row, column] = min(mean[row, column] + above, highest)


class Occlusion(CompanionMap):
    """How much of the sky each place sees: dark in hollows and at the foot of walls."""

    title: ClassVar[str] = "Occlusion"
    reads: ClassVar[str] = "White sees all of the sky, black none of it."
    slow: ClassVar[bool] = True
    kind: Literal["occlusion"] = "occlusion"
    reach: float = number(
        20, 0.01, 100_000, label="Reach", unit="mm", step=0.5, slider=(1, 200), logarithmic=True,
        help="How far away something still hides the sky. More than the size of the footprint adds nothing.",
    )  # fmt: skip
    directions: int = number(
        16,
        4,
        64,
        label="Directions",
        step=4,
        slider=(4, 32),
        help="How many directions are looked at; more is smoother.",
    )
    strength: float = number(
        1,
        0,
        8,
        label="Strength",
        step=0.05,
        slider=(0, 3),
        help="1 is true to the relief; more darkens hollows further.",
    )

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        return occlusion(field, amplitude, self.reach, self.directions) ** np.float32(self.strength)

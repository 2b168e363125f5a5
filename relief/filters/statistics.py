"""Figures of very many samples: percentiles by counting, deviations in one go, and a fair handful where all take long.

All samples count. Every n-th of them would not do: it may fall on the same place of every stripe.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.kernels import kernel, thread_count

SORTED = 1 << 18
"""Up to so many samples are sorted, which is exact; more are counted."""

BINS = 65_536


def percentiles(samples: np.ndarray, *shares: float) -> list[float]:
    """Percentiles (shares from 0 to 100) of all samples.

    Args:
        samples: float32 of any shape.
        shares: in percent.

    Returns:
        One value for each share. Of up to 2^18 samples as `numpy.percentile` has it; of more the sample of that rank.
    """
    flat = np.ascontiguousarray(samples, np.float32).reshape(-1)
    if flat.size <= SORTED:
        return [float(value) for value in np.percentile(flat, shares)]
    low, high = float(flat.min()), float(flat.max())
    if high <= low:
        return [low] * len(shares)
    first = np.cumsum(_count_levels(flat, low, high))
    ranks = [min(max(round(share / 100 * (flat.size - 1)), 0), flat.size - 1) for share in shares]
    return [min(max(_of_rank(flat, rank, low, high, first), low), high) for rank in ranks]


def _of_rank(flat: np.ndarray, rank: int, low: float, high: float, up_to: np.ndarray) -> float:
    """The sample of a rank: the part that holds it is counted again, as finely, until float32 knows nothing finer."""
    while True:
        place = int(np.searchsorted(up_to, rank, side="right"))
        rank -= int(up_to[place - 1]) if place else 0
        low, high = low + (high - low) / BINS * place, low + (high - low) / BINS * (place + 1)
        if high - low <= np.spacing(np.float32(max(abs(low), abs(high)))):
            return (low + high) / 2
        up_to = np.cumsum(_count_levels(flat, low, high, inside=True))
        # on the border of two parts rounding may put a sample into the other
        rank = min(rank, int(up_to[-1]) - 1)
        if rank < 0:
            return (low + high) / 2


def _count_levels(flat: np.ndarray, low: float, high: float, inside: bool = False) -> np.ndarray:
    """How many samples lie in each of `BINS` equal parts from `low` to `high`; with `inside` none from beyond."""
    counts = np.zeros((thread_count(), BINS), np.int64)
    _count(flat, low, BINS / (high - low), inside, counts)
    return counts.sum(axis=0)


@kernel(rows_of="counts")
def _count(begin, end, flat, low, scale, inside, counts):
    workers = counts.shape[0]
    for worker in range(begin, end):
        for number in range(flat.size * worker // workers, flat.size * (worker + 1) // workers):
            place = np.int64(np.floor((np.float64(flat[number]) - low) * scale))
            if inside:
                if 0 <= place <= BINS:  # the highest sample lies on the upper border
                    counts[worker, min(place, BINS - 1)] += 1
            else:
                counts[worker, min(max(place, 0), BINS - 1)] += 1


def level_counts(samples: np.ndarray) -> np.ndarray:
    """How often each level occurs among whole numbers of 8 or 16 bits, of any shape: int64 (256 or 65536,)."""
    counts = np.zeros((thread_count(), np.iinfo(samples.dtype).max + 1), np.int64)
    _count_each_level(np.ascontiguousarray(samples).reshape(-1), counts)
    return counts.sum(axis=0)


@kernel(rows_of="counts")
def _count_each_level(begin, end, flat, counts):
    workers = counts.shape[0]
    for worker in range(begin, end):
        for number in range(flat.size * worker // workers, flat.size * (worker + 1) // workers):
            counts[worker, flat[number]] += 1


@dataclass(frozen=True)
class Deviations:
    """How samples lie about their mean, all in the units of the samples.

    Attributes:
        lowest, highest, mean: of all.
        mean_distance: the mean distance from the mean.
        root_mean_square: the root of the mean square distance from it.
        at_ends: the share of samples that are the lowest or the highest; 0 where all are alike.
    """

    lowest: float
    highest: float
    mean: float
    mean_distance: float
    root_mean_square: float
    at_ends: float


def deviations(samples: np.ndarray) -> Deviations:
    """How all samples, float32 of any shape, lie about their mean."""
    flat = np.ascontiguousarray(samples, np.float32).reshape(-1)
    lowest, highest, mean = float(flat.min()), float(flat.max()), float(flat.mean(dtype=np.float64))
    sums = np.zeros((thread_count(), 3))
    _add_up(flat, mean, np.float32(lowest), np.float32(highest), sums)
    away, square, ends = (float(part) for part in sums.sum(axis=0))
    at_ends = ends / flat.size if highest > lowest else 0.0
    return Deviations(lowest, highest, mean, away / flat.size, float(np.sqrt(square / flat.size)), at_ends)


@kernel(rows_of="sums")
def _add_up(begin, end, flat, mean, lowest, highest, sums):
    workers = sums.shape[0]
    for worker in range(begin, end):
        away, square, ends = 0.0, 0.0, 0
        part = flat[flat.size * worker // workers : flat.size * (worker + 1) // workers]
        for number in range(part.size):
            from_mean = np.float64(part[number]) - mean
            away += abs(from_mean)
            square += from_mean * from_mean
        for number in range(part.size):
            ends += (part[number] == lowest) | (part[number] == highest)
        sums[worker, 0], sums[worker, 1], sums[worker, 2] = away, square, ends


def draw_some(samples: np.ndarray, most: int) -> np.ndarray:
    """At most so many of the samples, drawn from all places alike, the same ones every time; all where they are fewer.

    A share of them is off by at most 1 / sqrt(most) from that of all, in 19 cases of 20.
    """
    flat = samples.reshape(-1)
    if flat.size <= most:
        return flat
    return flat[np.random.default_rng(1).integers(0, flat.size, most)]

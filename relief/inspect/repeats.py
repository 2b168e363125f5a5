"""What gives a repeat away: the size of the motif, telltale places, and crops that would tile well."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from relief.filters.gaussian import gaussian
from relief.filters.resample import shrink
from relief.height import HeightField

LOOKED_AT = 512
"""Texels on the long side that are enough to judge repeats by."""

SHORTEST, LONGEST = 0.04, 0.55
"""The motif's length is sought between these parts of the side."""

CLEAR = 0.12
"""How much more alike places a motif apart have to be than places half a motif apart."""

TELLING = 4.5
"""Standard deviations from the ordinary at which a place catches the eye (common practice, no source)."""

MOST_TELLTALES = 8
SHARES = (1.0, 0.85, 0.7, 0.55, 0.42)
"""Sides of the crops that are tried, as parts of the picture's shorter side."""

APART = 0.35
"""Crops that overlap by more than this are one suggestion."""


def motif(field: HeightField) -> tuple[float | None, float | None]:
    """The length in mm after which the relief looks alike, across and down; none where nothing repeats.

    It is the first clear peak of the autocorrelation of the rows (columns), the slow changes taken out.
    """
    small = shrink(field.samples, LOOKED_AT)
    small = small - gaussian(small, (small.shape[1] / 6, small.shape[0] / 6), (False, False))
    across, down = _period(small), _period(small.T)
    return across and across * field.footprint.width, down and down * field.footprint.height


def _period(rows: np.ndarray) -> float | None:
    """The period along the rows as a part of their length."""
    count = rows.shape[1]
    if count < 16:
        return None
    power = np.abs(scipy.fft.rfft(rows - rows.mean(), 2 * count, axis=1)) ** 2
    likeness = scipy.fft.irfft(power.mean(axis=0))[:count]
    likeness /= max(float(likeness[0]), 1e-20)
    likeness /= 1 - np.arange(count) / count  # fewer pairs lie far apart
    first, last = max(2, int(SHORTEST * count)), int(LONGEST * count)
    inside = likeness[: last + 1]
    peaks = [
        place
        for place in range(first, last)
        if inside[place] == inside[max(0, place - 3) : place + 4].max() and inside[place] - inside[:place].min() > CLEAR
    ]
    if not peaks:
        return None
    best = max(inside[place] for place in peaks)
    place = next(place for place in peaks if inside[place] >= best - 0.2 * abs(best))
    left, here, right = (float(likeness[place + step]) for step in (-1, 0, 1))
    bend = left - 2 * here + right
    return (place + (0.5 * (left - right) / bend if bend else 0)) / count


@dataclass(frozen=True)
class Telltale:
    """A place that will give the repeat away.

    Attributes:
        x, y: its middle, (0, 0) upper left to (1, 1) lower right.
        radius: mm.
        strength: standard deviations from the ordinary.
    """

    x: float
    y: float
    radius: float
    strength: float


def telltales(field: HeightField) -> list[Telltale]:
    """The places that catch the eye from afar, the strongest first."""
    salience, spacing = _salience(field)
    found = []
    for width, score in salience:
        wide = max(3, int(width * 2) | 1)
        mode = "wrap" if all(field.edges.wraps) else "nearest"
        tops = (score == scipy.ndimage.maximum_filter(score, wide, mode=mode)) & (score > TELLING)
        _leave_out_border(tops, int(1.5 * width), field.edges.wraps)
        for row, column in np.argwhere(tops):
            found.append((float(score[row, column]), int(row), int(column), width))
    found.sort(reverse=True)
    kept: list[Telltale] = []
    for strength, row, column, width in found:
        x, y = (column + 0.5) / score.shape[1], (row + 0.5) / score.shape[0]
        radius = 1.6 * width * max(spacing)
        near = any(
            np.hypot((x - other.x) * field.footprint.width, (y - other.y) * field.footprint.height)
            < radius + other.radius
            for other in kept
        )
        if not near:
            kept.append(Telltale(x, y, radius, strength))
        if len(kept) == MOST_TELLTALES:
            break
    return kept


def _leave_out_border(places: np.ndarray, reach: int, wraps: tuple[bool, bool]) -> None:
    """Takes out what lies so near to an edge that does not wrap that its surroundings are not known."""
    if not wraps[0]:
        places[:, :reach] = places[:, places.shape[1] - reach :] = False
    if not wraps[1]:
        places[:reach] = places[places.shape[0] - reach :] = False


def _salience(field: HeightField) -> tuple[list[tuple[float, np.ndarray]], tuple[float, float]]:
    """For a few widths in texels, how far each place is from the ordinary; and the size of those texels in mm.

    A place is out of the ordinary when it lies higher or lower than its wide surroundings, or is busier or calmer.
    """
    small = shrink(field.samples, LOOKED_AT)
    rows, columns = small.shape
    wraps = field.edges.wraps
    busy = np.abs(small - gaussian(small, (2, 2), wraps))
    widths = [max(rows, columns) * part for part in (0.02, 0.04)]
    scored = []
    for width in widths:
        score = np.zeros_like(small)
        for measure in (small, busy):
            near = gaussian(measure, (width, width), wraps)
            score = np.maximum(score, _against_the_ordinary(near - gaussian(near, (5 * width, 5 * width), wraps)))
        scored.append((width, score))
    return scored, (field.footprint.width / columns, field.footprint.height / rows)


def _against_the_ordinary(values: np.ndarray) -> np.ndarray:
    """Distances from the median, in standard deviations as the quartiles tell them: what is rare does not blur them."""
    low, middle, high = np.percentile(values, (25, 50, 75))
    return np.abs(values - middle) / max((high - low) / 1.349, 1e-9)


@dataclass(frozen=True)
class SuggestedCrop:
    """A square that would tile well.

    Attributes:
        left, top, width, height: percent of the picture.
        seam: the larger seam ratio of both directions.
        telltales: how many places in it catch the eye.
    """

    left: float
    top: float
    width: float
    height: float
    seam: float
    telltales: int


def suggest_crops(field: HeightField, count: int = 3) -> list[SuggestedCrop]:
    """The squares (in mm) with the lowest seam and the fewest telltales, the best first, hardly overlapping."""
    small = shrink(field.samples, LOOKED_AT)
    rows, columns = small.shape
    spacing = field.footprint.width / columns, field.footprint.height / rows
    shorter = min(field.footprint.width, field.footprint.height)
    lengths = [shorter * share for share in SHARES]
    for repeated in motif(field):
        if repeated:
            lengths += [repeated * times for times in range(2, 9) if shorter * 0.35 < repeated * times < shorter]
    marks = telltales(field)
    rated = []
    for length in lengths:
        wide, high = round(length / spacing[0]), round(length / spacing[1])
        if not (8 <= wide <= columns and 8 <= high <= rows):
            continue
        steps = [max(1, side // 48) for side in (columns, rows)]
        for top in range(0, rows - high + 1, steps[1]):
            for left in range(0, columns - wide + 1, steps[0]):
                seam, kink = _seam(small[top : top + high, left : left + wide])
                inside = sum(
                    left <= mark.x * columns < left + wide and top <= mark.y * rows < top + high for mark in marks
                )
                # a larger crop shows its repeat less often
                rating = seam + 0.5 * kink + 0.25 * inside - 0.6 * wide / columns
                rated.append((rating, seam, inside, left, top, wide, high))
    rated.sort()
    chosen: list[tuple] = []
    for item in rated:
        if all(_overlap(item[3:], other[3:]) < APART for other in chosen):
            chosen.append(item)
        if len(chosen) == count:
            break
    if len(chosen) < count:
        chosen += [item for item in rated if item not in chosen and all(item[3:] != other[3:] for other in chosen)][
            : count - len(chosen)
        ]
    return [
        SuggestedCrop(100 * left / columns, 100 * top / rows, 100 * wide / columns, 100 * high / rows, seam, inside)
        for _, seam, inside, left, top, wide, high in chosen
    ]


def _seam(part: np.ndarray) -> tuple[float, float]:
    """The larger seam ratio of both directions, and in the same measure how much slopes turn at the edge."""
    ratios = []
    for along in (part, part.T):
        inside = max(float(np.abs(np.diff(along[:, :9], axis=1)).mean()), 1e-6)
        step = float(np.abs(along[:, 0] - along[:, -1]).mean())
        kink = float(np.abs((along[:, 1] - along[:, 0]) - (along[:, -1] - along[:, -2])).mean())
        ratios.append((step / inside, kink / inside))
    return max(step for step, _ in ratios), max(kink for _, kink in ratios)


def _overlap(one: tuple, other: tuple) -> float:
    """Shared part of two rectangles (left, top, wide, high), as a part of the smaller."""
    wide = min(one[0] + one[2], other[0] + other[2]) - max(one[0], other[0])
    high = min(one[1] + one[3], other[1] + other[3]) - max(one[1], other[1])
    return max(wide, 0) * max(high, 0) / min(one[2] * one[3], other[2] * other[3])

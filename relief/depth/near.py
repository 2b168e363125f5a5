"""Whether the lamps of a lit series stood near, and how far away, by what their photos leave unexplained.

From four photos on no surface explains all that they show unless its lamps stand where the real ones stood: at another
distance the light falls off differently over the picture, and comes from other sides.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
import scipy

from relief.depth.lamps import Lamps, from_middle
from relief.depth.stereo import solve_series
from relief.errors import ReliefError
from relief.figures import say_length
from relief.maps.height_from_normals import weights_of_slopes

FEWEST_NEAR = 4
"""Photos from which on a distance is told."""

NEAREST = 0.7
"""Distance of a lamp over the long side of the picture, at least."""

LONG_SIDE = 96
"""Texels on the long side of the small photos that are looked at."""

SHADOW = 0.1
"""What is left unexplained of an observation counts for this part of its brightness at most, as in a shadow."""

TRIED = (0.0, 0.06, 0.12, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0)
"""What is tried first, as parts of the greatest nearness."""

NEARER = 0.85
"""Lamps are taken to stand near where less than this part of what far ones leave unexplained is left."""

CERTAIN = 0.4
"""Where less than this part is left, they stood near whatever the surface. Otherwise the surface must be less bowed by
near lamps than by far ones: of four photos of a nearly flat one grain alone left 0.75."""

AS_GOOD = 1.1
"""Distances that leave so many times as much unexplained as the best explain the photos about as well."""

TURNS = 5
"""Times that a bound of these is halved."""


@dataclass(frozen=True)
class Distance:
    """How far the lamps of a series stood from the middle of its picture.

    Attributes:
        best: mm; infinite where they stood far away.
        least, most: mm; distances between these explain the photos about as well.
        left: part of what far lamps leave unexplained that is left.
    """

    best: float
    least: float
    most: float
    left: float

    @property
    def remark(self) -> str:
        """In words, where the lamps were found to stand near or nothing tells; empty where they stood far away."""
        if self.least == 0:
            return (
                "Three photos cannot tell a near lamp from a bowed surface, so the lamps are assumed to be far "
                "away. If they were near, give their distance."
            )
        if math.isinf(self.best) or self.left == 1:
            return ""
        around = f"{say_length(self.least)} to {say_length(self.most)}"
        return (
            f"The lamps were near, about {say_length(self.best)} from the middle of the picture ({around} "
            "explain the photos about as well). Falloff and direction were corrected for each texel."
        )


def check_distance(distance: float | None, width: float, height: float) -> float | None:
    """The distance of the lamps that somebody gives, or none.

    Raises:
        ReliefError: it is smaller than lamps can stand over a picture of this size in mm.
    """
    least = NEAREST * max(width, height)
    if distance is not None and not distance >= least:
        raise ReliefError(f"The lamps must be {say_length(least)} or more from the middle of the picture.")
    return distance


def find_distance(photos: Sequence[np.ndarray], lamps_at: Callable[[float], Lamps]) -> Distance:
    """How far the lamps stood, by their photos.

    Args:
        photos: linear light, float32 (rows, columns) each, that lie on each other.
        lamps_at: the lamps at a distance in mm, which may be infinite.
    """
    if len(photos) < FEWEST_NEAR:
        return Distance(np.inf, 0.0, np.inf, 1.0)
    rows, columns = photos[0].shape
    times = max(1.0, max(rows, columns) / LONG_SIDE)
    size = max(2, round(columns / times)), max(2, round(rows / times))
    small = np.stack([cv2.resize(photo, size, interpolation=cv2.INTER_AREA) for photo in photos])
    far = lamps_at(np.inf)
    nearest = NEAREST * max(columns * far.spacing[0], rows * far.spacing[1])

    @cache
    def look_at(part: float) -> tuple[float, float]:
        return _look(small, lamps_at(nearest / part if part else np.inf).scale_texels(times))

    def left_at(part: float) -> float:
        return look_at(part)[0]

    at = min(range(len(TRIED)), key=lambda number: left_at(TRIED[number]))
    around = TRIED[max(0, at - 1)], TRIED[min(len(TRIED) - 1, at + 1)]
    found = (
        scipy.optimize.minimize_scalar(left_at, bounds=around, method="bounded", options={"xatol": 0.004})
        if at
        else None
    )
    best = float(found.x) if found is not None and found.fun < left_at(TRIED[at]) else TRIED[at]
    left = left_at(best) / max(left_at(0.0), 1e-9)
    bound = AS_GOOD * left_at(best)
    least, most = (_last_below(left_at, bound, best, end) for end in (1.0, 0.0))
    flatter = abs(look_at(best)[1]) < abs(look_at(0.0)[1])
    if left > NEARER or (left > CERTAIN and not flatter):
        return Distance(np.inf, nearest / least if least else np.inf, np.inf, left)
    return Distance(nearest / best, nearest / least, nearest / most if most else np.inf, left)


def _last_below(left_at: Callable[[float], float], bound: float, inside: float, end: float) -> float:
    """The farthest from a place towards an end at which a bound is kept, by halving."""
    beyond = [part for part in TRIED if (part - inside) * (end - inside) > 0 and left_at(part) > bound]
    if not beyond:
        return end
    outside = min(beyond, key=lambda part: abs(part - inside))
    for _ in range(TURNS):
        middle = (inside + outside) / 2
        inside, outside = (middle, outside) if left_at(middle) <= bound else (inside, middle)
    return inside


def _look(photos: np.ndarray, lamps: Lamps) -> tuple[float, float]:
    """What the surface that comes of photos does not explain of them, the mean as a part of its brightness; and by how
    much its slope changes over the long side of the picture, more than 0 for a hollow.
    """
    solution = solve_series(photos, lamps)
    off = [np.abs(photo - solution.under(lamps, number)) for number, photo in enumerate(photos)]
    left = float(np.minimum(np.stack(off) / np.maximum(solution.brightness, 1e-6), SHADOW).mean())
    shape = solution.brightness.shape
    x, y = from_middle(shape, (1 / max(shape), 1 / max(shape)))
    across, up = (-solution.normals[..., side] / solution.normals[..., 2] for side in (0, 1))
    weights = weights_of_slopes(across, up)
    bowed = 0.0
    for slope, way in ((across, x), (up, y)):
        bowed += float((weights * (slope - np.average(slope, weights=weights)) * way).sum())
    return left, bowed / float((weights * (x * x + y * y)).sum())

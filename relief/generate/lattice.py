"""Periodic lattices: noise that tiles exactly over a footprint, however it is stretched and turned.

The lattice coordinates of a place are an integer matrix times its place on the unit square, so one step over the tile's
edge is a whole number of cells. Cells that lie such a step apart are given the same random numbers: they are reduced to
one representative by the Hermite normal form of the matrix.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from relief.height import Footprint
from relief.kernels import kernel

MOST_CELLS = 4096
"""Cells along a side at most."""


@dataclass(frozen=True)
class Lattice:
    """Lattice coordinates (u, v) = (a x + b y, c x + d y) of a place (x, y) of the unit square, y downwards."""

    a: int
    b: int
    c: int
    d: int

    @classmethod
    def over(cls, footprint: Footprint, width: float, height: float, turn: float) -> Lattice:
        """The lattice whose cells are nearest to `width` x `height` mm, turned by `turn` degrees, that tiles."""
        cosine, sine = math.cos(math.radians(turn)), math.sin(math.radians(turn))
        wanted = (
            footprint.width * cosine / width, footprint.height * sine / width,
            -footprint.width * sine / height, footprint.height * cosine / height,
        )  # fmt: skip
        a, b, c, d = (int(np.clip(round(part), -MOST_CELLS, MOST_CELLS)) for part in wanted)
        if a * d - b * c == 0:  # a cell larger than the tile: one cell fills it
            a, b, c, d = (a or 1, 0, 0, d or 1) if abs(cosine) >= abs(sine) else (0, b or 1, c or -1, 0)
        return cls(a, b, c, d)

    @property
    def cells(self) -> int:
        """Different cells in the tile."""
        return abs(self.a * self.d - self.b * self.c)

    def bounds(self, beyond: float = 0.0) -> tuple[int, int, int, int]:
        """First u and v that are needed, and how many of each, with `beyond` cells more on each side."""
        us, vs = (0, self.a, self.b, self.a + self.b), (0, self.c, self.d, self.c + self.d)
        more = math.ceil(beyond) + 3
        return min(us) - more, min(vs) - more, max(us) - min(us) + 2 * more, max(vs) - min(vs) + 2 * more

    def randoms(self, seed: int, count: int, beyond: float = 0.0, stream: int = 0) -> np.ndarray:
        """Random numbers for each cell within the bounds, the same for cells that are one in the tile.

        Args:
            seed: fixes them.
            count: how many for each cell.
            beyond: cells more on each side.
            stream: which of the streams of numbers that a seed has; none is a stream of another seed.

        Returns:
            float32 (rows of v, columns of u, count), 0 to 1.
        """
        first_u, first_v, many_u, many_v = self.bounds(beyond)
        u = np.arange(first_u, first_u + many_u, dtype=np.int64)[None, :]
        v = np.arange(first_v, first_v + many_v, dtype=np.int64)[:, None]
        step = math.gcd(self.c, self.d)
        if step == 0:
            step, along, shift = 1, 1, 0
        else:
            along = self.cells // step
            s, t = _bezout(self.c, self.d)
            shift = s * self.a + t * self.b
        times = np.floor_divide(v, step)
        row = v - times * step
        column = np.mod(u - times * shift, along)
        return mix_bits(column + row * along, seed, count, stream)


def _bezout(c: int, d: int) -> tuple[int, int]:
    """s and t with s c + t d = gcd(c, d)."""
    old_r, r, old_s, s, old_t, t = c, d, 1, 0, 0, 1
    while r:
        quotient = old_r // r
        old_r, r = r, old_r - quotient * r
        old_s, s = s, old_s - quotient * s
        old_t, t = t, old_t - quotient * t
    return (old_s, old_t) if old_r > 0 else (-old_s, -old_t)


STREAM = 0xD1B54A32D192ED03
"""An odd number without pattern in its bits: streams of a seed begin so far apart that they never run into others."""


def mix_bits(numbers: np.ndarray, seed: int, count: int, stream: int = 0) -> np.ndarray:
    """Random numbers from whole ones, by the finalizer of MurmurHash3 (A. Appleby, public domain).

    Returns:
        float32 (..., count), from 0 up to but not including 1.
    """
    out = np.empty((*numbers.shape, count), np.float32)
    keys = [(seed * 7919 + part * 104_729 + 1 + stream * STREAM) % (1 << 64) for part in range(count)]
    flat = np.ascontiguousarray(numbers, np.int64).reshape(-1)
    _mix(flat.view(np.uint64), np.array(keys, np.uint64), out.reshape(-1, count))
    return out


@kernel(rows_of="numbers")
def _mix(begin, end, numbers, keys, out):
    for place in range(begin, end):
        for part in range(keys.size):
            mixed = numbers[place] * np.uint64(0x9E3779B97F4A7C15) + keys[part]
            mixed = (mixed ^ (mixed >> np.uint64(33))) * np.uint64(0xFF51AFD7ED558CCD)
            mixed = (mixed ^ (mixed >> np.uint64(33))) * np.uint64(0xC4CEB9FE1A85EC53)
            mixed ^= mixed >> np.uint64(33)
            out[place, part] = np.float32(mixed >> np.uint64(40)) * np.float32(1 / (1 << 24))

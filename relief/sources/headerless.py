"""Samples without a header: a square of 16-bit little-endian numbers, as height fields are often passed on.

Nothing in such a file says what it is, so it is never guessed: its name has to end in `.r16`.
"""

from __future__ import annotations

import math

import numpy as np

from relief.errors import PictureError
from relief.sources.picture import Picture, refuse_if_too_large

ENDING = ".r16"


def decode(data: bytes) -> Picture:
    """The square of samples.

    Raises:
        PictureError: the number of samples is no square.
    """
    side = math.isqrt(len(data) // 2)
    if side == 0 or side * side * 2 != len(data):
        raise PictureError(
            f"{len(data)} bytes are not a square number of 16-bit samples, as a file ending in {ENDING} must be."
        )
    refuse_if_too_large(side, side)
    pixels = np.frombuffer(data, "<u2").reshape(side, side).astype(np.uint16)
    return Picture(
        pixels, 16, "headerless", remarks=("A square of 16-bit little-endian samples, as its file ending says.",)
    )

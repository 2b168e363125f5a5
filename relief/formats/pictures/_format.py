"""What a format of pictures says of itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class PictureFormat:
    """A format of pictures; its module is named by the ending of its files.

    Attributes:
        name: as it is chosen.
        about: what it is good for, a sentence.
        holds: the types of samples that it holds.
        write: gives the bytes of a file, of pixels (rows, columns) grey or (rows, columns, 3 or 4) red, green, blue,
            alpha, and whether they are colours in sRGB.
        lossy: whether it loses a little; data is never written so.
        for_colours: whether colours are delivered in it.
        longest: pixels on a side at most.
    """

    name: str
    about: str
    holds: tuple[str, ...]
    write: Callable[[np.ndarray, bool], bytes]
    lossy: bool = False
    for_colours: bool = True
    longest: int = 2**31 - 1

"""Which way brightness decides: whether what is bright stands out, or what is dark."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from relief.filters.resample import shrink

LOOKED_AT = 512
"""Texels on the long side that lines are looked for at."""

NARROW = 9
"""Texels of those: a line that is narrower is a joint, a crack or a grain."""

PLAINLY = 1.15
"""So many times more of one kind of lines than of the other says which."""


@dataclass(frozen=True)
class Way:
    """What is taken to stand out.

    Attributes:
        inverted: whether it is what is dark.
        reason: why, in a sentence.
    """

    inverted: bool
    reason: str


def which_way(samples: np.ndarray) -> Way:
    """Which of the two ways is more likely: narrow lines are joints and seldom stand out (common practice, no source).

    They are counted by what opening and closing with a disc take away, white and black top hat (Serra 1982, Image
    analysis and mathematical morphology).

    Args:
        samples: the brightness of a photo, float32 (rows, columns).
    """
    small = cv2.GaussianBlur(shrink(samples, LOOKED_AT), (0, 0), 1.5)
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (NARROW, NARROW))
    bright, dark = (
        float(cv2.morphologyEx(small, kind, disc).mean()) for kind in (cv2.MORPH_TOPHAT, cv2.MORPH_BLACKHAT)
    )
    if bright > PLAINLY * dark:
        return Way(True, "Its narrow lines are bright. Joints rarely stand out, so dark is more likely high.")
    if dark > PLAINLY * bright:
        return Way(False, "Its narrow lines are dark, as joints and cracks are, so bright is more likely high.")
    return Way(False, "It has no narrow lines to judge by; on most surfaces the raised parts are brighter.")

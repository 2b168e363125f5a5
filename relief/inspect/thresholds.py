"""From where on something will look wrong: thresholds that several findings share, each with its reason.

Those of one finding stand in its own file.
"""

from __future__ import annotations

import math

HARSH_ABOVE = 70.0
"""Degrees. Steeper than this light catches single texels and a mesh folds into spikes (common practice, no source)."""

COMFORTABLE = 40.0
"""Degrees at which the steepest 5 % stand well under most lights (common practice, no source)."""

UNEVEN_TIMES = 1.6
"""Times that one side of a photo is brighter; light that falls off by less is a slope that is hardly seen."""

SEAM_ABOVE = 2.0
"""Seam ratio. From 1.5 on a step across the edge reads as a line; noise within a picture that tiles stays below 2."""

STRETCHED = 0.01
"""Parts by which aspects may differ before maps no longer align, or a picture counts as stretched."""


def factor_for(angle: float, now: float, factor: float) -> float:
    """The amplitude or strength that brings a steepness of `now` degrees to `angle` degrees; slopes grow with both."""
    return factor * math.tan(math.radians(angle)) / math.tan(math.radians(now))

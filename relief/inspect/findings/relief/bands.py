"""Bands: the normal map is so steep that 8 bits are too coarse for it."""

from __future__ import annotations

import math

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief

BANDS_ABOVE = 75.0
"""Degrees in the normal map. Here one of 8 bits turns it by 1 / (127 cos 75 degrees), 1.7 degrees, seen on smooth
ground."""


def find(seen: SeenRelief) -> Finding | None:
    """The normal map is so steep that 8 bits are too coarse for it."""
    angle = seen.steepest_of_normal_map
    if seen.bits != 8 or angle <= BANDS_ABOVE:
        return None
    step = math.degrees(1 / (127 * math.cos(math.radians(angle))))
    reason = (
        f"The steepest 5 % of the normal map exceeds {angle:.0f}°, where one step of 8 bits turns a normal by "
        f"{step:.1f}°."
    )
    return Finding("bands", "Bands", reason, Mend("Deliver it with 16 bits", {"delivery.normal_bits": 16}))

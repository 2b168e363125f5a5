"""Blue is missing: a normal map of two channels that a reader of three takes wrongly."""

from __future__ import annotations

from relief.inspect.finding import Finding
from relief.inspect.mends import REBUILD_BLUE
from relief.inspect.seen import SeenNormalMap


def find(seen: SeenNormalMap) -> Finding | None:
    """A normal map without colour, or whose blue is constant while red and green vary."""
    if not seen.picture.is_colour:
        return Finding("blue", "Normal map without colour", "A normal map holds a direction in red, green and blue.")
    if seen.has_blue:
        return None
    reason = "Its blue is constant while red and green vary. Blue can be rebuilt from them."
    return Finding("blue", "Blue is missing", reason, REBUILD_BLUE)

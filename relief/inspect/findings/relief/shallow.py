"""Nearly flat height: the source uses next to nothing of its range."""

from __future__ import annotations

from relief.figures import say_share
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.treat.normalise import Normalise

SHALLOW_BELOW, DEEP = 0.02, 0.05
"""Part of the range of its numbers below which a height image is called nearly flat; and how deep it is made at most
once it is stretched, as a part of its shorter side."""


def find(seen: SeenRelief) -> Finding | None:
    """A height image that uses next to nothing of the range it has."""
    relief, shot = seen.relief, seen.shot
    if shot is None or relief.picture is None or relief.picture.reading != "height":
        return None
    if shot.span >= SHALLOW_BELOW or not shot.span:
        return None
    count = "" if shot.levels is None or len(shot.levels) == 256 else f" in {len(shot.levels)} levels"
    reason = f"The heights use {say_share(shot.span)} of their range{count}, so the source is nearly flat."
    if any(isinstance(item, Normalise) and item.on for item in relief.layers[0].treatments):
        return Finding("shallow", "Nearly flat height", f"{reason} Once stretched, its levels show as steps.")
    side = min(relief.final_footprint.sides)
    amplitude = max(float(f"{min(relief.amplitude * shot.span, DEEP * side):.2g}"), 0.01)
    mend = Mend("Stretch it to the full range", {"amplitude": amplitude}, first=Normalise())
    return Finding("shallow", "Nearly flat height", f"{reason} It needs far too large an amplitude.", mend)

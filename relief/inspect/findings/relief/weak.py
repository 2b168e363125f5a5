"""Weak relief: only raking light shows it."""

from __future__ import annotations

from relief.figures import say_length, say_number
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.inspect.thresholds import COMFORTABLE, factor_for

WEAK_BELOW = 8.0
"""Degrees. A relief of which less than one part of 200 is steeper is lost under most lights (common practice, no
source); thin lines on even ground are more than that."""


def find(seen: SeenRelief) -> Finding | None:
    """Hardly anything is steep enough to catch light."""
    angle, relief = seen.measured.sharpest, seen.relief
    if max(seen.measured.steepest, angle) >= WEAK_BELOW:
        return None
    reason = f"Hardly any slope is steeper than {say_number(angle, 2)}°, so only raking light shows it."
    mend = None
    if angle:
        amplitude = float(f"{factor_for(COMFORTABLE, angle, relief.amplitude):.3g}")
        if amplitude <= min(relief.final_footprint.sides):  # beyond, the height itself is nearly flat
            mend = Mend(f"Raise amplitude to {say_length(amplitude, 6)}", {"amplitude": amplitude})
    return Finding("weak", "Weak relief", reason, mend)

"""Harsh slopes: grain glitters and a mesh folds."""

from __future__ import annotations

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.inspect.thresholds import COMFORTABLE, HARSH_ABOVE, factor_for


def find(seen: SeenRelief) -> Finding | None:
    """The steepest 5 % are too steep."""
    measured = seen.measured
    if measured.steepest <= HARSH_ABOVE:
        return None
    amplitude = float(f"{factor_for(COMFORTABLE, measured.steepest, seen.relief.amplitude):.3g}")
    reason = (
        f"The steepest 5 % of the surface exceeds {measured.steepest:.0f}°. Beyond {HARSH_ABOVE:.0f}° grain "
        "glitters and a mesh folds into spikes."
    )
    mend = Mend(f"Lower amplitude to {say_length(amplitude, 6)}", {"amplitude": amplitude})
    return Finding("harsh", "Harsh slopes", reason, mend)

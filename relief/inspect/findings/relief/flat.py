"""No relief: all of the surface lies at one height."""

from __future__ import annotations

import numpy as np

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief

BEGUN = 0.02
"""Amplitude as a part of the shorter side of the footprint that is offered where there is none."""


def find(seen: SeenRelief) -> Finding | None:
    """All of the surface lies at one height: as its amplitude is 0, or as the heights themselves are one."""
    relief = seen.relief
    if seen.measured.range:
        return None
    if relief.amplitude == 0 and np.ptp(seen.height.samples):
        amplitude = float(f"{BEGUN * min(relief.final_footprint.sides):.2g}")
        mend = Mend(f"Set amplitude to {say_length(amplitude, 6)}", {"amplitude": amplitude})
        reason = "The amplitude is 0 mm, so nothing stands out and the maps are empty."
        return Finding("flat", "No relief", reason, mend)
    reason = (
        "All of the surface lies at one height, so its maps are empty. The source may be one even colour, or a "
        "treatment takes everything away."
    )
    return Finding("flat", "No relief", reason)

"""Swell or sinking: the whole surface moves when it is displaced."""

from __future__ import annotations

import numpy as np

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief

SWELL_ABOVE = 0.02
"""Part of the range. With mean and median farther from midlevel the whole surface is seen to grow or shrink."""


def find(seen: SeenRelief) -> Finding | None:
    """Mean and median both lie off midlevel, so the whole surface moves when it is displaced.

    One of them alone does not: a relief that stands on even ground has its mean above it, and is meant to.
    """
    measured = seen.measured
    off = sorted((measured.mean, measured.median), key=abs)
    if off[0] * off[1] <= 0 or abs(off[0]) <= SWELL_ABOVE * measured.range:
        return None
    side, verb = ("above", "grow") if measured.mean > 0 else ("below", "shrink")
    mean = float(f"{seen.height.samples.mean(dtype=np.float64):.4f}")
    reason = (
        f"The mean is {say_length(abs(measured.mean))} {side} midlevel and the median "
        f"{say_length(abs(measured.median))}, so the whole surface would {verb} by about as much."
    )
    title = "Swell" if measured.mean > 0 else "Sinking"
    return Finding("swell", title, reason, Mend("Set midlevel to mean", {"midlevel": mean}))

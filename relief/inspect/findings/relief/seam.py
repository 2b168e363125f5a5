"""Seam: the relief is said to repeat, but its edges do not meet."""

from __future__ import annotations

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.inspect.thresholds import SEAM_ABOVE
from relief.treat.close_seam import CloseSeam

SEAM_BAND = 0.1
"""Part of the shorter side over which a seam is closed at first."""


def find(seen: SeenRelief) -> Finding | None:
    """The relief is said to repeat, but its edges do not meet."""
    relief, ratios = seen.relief, (seen.measured.seam_across, seen.measured.seam_down)
    wraps = relief.final_edges.wraps
    apart = [ratio for ratio, wrap in zip(ratios, wraps, strict=True) if wrap and ratio > SEAM_ABOVE]
    if not apart:
        return None
    reason = f"The step across the edge is {max(apart):.1f} times as large as those inside, so repeats show a line."
    if len(relief.layers) > 1:
        return Finding("seam", "Seam", reason)
    band = float(f"{SEAM_BAND * min(relief.final_footprint.sides):.2g}")
    mend = Mend(f"Close the seam over {say_length(band, 6)}", last=CloseSeam(band=band))
    return Finding("seam", "Seam", reason, mend)

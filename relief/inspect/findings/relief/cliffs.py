"""Upright edges: a photo whose edges stand upright tears a mesh."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.readings import SHARPEST_SHARE
from relief.inspect.seen import SeenRelief
from relief.inspect.thresholds import HARSH_ABOVE
from relief.treat.slope_limit import SlopeLimit

CLIFF_ABOVE = 85.0
"""Degrees at which the steepest 0.5 % of a photo's relief may stand: at this angle thin lines are one texel wide."""


def find(seen: SeenRelief) -> Finding | None:
    """A photo whose edges stand upright, be they less than the steepest 5 %."""
    picture, angle = seen.relief.picture, seen.measured.sharpest
    if picture is None or picture.reading != "photo" or angle <= CLIFF_ABOVE:
        return None
    reason = (
        f"{SHARPEST_SHARE:.1%} of the surface is steeper than {angle:.0f}°. Edges in a photo cause that; real "
        "surfaces are rarely so steep. A mesh tears there and maps glitter."
    )
    mend = Mend(f"Limit slopes to {HARSH_ABOVE:.0f}°", last=SlopeLimit(angle=HARSH_ABOVE))
    return Finding("cliffs", "Upright edges", reason, mend)

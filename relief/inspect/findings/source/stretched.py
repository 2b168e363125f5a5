"""Picture is stretched: the footprint has another aspect."""

from __future__ import annotations

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSource
from relief.inspect.thresholds import STRETCHED


def find(seen: SeenSource) -> Finding | None:
    """The footprint has another aspect than the picture."""
    picture = seen.picture
    width, height = seen.relief.footprint.sides
    by = (width / height) / (picture.columns / picture.rows)
    if abs(by - 1) <= STRETCHED:
        return None
    right = float(f"{width * picture.rows / picture.columns:.5g}")
    longer = "across" if by > 1 else "down"
    reason = (
        f"On {say_length(width, 6)} x {say_length(height, 6)} the {picture.columns} x {picture.rows} pixels are "
        f"stretched by {max(by, 1 / by) - 1:.0%} {longer}, and slopes with them."
    )
    changes = {"footprint.keep_aspect": False, "footprint.height": right}
    mend = Mend(f"Make the footprint {say_length(right, 6)} high", changes)
    return Finding("stretched", "Picture is stretched", reason, mend)

"""Harsh normal map: the relief is not too steep, but its normal map is."""

from __future__ import annotations

from relief.figures import say_number
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.inspect.thresholds import COMFORTABLE, HARSH_ABOVE, factor_for


def find(seen: SeenRelief) -> Finding | None:
    """The relief is not too steep, but its normal map is."""
    steepest, angle = seen.measured.steepest, seen.steepest_of_normal_map
    if steepest > HARSH_ABOVE or angle <= HARSH_ABOVE:
        return None
    strength = seen.relief.maps.normal.strength
    right = float(f"{factor_for(COMFORTABLE, angle, strength):.2g}")
    reason = (
        f"At strength {say_number(strength, 6)} the steepest 5 % of the normal map exceeds {angle:.0f}°, against "
        f"{steepest:.0f}° in the relief; light picks out single texels."
    )
    mend = Mend(f"Set strength to {say_number(right, 6)}", {"maps.normal.strength": right})
    return Finding("too-strong", "Harsh normal map", reason, mend)

"""Aspect ratios differ: the maps of a set do not lie on each other."""

from __future__ import annotations

from relief.inspect.finding import SetFinding
from relief.inspect.seen import SeenSet
from relief.inspect.thresholds import STRETCHED


def find(seen: SeenSet) -> SetFinding | None:
    """The maps of a set differ in shape."""
    aspects = [picture.columns / picture.rows for picture in seen.pictures.values()]
    if not aspects or max(aspects) <= min(aspects) * (1 + STRETCHED):
        return None
    return SetFinding("aspect", "Aspect ratios differ", f"The maps have different aspect ratios: {seen.say_sizes()}.")

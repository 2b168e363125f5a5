"""Sizes differ: a map of a set is coarser than the others."""

from __future__ import annotations

from relief.inspect.finding import SetFinding
from relief.inspect.findings.texture_set import aspect
from relief.inspect.seen import SeenSet


def find(seen: SeenSet) -> SetFinding | None:
    """The maps of a set differ in size but not in shape."""
    sizes = {(picture.columns, picture.rows) for picture in seen.pictures.values()}
    if len(sizes) < 2 or aspect.find(seen):
        return None
    reason = f"They align, but detail is lost where a map is smaller: {seen.say_sizes()}."
    return SetFinding("size", "Sizes differ", reason)

"""Two levels: a photo of black and white with nothing between."""

from __future__ import annotations

from relief.inspect.finding import Finding
from relief.inspect.seen import SeenSource
from relief.sources.roles import two_values


def find(seen: SeenSource) -> Finding | None:
    """A photo of black and white with nothing between."""
    if seen.content.reading != "photo" or not two_values(seen.picture):
        return None
    reason = (
        "This picture is pure black and white, so its relief is a single step. Use it as a mask for a layer, or "
        "soften it into slopes."
    )
    return Finding("shades", "Two levels", reason)

"""Evenly lit photo: it has no bright side to read slopes from."""

from __future__ import annotations

from relief.inspect.finding import Finding
from relief.inspect.seen import SeenSource

EVENLY_LIT = 0.7
"""From this likelihood on it is said that a photo was lit evenly."""


def find(seen: SeenSource) -> Finding | None:
    """A photo that is read by its light has hardly any direction of light in it."""
    light = seen.content.light
    if seen.content.reading != "light" or light.way != "network" or not light.by_network:
        return None
    even = seen.engine.run(seen.pipeline.photo().lamp()).even
    if even <= EVENLY_LIT:
        return None
    reason = (
        f"The photo looks evenly lit ({even:.0%} likely), as on an overcast day or by a flash. Without a bright side "
        "its relief can only be read from darkness and is less certain. A photo in slanting light shows more."
    )
    return Finding("evenly-lit", "Evenly lit photo", reason)

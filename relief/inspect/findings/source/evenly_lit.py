"""Evenly lit photo: it has no bright side to read slopes from."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSource
from relief.inspect.start import is_guessed
from relief.recipe.relief import CONTENT_PATH

EVENLY_LIT = 0.7
"""From this likelihood on it is said that a photo was lit evenly."""


def find(seen: SeenSource) -> Finding | None:
    """A photo that is read by its light has hardly any direction of light in it, and the artist has set none."""
    light = seen.content.light
    if seen.content.reading != "light" or not light.by_network or not is_guessed(seen.pipeline.relief):
        return None
    even = seen.engine.run(seen.pipeline.photo().guessed()).even
    if even <= EVENLY_LIT:
        return None
    reason = (
        f"The photo looks evenly lit ({even:.0%} likely), as on an overcast day or by a flash. Without a bright side "
        "its relief is better read from darkness, and less certain: what is dark lies deep. A photo in slanting light "
        "shows more."
    )
    path = f"{CONTENT_PATH}.light"
    mend = Mend("Read from darkness", {f"{path}.way": "linear", f"{path}.fill": 1})
    return Finding("evenly-lit", "Evenly lit photo", reason, mend)

"""Evenly lit photo: it has no bright side to read slopes from."""

from __future__ import annotations

from relief.depth.from_light import EVENLY_LIT, FROM_DARKNESS
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSource
from relief.inspect.start import is_guessed, starts_from_darkness
from relief.recipe.relief import CONTENT_PATH

LIGHT_PATH = f"{CONTENT_PATH}.light"


def find(seen: SeenSource) -> Finding | None:
    """A photo that is read by its light has hardly any direction of light in it, and the artist has set none."""
    light, relief = seen.content.light, seen.pipeline.relief
    if seen.content.reading != "light" or not is_guessed(relief):
        return None
    if light.from_darkness and starts_from_darkness(relief):
        reason = (
            "The photo looks evenly lit, as on an overcast day or by a flash: it has no bright side to read slopes "
            "from. So it is read from darkness, which is less certain: what is dark lies deep. A photo in slanting "
            "light shows more."
        )
        mend = Mend("Read it by its light", {f"{LIGHT_PATH}.way": "network"})
        return Finding("evenly-lit", "Evenly lit photo", reason, mend)
    if not light.by_network or (even := seen.engine.run(seen.pipeline.photo().guessed()).even) <= EVENLY_LIT:
        return None
    reason = (
        f"The photo looks evenly lit ({even:.0%} likely), as on an overcast day or by a flash. Without a bright side "
        "its relief is better read from darkness, and less certain: what is dark lies deep. A photo in slanting light "
        "shows more."
    )
    mend = Mend("Read from darkness", {f"{LIGHT_PATH}.{name}": value for name, value in FROM_DARKNESS.items()})
    return Finding("evenly-lit", "Evenly lit photo", reason, mend)

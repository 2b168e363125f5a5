"""Heights go through the display curve: data is decoded as colour."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSource
from relief.recipe.relief import CONTENT_PATH
from relief.sources.colour import grey_of_data


def find(seen: SeenSource) -> Finding | None:
    """A height image is taken through the display curve, and no normal map of its set says that it should be."""
    content = seen.content
    if content.reading != "height" or content.transfer != "srgb" or seen.needs_curve:
        return None
    stored, bent = (
        float(grey_of_data(seen.picture, content.channel, transfer).mean()) for transfer in ("none", "srgb")
    )
    reason = (
        f"Data should be used as it is stored. Decoded as colour its mean falls from {stored:.2f} to {bent:.2f} "
        "and slopes in the dark flatten."
    )
    mend = Mend("Read it as data", {f"{CONTENT_PATH}.transfer": "auto"})
    return Finding("curve", "Heights go through the display curve", reason, mend)

"""Colour is read as data: one channel of a coloured picture is taken for heights."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSource
from relief.recipe.relief import CONTENT_PATH
from relief.sources.facts import has_colours
from relief.sources.roles import COLOURFUL, colourfulness


def find(seen: SeenSource) -> Finding | None:
    """A picture that is read as a height image, and whose channels differ as colours do."""
    content, picture = seen.content, seen.picture
    first = content.channel in ("", "red", "green", "blue")
    if content.reading != "height" or not first or content.unpacks_itself or not has_colours(picture):
        return None
    apart = colourfulness(picture)
    if apart < COLOURFUL:
        return None
    reason = (
        f"Its channels differ by {apart:.0%}, as colours do; read as a height image only its "
        f"{content.channel or 'red'} is used, without a display curve."
    )
    mend = Mend("Read it as a photo", {f"{CONTENT_PATH}.reading": "photo"})
    return Finding("colour-as-data", "Colour is read as data", reason, mend)

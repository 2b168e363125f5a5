"""Green is reversed: the height is found from a normal map that is read the wrong way."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSource
from relief.recipe.relief import CONTENT_PATH
from relief.sources.roles import green_of


def find(seen: SeenSource) -> Finding | None:
    """The height is found from a normal map whose green is read the wrong way; its set may have said so already."""
    content, picture = seen.content, seen.picture
    if content.reading != "normal" or not picture.is_colour or "green" in seen.set_kinds:
        return None
    right = green_of(picture)
    if right == content.green:
        return None
    reason = (
        f"The slopes of this normal map are consistent only with green {right}; the other way the height comes "
        "out crumpled."
    )
    mend = Mend(f"Read it with green {right}", {f"{CONTENT_PATH}.green": right})
    return Finding("green", "Green is reversed", reason, mend)

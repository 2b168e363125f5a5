"""Neural network missing: a photo is read by its light without the files that this needs."""

from __future__ import annotations

from relief.depth.networks import MISSING
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSource
from relief.recipe.relief import CONTENT_PATH


def find(seen: SeenSource) -> Finding | None:
    """A photo is to be read by its light, and the network's file is missing or damaged."""
    content = seen.content
    if content.reading != "light" or content.light.way != "network" or content.light.by_network:
        return None
    mend = Mend("Read it by the linear method", {f"{CONTENT_PATH}.light.way": "linear"})
    return Finding("networks", "Neural network missing", MISSING, mend)

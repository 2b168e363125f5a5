"""Error larger than asked: the tessellation ends before it is small enough."""

from __future__ import annotations

import numpy as np

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenMesh
from relief.surface.tessellation.tessellation import MOST_CUTS


def find(seen: SeenMesh) -> Finding | None:
    """The tessellation ends, or is not fine enough, before the error is as small as was asked."""
    pipeline, engine = seen.pipeline, seen.engine
    way = pipeline.surface.tessellation
    if not way.allowed:
        return None
    off = engine.run(pipeline.deviation())
    if off.worst <= way.allowed:
        return None
    place = ", ".join(say_length(value, 3) for value in off.where)
    reason = (
        f"The error reaches {say_length(off.worst)} where at most {say_length(way.allowed)} was asked for; it is "
        f"greatest at {place}."
    )
    further = way.most_level + max(1, int(np.ceil(np.log2(off.worst / way.allowed) / 2)))
    mend = (
        Mend(f"Allow {further} levels", {"surface.tessellation.most_level": further}) if further <= MOST_CUTS else None
    )
    return Finding("error", "Error larger than asked", reason, mend)

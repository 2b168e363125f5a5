"""Seam does not close: repeats by real size are seldom whole around a surface."""

from __future__ import annotations

import numpy as np

from relief.figures import say_number
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSurface

NEARLY = 0.01
"""Of a repeat: less than this a join is off by is not seen."""


def find(seen: SeenSurface) -> Finding | None:
    """By real size the repeats around a closed surface are seldom whole."""
    pipeline, engine = seen.pipeline, seen.engine
    surface = pipeline.surface
    mapping, shape = surface.mapping, surface.shape
    closes = (True, False) if mapping.kind in ("cylindrical", "spherical") else shape.closes
    if mapping.kind in ("planar", "box", "azimuthal") or mapping.sizing == "world" or not surface.relief:
        return None
    part = engine.run(pipeline.base()).part_list[0]
    lengths = np.array([part.width, part.height])
    counts = mapping.count_repeats(lengths, pipeline.footprint)
    off = [float(count) for count, closed in zip(counts, closes, strict=True) if closed and _is_open(count)]
    if not off:
        return None
    reason = (
        f"The relief repeats {say_number(off[0])} times around, so it does not meet itself where the surface closes."
    )
    whole = [max(1, round(float(count))) for count in counts]
    label = f"Make it {max(1, round(off[0]))}"
    if mapping.sizing == "real":
        return Finding("join", "Seam does not close", reason, Mend(label, {"surface.mapping.whole": True}))
    names = ("surface.mapping.repeats_across", "surface.mapping.repeats_down")
    changes = {name: count for name, count, closed in zip(names, whole, closes, strict=True) if closed}
    return Finding("join", "Seam does not close", reason, Mend(label, changes))


def _is_open(count: float) -> bool:
    return abs(count - round(count)) > NEARLY

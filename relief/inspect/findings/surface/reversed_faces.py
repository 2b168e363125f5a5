"""Faces reversed: what should come out goes in."""

from __future__ import annotations

from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenSurface


def find(seen: SeenSurface) -> Finding | None:
    """Inward-facing faces displace inward. A room is meant to."""
    pipeline, engine = seen.pipeline, seen.engine
    surface, mesh = pipeline.surface, engine.run(pipeline.base())
    shape = surface.shape
    wrong = int(engine.run(pipeline.turned_faces()).sum())
    if not wrong:
        return None
    share = "All faces look" if wrong == mesh.faces else f"{wrong} of {mesh.faces} base faces look"
    way = "outward" if shape.inward else "inward"
    reason = f"{share} {way}: what should come out goes in there."
    if surface.turned:
        mend = Mend("Turn them back", {"surface.turned": False})
    elif shape.source_key:
        mend = Mend("Turn faces outward", {"surface.shape.outward": True})
    else:
        mend = None
    return Finding("reversed", "Faces reversed", reason, mend)

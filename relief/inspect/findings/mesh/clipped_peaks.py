"""Peaks clipped in the target program: its bound is narrower than the relief."""

from __future__ import annotations

from relief.figures import say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenMesh


def find(seen: SeenMesh) -> Finding | None:
    """The receiving program bounds the displacement too narrowly (common practice, no source)."""
    pipeline, engine = seen.pipeline, seen.engine
    allowed = pipeline.surface.reach
    reach = max(map(abs, engine.run(pipeline.reach())))
    if not allowed or reach <= allowed * 1.0001:
        return None
    reason = (
        f"The relief reaches {say_length(reach)} from the surface but the bound is {say_length(allowed)}, so it is "
        "clipped there."
    )
    rounded = float(f"{reach * 1.01:.3g}")
    return Finding(
        "reach", "Peaks clipped in the target program", reason, Mend("Raise the bound", {"surface.reach": rounded})
    )

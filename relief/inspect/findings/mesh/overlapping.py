"""Surface overlaps: the relief is deeper than the surface is curved."""

from __future__ import annotations

import numpy as np

from relief.figures import say_length, say_share
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenMesh

FOLDED = 1e-4
"""Of the triangles: fewer that fold are not seen."""

NEAREST = 1e-3
"""Of the triangles: those that fold first, which decide how deep the relief may be."""

SAFE = 0.95
"""Of the depth at which a surface folds, so that it does not."""

LEAST = 0.2
"""Of the amplitude: lowering it by more is not offered."""


def find(seen: SeenMesh) -> Finding | None:
    """The relief goes deeper than the surface is curved."""
    pipeline, engine = seen.pipeline, seen.engine
    times = engine.run(pipeline.folds())
    share = float((times < 1).mean()) if len(times) else 0.0
    if share <= FOLDED:
        return None
    where = f"In {say_share(share)} of the surface"
    reason = f"{where} the relief is deeper than the radius of curvature, so the surface overlaps itself."
    bearable = float(np.partition(times, int(NEAREST * len(times)))[int(NEAREST * len(times))]) * SAFE
    key = pipeline.surface.relief
    mend = None
    if key and LEAST < bearable < 1:
        amplitude = float(f"{pipeline.pipelines[key].relief.amplitude * bearable:.3g}")
        mend = Mend(f"Set amplitude to {say_length(amplitude)}", {f"reliefs.{key}.amplitude": amplitude})
    return Finding("overlap", "Surface overlaps", reason, mend)

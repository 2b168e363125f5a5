"""Relief stretched: the mapping looks along the surface there."""

from __future__ import annotations

from relief.figures import say_number
from relief.inspect.finding import Finding
from relief.inspect.seen import SeenSurface
from relief.inspect.stretch import measure_stretch
from relief.run.meshes import SurfacePipeline
from relief.surface.tessellation.levels import Levels

PULLED = 4
"""Times narrower or wider than it is: beyond, texels show."""


def find(seen: SeenSurface) -> Finding | None:
    """Where a mapping looks along a surface, texels are pulled long."""
    pipeline, engine = seen.pipeline, seen.engine
    surface = pipeline.surface.model_copy(update={"level": 1, "tessellation": Levels()})
    small = SurfacePipeline(surface, pipeline.pipelines)
    figures, _, _ = measure_stretch(engine.run(small.covered()).mesh, pipeline.footprint.sides)
    if figures.worst < 90 or figures.smallest > 1 / PULLED:
        return None
    times = 1 / max(figures.smallest, 1e-3)
    pulled = f"In places the relief is stretched to {say_number(times)} times its width."
    reason = f"{pulled} Use a box, cylindrical or spherical mapping."
    return Finding("pulled", "Relief stretched", reason)

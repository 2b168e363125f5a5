"""What will look wrong with a surface: reversed faces, a join that does not close, a mapping that pulls too much."""

from __future__ import annotations

import numpy as np

from relief.figures import say_number
from relief.inspect.finding import Finding, Mend
from relief.inspect.stretch import measure_stretch
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.surface.tessellation.levels import Levels

PULLED = 4
"""Times narrower or wider than it is: beyond, texels show."""

NEARLY = 0.01
"""Of a repeat: less than this a join is off by is not seen."""


def find_in_surface(pipeline: SurfacePipeline, engine: Engine) -> list[Finding]:
    """The findings of a surface, from its base mesh."""
    return [item for find in (reversed_faces, open_join, pulled) if (item := find(pipeline, engine))]


def reversed_faces(pipeline: SurfacePipeline, engine: Engine) -> Finding | None:
    """Faces that look inward displace inward. A room is meant to."""
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


def open_join(pipeline: SurfacePipeline, engine: Engine) -> Finding | None:
    """By real size the repeats around a closed surface are seldom whole."""
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


def pulled(pipeline: SurfacePipeline, engine: Engine) -> Finding | None:
    """Where a mapping looks along a surface, texels are pulled long."""
    surface = pipeline.surface.model_copy(update={"level": 1, "tessellation": Levels()})
    small = SurfacePipeline(surface, pipeline.pipelines)
    figures, _, _ = measure_stretch(engine.run(small.covered()).mesh, pipeline.footprint.sides)
    if figures.worst < 90 or figures.smallest > 1 / PULLED:
        return None
    times = 1 / max(figures.smallest, 1e-3)
    pulled = f"In places the relief is stretched to {say_number(times)} times its width."
    reason = f"{pulled} Use a box, cylindrical or spherical mapping."
    return Finding("pulled", "Relief stretched", reason)

"""What will look wrong with the displaced mesh: too coarse or too fine, run into itself, cut off elsewhere."""

from __future__ import annotations

import numpy as np

from relief.displace.forecast import final_limit, most_triangles
from relief.errors import ReliefError
from relief.figures import say_count, say_length, say_share
from relief.inspect.finding import Finding, Mend
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.surface.cover import CoveredMesh
from relief.surface.tessellation.tessellation import MOST_CUTS

FOLDED = 1e-4
"""Of the triangles: fewer that fold are not seen."""

NEAREST = 1e-3
"""Of the triangles: those that fold first, which decide how deep the relief may be."""

SAFE = 0.95
"""Of the depth at which a surface folds, so that it does not."""

LEAST = 0.2
"""Of the amplitude: lowering it by more is no mend."""

LOOKED_AT = 200_000
"""Edges that are measured at most."""


def find_in_mesh(pipeline: SurfacePipeline, engine: Engine, finest: float | None) -> list[Finding]:
    """The findings of a displaced surface.

    Args:
        pipeline: the surface as it is looked at.
        engine: where stages are run.
        finest: the wavelength of the finest detail of the relief that is worked on, mm; none where it is flat.

    Returns:
        Nothing where it is not built, as something is wrong that is said elsewhere.
    """
    try:
        found = [
            cut_tops(pipeline, engine),
            overlapping(pipeline, engine),
            error_not_kept(pipeline, engine),
            *coarse_or_fine(pipeline, engine, finest),
        ]
    except ReliefError:
        return []
    return [item for item in found if item]


def cut_tops(pipeline: SurfacePipeline, engine: Engine) -> Finding | None:
    """The receiving program bounds the displacement too narrowly (common practice, no source)."""
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


def overlapping(pipeline: SurfacePipeline, engine: Engine) -> Finding | None:
    """The relief goes deeper than the surface is curved."""
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


def error_not_kept(pipeline: SurfacePipeline, engine: Engine) -> Finding | None:
    """The tessellation ends, or is not fine enough, before the error is as small as was asked."""
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


def coarse_or_fine(pipeline: SurfacePipeline, engine: Engine, finest: float | None) -> list[Finding]:
    """The final mesh has edges longer than the finest detail, or shorter than half a texel."""
    surface = pipeline.surface
    if finest is None or not surface.relief:
        return []
    covered = engine.run(pipeline.covered())
    lengths = edges_on_relief(covered, pipeline.footprint.sides)
    if not len(lengths):
        return []
    # a tessellation puts its shortest edges where the detail is
    looked_at = float(np.median(lengths) if surface.tessellation.even else np.percentile(lengths, 10))
    final = surface.final_level or surface.level
    edge = looked_at / 2.0 ** (final - surface.level) if surface.tessellation.even else looked_at
    texel = min(engine.run(pipeline.pipelines[surface.relief].height()).spacing)
    if edge > finest and not surface.residual:
        reason = (
            f"Edges of the final mesh are {say_length(edge)} long but the finest detail is only {say_length(finest)} "
            "wide."
        )
        return [Finding("blocky", "Mesh too coarse", reason, _finer(pipeline, engine, edge / finest))]
    if edge < texel / 2:
        reason = f"Edges of the final mesh are {say_length(edge)} long, finer than a texel of {say_length(texel)}."
        return [Finding("wasteful", "Mesh finer than the relief", reason, _coarser(pipeline, texel / edge))]
    return []


def edges_on_relief(covered: CoveredMesh, footprint: tuple[float, float]) -> np.ndarray:
    """How long edges of faces are on the relief that lies on them, mm: float64, of up to so many of them."""
    found = []
    for item in covered.covers:
        if not item.relief or item.laid.is_passage:
            continue
        # within a cover the corners of a face follow each other
        faces = covered.mesh.face_of_corners[item.chosen]
        places = item.laid.uv[item.laid.corners] * footprint
        lengths = np.linalg.norm(places[1:] - places[:-1], axis=1)[faces[1:] == faces[:-1]]
        found.append(lengths[:: max(1, len(lengths) // LOOKED_AT)])
    return np.concatenate(found) if found else np.zeros(0)


def _finer(pipeline: SurfacePipeline, engine: Engine, times: float) -> Mend | None:
    """More levels, or more faces, so that edges are so many times as short; none where that does not fit."""
    surface = pipeline.surface
    if surface.tessellation.even:
        final = (surface.final_level or surface.level) + int(np.ceil(np.log2(times)))
        fits = {cost.level for cost in pipeline.final().forecasts(engine) if cost.fits_final}
        return Mend(f"Use level {final} for the final mesh", {"surface.final_level": final}) if final in fits else None
    most = surface.tessellation.most_faces
    return _with_budget(pipeline, most * times**2) if most else None


def _coarser(pipeline: SurfacePipeline, times: float) -> Mend | None:
    surface = pipeline.surface
    if surface.tessellation.even:
        final = max(1, (surface.final_level or surface.level) - int(np.log2(times)))
        return Mend(f"Use level {final} for the final mesh", {"surface.final_level": final})
    most = surface.tessellation.most_faces
    return _with_budget(pipeline, most / times**2) if most else None


def _with_budget(pipeline: SurfacePipeline, faces: float) -> Mend | None:
    rounded = int(float(f"{faces:.2g}"))
    if not 12 <= rounded <= most_triangles(pipeline.surface, final_limit()):
        return None
    return Mend(f"Use {say_count(rounded)} faces", {"surface.tessellation.faces": rounded})

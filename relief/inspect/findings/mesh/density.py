"""Mesh too coarse, or finer than the relief: its edges beside the finest detail and a texel."""

from __future__ import annotations

import numpy as np

from relief.displace.forecast import final_limit, most_triangles
from relief.figures import say_count, say_length
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenMesh
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.surface.cover import CoveredMesh

LOOKED_AT = 200_000
"""Edges that are measured at most."""


def find(seen: SeenMesh) -> Finding | None:
    """The final mesh has edges longer than the finest detail, or shorter than half a texel."""
    pipeline, engine, finest = seen.pipeline, seen.engine, seen.finest
    surface = pipeline.surface
    if finest is None or not surface.relief:
        return None
    covered = engine.run(pipeline.covered())
    lengths = edges_on_relief(covered, pipeline.footprint.sides)
    if not len(lengths):
        return None
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
        return Finding("blocky", "Mesh too coarse", reason, _finer(pipeline, engine, edge / finest))
    if edge < texel / 2:
        reason = f"Edges of the final mesh are {say_length(edge)} long, finer than a texel of {say_length(texel)}."
        return Finding("wasteful", "Mesh finer than the relief", reason, _coarser(pipeline, texel / edge))
    return None


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

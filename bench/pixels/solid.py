"""What the stage shows in space: the mesh of the surface as raw arrays."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_safe

from bench.pixels.stage import SHARPEST
from bench.requests import draft_of, piece_of, revision_of
from relief.errors import ReliefError
from relief.inspect.stretch import measure_stretch
from relief.recipe import edits
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import PROXY
from relief.surface.mesh import Mesh
from relief.surface.tangents import with_tangents
from shelf.engine import get_engine
from shelf.models import read_source
from studio.packet import packet

DRAFT_FACES = 150_000
"""Faces at most of a surface that follows a dragged control."""


@require_safe
def surface(request: HttpRequest, pk: int) -> HttpResponse:
    """The mesh of the surface, displaced or flat, cut in triangles that stand region by region.

    Arrays: `positions`, `normals` of the mesh and `base_normals` of it before it was displaced, `tangents` to these,
    `uv` in repeats, `sky` that each vertex sees; `triangles`, and for each its `parts`. `stretch` is the binary
    logarithm of mm of relief on a mm of surface.
    """
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    draft = draft_of(request)
    try:
        recipe = revision.read().with_changes(draft) if draft else revision.read()
        pipeline = SurfacePipeline.of(recipe, read_source, PROXY if draft else SHARPEST)
        if "card" in request.GET:
            pipeline = pipeline.with_relief(edits.with_test_card(recipe.shown))
        pipeline = _coarser(pipeline) if draft else pipeline
        engine = get_engine()
        covered = engine.run(pipeline.covered())
        displaced = request.GET.get("displaced") != "0"
        mesh = engine.run(pipeline.displaced()) if displaced else covered.mesh
        sky = engine.run(pipeline.open_sky()) if displaced else np.ones(len(mesh.positions), np.float32)
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    base = covered.mesh
    # a normal map that holds all of the relief turns the normals that the surface has of its own
    cut, tangents = with_tangents(base)
    corner_of = np.empty(len(cut.positions), np.int64)
    corner_of[cut.corners] = np.arange(len(cut.corners))
    vertices = mesh.corners[corner_of]
    faces = cut.face_of_triangles()
    regions = covered.assigned[faces]
    order = np.argsort(regions, kind="stable")
    footprint = pipeline.footprint.sides
    figures, stretch, _ = measure_stretch(base, footprint)
    shape = recipe.surface.shape
    low, high = base.bounds()
    return packet(
        {
            "positions": mesh.positions[vertices],
            "normals": mesh.normals[mesh.normal_corners[corner_of]],
            "base_normals": cut.normals,
            "tangents": tangents,
            "uv": cut.uv,
            "sky": sky[vertices],
            "triangles": cut.corners[cut.triangles()][order].astype(np.uint32),
            "parts": mesh.parts[faces][order],
            "stretch": _on_vertices(stretch, cut),
        },
        faces=mesh.faces,
        footprint=list(footprint),
        part_names=[part.name for part in mesh.part_list],
        region_counts=np.bincount(regions, minlength=len(recipe.surface.regions) + 1).tolist(),
        region_names=["the rest", *(region.name for region in recipe.surface.regions)],
        region_reliefs=[recipe.surface.relief, *(region.relief for region in recipe.surface.regions)],
        upright=shape.upright,
        inward=shape.inward != recipe.surface.turned,
        size=(high - low).tolist(),
        shift=_shifts(pipeline),
        figures=[figures.smallest, figures.largest, figures.angle, figures.worst],
    )


def _on_vertices(of_triangles: np.ndarray, mesh: Mesh) -> np.ndarray:
    """The mean around each vertex of what is known of triangles: float32 (vertices,)."""
    vertices = mesh.corners[mesh.triangles()]
    count = len(mesh.positions)
    total = np.bincount(vertices.ravel(), np.repeat(of_triangles, 3), count)
    return (total / np.maximum(np.bincount(vertices.ravel(), minlength=count), 1)).astype(np.float32)


def _shifts(pipeline: SurfacePipeline) -> list[float]:
    mapping = pipeline.surface.mapping
    return [mapping.shift_across, mapping.shift_down]


def _coarser(pipeline: SurfacePipeline) -> SurfacePipeline:
    """The surface at the highest level, at most its own, that is quick enough to follow a hand."""
    level = pipeline.surface.level
    while level and pipeline.with_level(level).forecast(get_engine()).faces > DRAFT_FACES:
        level -= 1
    return pipeline.with_level(level)

"""What the stage shows in space: the mesh of the surface as raw arrays."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_safe

from bench.pixels.stage import SHARPEST
from bench.requests import draft_of, line_of, piece_of, revision_of
from relief.errors import ReliefError
from relief.inspect.mesh_section import cut_mesh
from relief.inspect.stretch import measure_stretch
from relief.recipe import edits
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import PROXY
from relief.surface.mesh import Mesh
from relief.surface.seams import find_seams
from relief.surface.tangents import with_tangents
from shelf.engine import get_engine
from shelf.models import read_source
from studio.packet import packet

NOTHING = np.zeros((0, 4), np.float32)

DRAFT_FACES = 150_000
"""Faces at most of a surface that follows a dragged control."""


@require_safe
def mesh(request: HttpRequest, pk: int) -> HttpResponse:
    """The mesh of the surface, displaced or flat, cut in triangles that stand region by region.

    Arrays: `positions`, `normals` of the mesh and `base_normals` of it before it was displaced, `tangents` to these
    (where `mapped` is asked for), `uv` in repeats, `sky` that each vertex sees, `stretch` (where it is asked for) the
    binary logarithm of mm of relief on a mm of surface; `triangles`, and for each its `parts`; `seams`, the ends of
    edges where the places do not meet.
    """
    try:
        pipeline = _asked(request, pk)
        engine = get_engine()
        covered = engine.run(pipeline.covered())
        displaced = request.GET.get("displaced") != "0"
        moved = engine.run(pipeline.displaced()) if displaced else covered.mesh
        sky = engine.run(pipeline.open_sky()) if displaced else np.ones(len(moved.positions), np.float32)
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    base = covered.mesh
    # a normal map that holds all of the relief turns the normals that the surface has of its own
    cut, tangents = with_tangents(base) if "mapped" in request.GET else (base.cut_at_seams(), NOTHING)
    corner_of = np.empty(len(cut.positions), np.int64)
    corner_of[cut.corners] = np.arange(len(cut.corners))
    vertices = moved.corners[corner_of]
    faces = cut.face_of_triangles()
    regions = covered.assigned[faces]
    order = np.argsort(regions, kind="stable")
    footprint = pipeline.footprint.sides
    figures, stretch = None, np.zeros(len(cut.positions), np.float32)
    if "stretch" in request.GET:
        figures, of_triangles, _ = measure_stretch(base, footprint)
        stretch = _on_vertices(of_triangles, cut)
    surface = pipeline.surface
    low, high = base.bounds()
    return packet(
        {
            "positions": moved.positions[vertices],
            "normals": moved.normals[moved.normal_corners[corner_of]],
            "base_normals": cut.normals,
            "tangents": tangents,
            "uv": cut.uv,
            "sky": sky[vertices],
            "triangles": cut.corners[cut.triangles()][order].astype(np.uint32),
            "parts": moved.parts[faces][order],
            "stretch": stretch,
            "seams": moved.positions[find_seams(base)].reshape(-1, 3),
        },
        faces=moved.faces,
        footprint=list(footprint),
        part_names=[part.name for part in moved.part_list],
        region_counts=np.bincount(regions, minlength=len(surface.regions) + 1).tolist(),
        region_names=["the rest", *(region.name for region in surface.regions)],
        region_reliefs=[surface.relief, *(region.relief for region in surface.regions)],
        upright=surface.shape.upright,
        inward=surface.shape.inward != surface.turned,
        size=(high - low).tolist(),
        shift=[surface.mapping.shift_across, surface.mapping.shift_down],
        figures=figures and [figures.smallest, figures.largest, figures.angle, figures.worst],
    )


def _on_vertices(of_triangles: np.ndarray, mesh: Mesh) -> np.ndarray:
    """The mean around each vertex of what is known of triangles: float32 (vertices,)."""
    vertices = mesh.corners[mesh.triangles()]
    count = len(mesh.positions)
    total = np.bincount(vertices.ravel(), np.repeat(of_triangles, 3), count)
    return (total / np.maximum(np.bincount(vertices.ravel(), minlength=count), 1)).astype(np.float32)


def _asked(request: HttpRequest, pk: int) -> SurfacePipeline:
    """The surface that is asked for, at a revision with or without a draft change on it."""
    revision, draft = revision_of(piece_of(request, pk), request.GET.get("base")), draft_of(request)
    recipe = revision.read().with_changes(draft) if draft else revision.read()
    pipeline = SurfacePipeline.of(recipe, read_source, PROXY if draft else SHARPEST)
    if "card" in request.GET:
        pipeline = pipeline.with_relief(edits.with_test_card(recipe.shown))
    return _coarser(pipeline) if draft else pipeline


@require_safe
def section(request: HttpRequest, pk: int) -> HttpResponse:
    """The section of the surface where the line A to A' lies on its front: `cut`, and `cut_base` of its base."""
    try:
        pipeline = _asked(request, pk)
        base, moved = (get_engine().run(stage) for stage in (pipeline.subdivided(), pipeline.displaced()))
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    line = line_of(request)
    return packet({"cut": cut_mesh(moved, *line), "cut_base": cut_mesh(base, *line)})


def _coarser(pipeline: SurfacePipeline) -> SurfacePipeline:
    """The surface at the highest level, at most its own, that is quick enough to follow a hand."""
    level = pipeline.surface.level
    while level and pipeline.with_level(level).forecast(get_engine()).faces > DRAFT_FACES:
        level -= 1
    return pipeline.with_level(level)

"""What the stage shows in space: the mesh of the surface as raw arrays."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, cast

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_safe

from relief.deliver.images import png
from relief.errors import ReliefError
from relief.filters.sample import SAMPLING_NAMES, Sampling
from relief.inspect.close_up import close_up
from relief.inspect.mesh_section import Front, cut_mesh, find_end, place_cut
from relief.inspect.stretch import measure_stretch
from relief.recipe import map_edits
from relief.recipe.relief import Relief
from relief.run.finished import maps_of_material
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import PROXY, Pipeline
from relief.surface.edges import find_edges
from relief.surface.mesh import Mesh, mean_at_vertices
from relief.surface.regions import assign_regions
from relief.surface.seams import find_seams
from relief.surface.tangents import with_tangents
from relief.surface.tessellation.levels import Levels
from studio.bench.pixels.stage import SHARPEST
from studio.bench.requests import draft_of, line_of, piece_of, revision_of
from studio.shelf.engine import get_engine
from studio.shelf.models import read_source
from studio.web.packet import packet

NOTHING = np.zeros((0, 4), np.float32)

DRAFT_FACES = 150_000
"""Faces at most of a surface that follows a dragged control."""

FINEST = 500_000
"""Faces at most of what shows all of the detail; each is two triangles."""

RESIDUAL = 2048
"""Texels to a side of a residual normal map that is looked at, at most."""


@require_safe
def mesh(request: HttpRequest, pk: int) -> HttpResponse:
    """The mesh of the surface, displaced or flat, cut in triangles that stand region by region.

    Arrays: `positions`, `normals` of the mesh and `base_normals` of it before it was displaced, `tangents` to these
    (where `mapped` is asked for), `uv` in repeats, `sky` that each vertex sees, `stretch` (where it is asked for) the
    binary logarithm of mm of relief on a mm of surface, or (where `edges` are) of how long edges are beside what they
    are on average, or (where `overlap` is) the share of triangles that fold; `triangles`, and for each its `parts`;
    `seams`, the ends of edges where the places do not meet; `picked`, those of base edges that were picked.

    With `detail=all` it is as fine as can be looked at. With `detail=residual` it comes with the normal map that
    completes it, `residual` (8 bits), `uv` being places on that; and `angles` between its normals and the true ones.
    """
    try:
        pipeline = _surface_asked_for(request, pk)
        match request.GET.get("detail"):
            case "residual":
                arrays, told = _complete(pipeline)
            case "all":
                arrays, told = _as_built(_finer(pipeline), request)
            case _:
                arrays, told = _as_built(pipeline, request)
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    surface, base = pipeline.surface, get_engine().run(pipeline.base())
    picked = [pair for pair in surface.subdivision.picked if max(pair) < len(base.positions)]
    arrays["picked"] = base.positions[np.array(picked, np.int64).reshape(-1)]
    low, high = get_engine().run(pipeline.subdivided()).bounds()
    return packet(
        arrays,
        footprint=list(pipeline.footprint.sides),
        region_names=["the rest", *(region.name for region in surface.regions)],
        region_reliefs=[surface.relief, *(region.relief for region in surface.regions)],
        region_maps={key: maps_of_material(each.relief) for key, each in pipeline.pipelines.items()},
        upright=surface.shape.upright,
        inward=surface.shape.inward != surface.turned,
        size=(high - low).tolist(),
        colours_laid={key: m for key, each in pipeline.pipelines.items() if (m := _laid_colours(each.relief))},
        shift=[surface.mapping.shift_across, surface.mapping.shift_down],
        **told,
    )


def _as_built(pipeline: SurfacePipeline, request: HttpRequest) -> tuple[dict[str, np.ndarray], dict[str, Any]]:
    """The arrays of the mesh as it is built, and what is told of it."""
    engine = get_engine()
    covered = engine.run(pipeline.covered())
    base, moved = covered.mesh, covered.mesh
    sky = np.ones(len(base.positions), np.float32)
    if request.GET.get("displaced") != "0":
        moved, sky = engine.run(pipeline.displaced()), engine.run(pipeline.open_sky())
    # a normal map that holds all of the relief turns the normals that the surface has of its own
    cut, tangents = with_tangents(base) if "mapped" in request.GET else (moved.cut_at_seams(), NOTHING)
    corner_of = _corner_of_vertices(cut)
    vertices = moved.corners[corner_of]
    figures, stretch = None, np.zeros(len(cut.positions), np.float32)
    if "edges" in request.GET:
        stretch = _edge_lengths(moved)[vertices]
    if "overlap" in request.GET:
        folded = (engine.run(pipeline.folds()) < 1).astype(np.float32)
        stretch = mean_at_vertices(base.corners[base.triangles()], np.repeat(folded, 3), len(base.positions))[vertices]
    if "stretch" in request.GET:
        figures, of_triangles, _ = measure_stretch(base, pipeline.footprint.sides)
        triangles = cut.corners[cut.triangles()]
        stretch = mean_at_vertices(triangles, np.repeat(of_triangles, 3), len(cut.positions))
    arrays, told = _of_regions(cut, covered.assigned, len(pipeline.surface.regions) + 1)
    arrays |= {
        "positions": moved.positions[vertices],
        "normals": moved.normals[moved.normal_corners[corner_of]],
        "base_normals": cut.normals,
        "tangents": tangents,
        "uv": cut.uv,
        "sky": sky[vertices],
        "stretch": stretch,
        "seams": moved.positions[find_seams(base)].reshape(-1, 3),
    }
    return arrays, told | {
        "faces": moved.faces,
        "figures": figures and [figures.smallest, figures.largest, figures.angle, figures.worst],
    }


def _complete(pipeline: SurfacePipeline) -> tuple[dict[str, np.ndarray], dict[str, Any]]:
    """The arrays of the geometry with the residual normal map that completes it, and what is told of them."""
    engine = get_engine()
    split = engine.run(pipeline.split(min(pipeline.surface.residual or RESIDUAL, RESIDUAL)))
    assigned = assign_regions(engine.run(pipeline.base()), pipeline.surface.regions)[split.mesh.base_faces]
    cut, tangents = with_tangents(split.mesh)
    arrays, told = _of_regions(cut, assigned, len(pipeline.surface.regions) + 1)
    vertices = split.mesh.corners[_corner_of_vertices(cut)]
    arrays |= {
        "positions": cut.positions,
        "normals": cut.normals,
        "base_normals": cut.normals,
        "tangents": tangents,
        "uv": cut.uv,
        "sky": engine.run(pipeline.open_sky())[vertices],
        "stretch": np.zeros(len(cut.positions), np.float32),
        "seams": np.zeros((0, 3), np.float32),
        "residual": (split.residual >> 8).astype(np.uint8),
    }
    return arrays, told | {"faces": split.mesh.faces, "angles": [*split.off_before, *split.off_after]}


def _corner_of_vertices(cut: Mesh) -> np.ndarray:
    """One corner of each vertex of a mesh that is cut at its seams: int64 (vertices,)."""
    corner_of = np.empty(len(cut.positions), np.int64)
    corner_of[cut.corners] = np.arange(len(cut.corners))
    return corner_of


def _of_regions(cut: Mesh, assigned: np.ndarray, count: int) -> tuple[dict[str, np.ndarray], dict[str, Any]]:
    """The triangles of a mesh region by region with their parts, and how many each region has."""
    faces = cut.face_of_triangles()
    regions = assigned[faces]
    order = np.argsort(regions, kind="stable")
    arrays = {
        "triangles": cut.corners[cut.triangles()][order].astype(np.uint32),
        "parts": cut.parts[faces][order],
    }
    return arrays, {
        "part_names": [part.name for part in cut.part_list],
        "region_counts": np.bincount(regions, minlength=count).tolist(),
    }


def _edge_lengths(mesh: Mesh) -> np.ndarray:
    """The mean of the edges at each vertex beside that of all, as a binary logarithm: float32 (vertices,)."""
    ends = find_edges(mesh.corners, mesh.offsets).vertices
    lengths = np.linalg.norm(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]], axis=1)
    mean = mean_at_vertices(ends, np.repeat(lengths, 2), len(mesh.positions))
    beside = np.log2(np.maximum(mean, 1e-12) / max(float(np.exp(np.log(np.maximum(lengths, 1e-12)).mean())), 1e-12))
    return beside.astype(np.float32)


def _laid_colours(relief: Relief) -> list[float] | None:
    """The matrix, row by row, from a place on the relief to one on its colours; none where that is the same place."""
    unlinked = next((item for item in relief.maps.unlinked if item.on and item.role == "colour"), None)
    return unlinked.matrix().ravel().tolist() if unlinked else None


def _surface_asked_for(request: HttpRequest, pk: int) -> SurfacePipeline:
    """The surface that is asked for, at a revision with or without a draft change on it."""
    revision, draft = revision_of(piece_of(request, pk), request.GET.get("base")), draft_of(request)
    recipe = revision.read().with_changes(draft) if draft else revision.read()
    pipeline = SurfacePipeline.of(recipe, read_source, PROXY if draft else SHARPEST)
    if "card" in request.GET:
        pipeline = pipeline.with_relief(map_edits.with_test_card(recipe.shown))
    return pipeline.with_at_most(get_engine(), DRAFT_FACES) if draft else pipeline


@require_safe
def between_texels(request: HttpRequest, pk: int, sampling: str) -> HttpResponse:
    """A few texels of the relief that is worked on, near to, as one way of sampling shows them."""
    if sampling not in SAMPLING_NAMES:
        raise Http404
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    pipeline = Pipeline.of(revision.read(), read_source, SHARPEST)
    try:
        height = get_engine().run(pipeline.displacing())
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    picture = close_up(height, pipeline.relief.amplitude, cast("Sampling", sampling))
    return HttpResponse(png(picture), content_type="image/png")


@require_safe
def section(request: HttpRequest, pk: int) -> HttpResponse:
    """The section of the surface where the line A to A' lies on its front.

    Arrays: `cut` of the surface and `cut_base` of its base, mm along and out; `placed`, where on it the first lies
    from A to A'. With them the places of the two ends, the front that they are parts of (left, top, width, height), and
    whether the surface is the relief itself (`plain`), so that the cut can be laid on its section.
    """
    try:
        pipeline = _surface_asked_for(request, pk)
        base, moved = (get_engine().run(stage) for stage in (pipeline.subdivided(), pipeline.displaced()))
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    front = Front.of(base)
    first, last = (front.place(end) for end in line_of(request))
    cut = cut_mesh(moved, first, last)
    length = float(np.hypot(*(last - first)))
    between = ((cut[..., 0] >= -1e-3 * length) & (cut[..., 0] <= 1.001 * length)).all(axis=1)
    found = np.array([find_end(cut, along) for along in (0.0, length)])
    return packet(
        {"cut": cut, "cut_base": cut_mesh(base, first, last), "placed": place_cut(cut[between], first, last)},
        front=list(front),
        plain=pipeline.surface.is_plain,
        ends=place_cut(found, first, last).tolist(),
    )


def _finer(pipeline: SurfacePipeline) -> SurfacePipeline:
    """The surface at the highest level that can be looked at; as it is where that has more faces."""
    engine, surface = get_engine(), pipeline.surface.model_copy(update={"tessellation": Levels()})
    even = replace(pipeline, surface=surface)
    fitting = [cost.level for cost in even.forecasts(engine) if cost.faces <= FINEST and cost.fits_preview]
    finest = even.with_level(max(fitting, default=0))
    return finest if finest.forecast(engine).faces > pipeline.forecast(engine).faces else pipeline

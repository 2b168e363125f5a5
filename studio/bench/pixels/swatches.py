"""Small pictures: of a revision, and of the noises and patterns in the gallery."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_safe
from PIL import Image

from relief.deliver.files import write_whole
from relief.deliver.images import png
from relief.deliver.stills import draw_on_shape
from relief.errors import ReliefError
from relief.filters.resample import shrink
from relief.generate import GENERATORS
from relief.generate.generator import Grid
from relief.height import Edges, Footprint, HeightField
from relief.inspect.mesh_drawing import draw_mesh
from relief.inspect.section import section
from relief.inspect.swatch import in_clay, swatch
from relief.recipe import treatment_edits
from relief.recipe.recipe import Recipe
from relief.run.finished import normal_vectors
from relief.run.pipeline import Pipeline
from relief.surface.shapes import SHAPES
from studio.bench.models import Revision
from studio.bench.requests import (
    piece_of,
    revision_of,
    whole_number,
)
from studio.shelf.engine import get_engine
from studio.shelf.looks import swatches_folder
from studio.shelf.models import read_source

WAY = 132
"""Texels on the long side of a picture of one way."""

SWATCH = 512
"""Texels on the long side of a swatch."""

ON_SHAPE = 288
"""Pixels on the side of a swatch on its own shape."""

GALLERY, GALLERY_FOOTPRINT = 200, Footprint(width=300, height=300)
GALLERY_DEPTH = {"noise": 17.0, "pattern": 10.0}
"""Texels, footprint and depth in mm that noises and patterns are shown with; of noise the ends are seldom reached."""

SHAPE = 112
"""Pixels of the drawing of a shape."""

LAYER_SECTION = 64
"""Samples of the small section of a noise or pattern."""


@require_safe
@cache_control(private=True, max_age=86_400)
def gallery_picture(request: HttpRequest, kind: str) -> HttpResponse:
    """A noise or pattern as it begins, in the light that all of them are shown in."""
    field = _list_gallery(kind)
    return HttpResponse(png(swatch(field, GALLERY_DEPTH[GENERATORS[kind].family])), content_type="image/png")


@require_safe
@cache_control(private=True, max_age=86_400)
def gallery_section(request: HttpRequest, kind: str) -> JsonResponse:
    """The section of a noise or pattern across its middle."""
    heights_ = section(_list_gallery(kind), (0, 0.5), (1, 0.5), count=LAYER_SECTION)
    return JsonResponse({"heights": [round(float(height), 4) for height in heights_]})


@require_safe
@cache_control(private=True, max_age=86_400)
def shape_picture(request: HttpRequest, kind: str) -> HttpResponse:
    """A shape as it begins."""
    if kind not in SHAPES or SHAPES[kind]().source_key:
        raise Http404
    shape = SHAPES[kind]()
    picture = draw_mesh(shape.mesh(GALLERY_FOOTPRINT, 1), SHAPE, shape.upright, shape.inward)
    return HttpResponse(png(picture), content_type="image/png")


def _list_gallery(kind: str) -> HeightField:
    if kind not in GENERATORS:
        raise Http404
    grid = Grid(GALLERY, GALLERY, GALLERY_FOOTPRINT)
    return HeightField(GENERATORS[kind]().draw(grid), GALLERY_FOOTPRINT, Edges(across="wrap", down="wrap"))


@require_safe
@cache_control(private=True, max_age=31_536_000, immutable=True)
def way_picture(request: HttpRequest, pk: int, number: int, way: str) -> HttpResponse:
    """A revision's ground lit with what is bright standing out, or what is dark."""
    revision = revision_of(piece_of(request, pk), number)
    try:
        relief, _ = treatment_edits.invert_ground(revision.read().shown, way == "dark")
        pipeline = replace(Pipeline.of(revision.read(), read_source, SWATCH), relief=relief)
        field = get_engine().run(pipeline.treated())
    except (ReliefError, OSError) as problem:
        raise Http404 from problem
    return HttpResponse(png(shrink(swatch(field, relief.amplitude), WAY)), content_type="image/png")


@require_safe
@cache_control(private=True, max_age=31_536_000, immutable=True)
def swatch_picture(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """A small picture of a revision: on its own shape, which takes a while, or where a side is asked for flat, as in
    lists of many. A revision never changes, so neither does its swatch.
    """
    side = whole_number(request.GET.get("side", SWATCH))
    revision = revision_of(piece_of(request, pk), number)
    try:
        pixels = draw_swatch(revision, on_shape="side" not in request.GET)
    except (ReliefError, OSError) as problem:
        raise Http404 from problem
    return HttpResponse(png(shrink(pixels, side)), content_type="image/png")


def draw_swatch(revision: Revision, *, on_shape: bool = True) -> np.ndarray:
    """A revision on its own shape, or flat and lit as its normal map is: uint8 (rows, columns, 3).

    Raises:
        ReliefError, OSError: it cannot be drawn.
    """
    recipe = revision.read()
    stands = on_shape and recipe.surface.shape.kind != "plane"
    pixels = _on_shape(revision, recipe) if stands else None
    return in_clay(normal_vectors(Pipeline.of(recipe, read_source, SWATCH), get_engine())) if pixels is None else pixels


def _on_shape(revision: Revision, recipe: Recipe) -> np.ndarray | None:
    """A revision on its own shape, uint8 (ON_SHAPE, ON_SHAPE, 3), drawn once and kept; None where that fails."""
    place = swatches_folder() / "pieces" / f"{revision.piece.token.hex}-{revision.number}.png"
    try:
        return np.asarray(Image.open(place).convert("RGB"))
    except OSError:  # it is not there yet, or cut short
        pass
    try:
        pixels = draw_on_shape(recipe, read_source, get_engine(), ON_SHAPE)
    except ReliefError:
        return None
    place.parent.mkdir(parents=True, exist_ok=True)
    write_whole(place, png(pixels))
    return pixels

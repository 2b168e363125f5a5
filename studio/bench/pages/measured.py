"""What is measured of a piece: readings and findings on the right, facts of its source, histograms, repeats."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from relief.depth.from_light import EVENLY_LIT
from relief.errors import Cancelled, ReliefError
from relief.figures import show_lengths_in
from relief.filters.curve import Curve
from relief.inspect.adviser import advise
from relief.inspect.find import find_in_piece
from relief.inspect.repeats import motif, suggest_crops, telltales
from relief.inspect.start import is_guessed
from relief.inspect.which_way import which_way
from relief.progress import Progress
from relief.recipe.layer import Picture
from relief.recipe.recipe import Recipe
from relief.run.meshes import SurfacePipeline
from relief.run.pipeline import PROXY, Pipeline
from relief.sources.facts import Facts, histogram
from relief.treat.invert import Invert
from studio.bench.models import Revision
from studio.bench.newest import Newest, page_of
from studio.bench.pages.adviser import draw_advice
from studio.bench.pixels.previews import only, read_before_curve
from studio.bench.pixels.stage import SHARPEST
from studio.bench.requests import (
    layer_of,
    piece_of,
    read_question,
    revision_of,
    whole_number,
)
from studio.shelf.engine import get_engine
from studio.shelf.models import Piece, Source, read_source
from studio.shelf.sets import findings_of
from studio.web.wanted import progress_of_request

MEASURING = Newest()


@require_safe
def measured(request: HttpRequest, pk: int) -> HttpResponse:
    """The right side: readings, findings and cost, measured at full size.

    What a page asked for before is no longer measured once it asks anew: then nothing comes back.
    """
    piece = piece_of(request, pk)
    try:
        return _measure(request, piece, MEASURING.follow((piece.pk, page_of(request))))
    except Cancelled:
        return HttpResponse(status=204)


@require_POST
def set_aside(request: HttpRequest, pk: int) -> HttpResponse:
    """Says no more of one kind of finding for this piece; without a kind all are said again."""
    kind = request.POST.get("finding", "")[:40]
    with transaction.atomic():  # two windows at once lose neither
        piece = piece_of(request, pk)
        piece.set_aside = sorted({*piece.set_aside, kind})[:40] if kind else []
        piece.save(update_fields=["set_aside"])
    return _measure(request, piece, Progress())


def _measure(request: HttpRequest, piece: Piece, progress: Progress) -> HttpResponse:
    revision = revision_of(piece, read_question(request).get("base"))
    recipe = revision.read()
    show_lengths_in(recipe.unit)
    context = {"piece": piece, "revision": revision}
    try:
        step = read_question(request).get("step", "")
        built = step == "surface"
        taken, found = find_in_piece(recipe, read_source, get_engine(), step, progress)
        surface = SurfacePipeline.of(recipe, read_source, SHARPEST)
        aside = [item for item in found if item.kind in piece.set_aside]
        found = [item for item in found if item not in aside]
        context |= {
            "readings": taken,
            "lit": _read_by_light(Pipeline.of(recipe, read_source, PROXY)),
            "findings": found,
            "aside": aside,
            **(_cost(surface) if built else {}),
            "ahead": surface.forecast(get_engine()) if recipe.surface.tessellation.even and not built else None,
        }
    except ReliefError as problem:
        context["problem"] = str(problem)
    return render(request, "bench/measured.html", context)


def _cost(surface: SurfacePipeline) -> dict[str, Any]:
    """What the mesh that is looked at has and keeps, or why it is not built."""
    engine = get_engine()
    try:
        mesh, off = (engine.run(stage) for stage in (surface.subdivided(), surface.deviation()))
        split = engine.run(surface.split(min(surface.surface.residual, SHARPEST))) if surface.surface.residual else None
    except ReliefError as problem:
        return {"not_built": str(problem)}
    reach = max(map(abs, engine.run(surface.reach())))
    cost = {"faces": mesh.faces, "vertices": len(mesh.positions), "memory": mesh.nbytes, "off": off, "split": split}
    return {"cost": cost, "reach": reach}


@require_safe
def adviser(request: HttpRequest, pk: int) -> HttpResponse:
    """What more faces would gain, as a curve, with the place where they stop paying."""
    piece = piece_of(request, pk)
    recipe = revision_of(piece, request.GET.get("base")).read()
    try:
        advice = advise(SurfacePipeline.of(recipe, read_source, PROXY), get_engine(), progress_of_request())
        context = draw_advice(advice)
    except ReliefError as problem:
        context = {"problem": str(problem)}
    return render(request, "bench/adviser.html", {"piece": piece, **context})


@require_safe
def facts(request: HttpRequest, pk: int) -> HttpResponse:
    """What is known of the piece's source, with its histogram."""
    piece = piece_of(request, pk)
    recipe = Revision.objects.now(piece).read()
    key = recipe.shown.layers[0].source
    if key not in recipe.sources:  # the ground is made of nothing
        raise Http404
    reference = recipe.sources[key]
    source = get_object_or_404(Source, owner=piece.owner, digest=reference.digest)
    content = recipe.shown.layers[0].content
    context = {
        "piece": piece,
        "source": source,
        "facts": source.facts,
        "role_name": source.facts.guess.words,
        "read_through": _read_through(source.facts, content),
    }
    try:
        counts, low, high = histogram(get_engine().run(Pipeline.of(recipe, read_source, PROXY).untreated()).samples)
        context |= {"outline": _outline(counts), "bins": len(counts), "low": low, "high": high}
        if content.reading == "photo":
            context |= _ways(recipe, piece.position)
        texture_set = source.sets.filter(removed=None).first()
        if texture_set:
            context |= {"texture_set": texture_set, "set_findings": findings_of(texture_set)}
    except ReliefError as problem:
        context["problem"] = str(problem)
    return render(request, "bench/facts.html", context)


def _read_by_light(pipeline: Pipeline) -> dict[str, float | bool] | None:
    """How far the relief of a photo can be trusted in the mean, 0 to 1, or of a network the degrees that it expects its
    normals to be off; and how sure the app is of the light that it suggested, 0 to 1, until the artist has set one. Or
    that the relief is read from darkness alone.
    """
    content = pipeline.relief.picture
    if content is None or content.reading != "light":
        return None
    if content.light.from_darkness:
        return {"dark": True}
    engine, photo, told = get_engine(), pipeline.photo(), {}
    if is_guessed(pipeline.relief):
        guess = engine.run(photo.guessed())
        told |= {"sure": guess.sure, "even": guess.even > EVENLY_LIT}
    if not content.light.by_network:
        return told | {"certain": float(engine.run(photo.certain()).mean())}
    return told | {"off": float(engine.run(photo.told()).off.mean())}


def _ways(recipe: Recipe, number: int) -> dict[str, Any]:
    """What stands out, what is bright or what is dark: which is chosen, and which is more likely."""
    looked_at = get_engine().run(Pipeline.of(recipe, read_source, PROXY).untreated())
    way = which_way(looked_at.samples)
    inverted = any(isinstance(item, Invert) and item.on for item in recipe.shown.layers[0].treatments)
    ways = [
        {
            "way": "bright",
            "inverted": False,
            "words": "Bright is high",
            "chosen": not inverted,
            "likely": not way.inverted,
        },
        {"way": "dark", "inverted": True, "words": "Dark is high", "chosen": inverted, "likely": way.inverted},
    ]
    return {"way": way, "ways": ways, "number": number}


def _read_through(known: Facts, content: Picture) -> str:
    """In words, which transfer function the samples are read through, and why."""
    said = known.transfer or "none tagged"
    if not content.is_photo:
        return f"{said}; sRGB removed, as you chose" if content.transfer == "srgb" else f"{said}; read as data"
    if content.transfer == "none" or (known.linear and content.transfer == "auto"):
        return f"{said}; read as linear"
    return f"{said}; sRGB removed"


def _outline(counts: np.ndarray) -> str:
    """An SVG path around the bars of a histogram, 1 wide and up to 40 high; the root keeps rare greys visible."""
    heights = 38 * np.sqrt(counts / max(counts.max(), 1))
    bars = "".join(f"V{40 - height:.1f}H{place + 1}" for place, height in enumerate(heights))
    return f"M0 40{bars}V40z"


def _read_question(request: HttpRequest, revision: Revision) -> Pipeline:
    """A revision at the proxy, or one of its layers up to a treatment."""
    pipeline = Pipeline.of(revision.read(), read_source, PROXY)
    return only(pipeline, layer_of(request.GET, pipeline.relief), request.GET.get("until"), False)


@require_safe
def heights(request: HttpRequest, pk: int) -> JsonResponse:
    """The histogram of what reaches a tone curve, for its graph: heights before a treatment, or a map without it."""
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    state = _read_question(request, revision)
    try:
        if "map" in request.GET:
            samples = read_before_curve(state, whole_number(request.GET["map"], least=0))
        else:
            samples = get_engine().run(state.height()).samples
        counts, low, high = histogram(samples)
    except KeyError:
        raise Http404 from None
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    return JsonResponse({"outline": _outline(counts), "bins": len(counts), "low": low, "high": high})


@require_safe
def curve(request: HttpRequest) -> JsonResponse:
    """The line of a tone curve through some stops, as an SVG path in a square of 100."""
    try:
        asked_for = Curve.create(**{name: request.GET.get(name, "") for name in ("stops", "passage")})
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    places, values = asked_for.line()
    points = (f"{100 * place:.2f} {100 - 100 * value:.2f}" for place, value in zip(places, values, strict=True))
    return JsonResponse({"line": "M" + "L".join(points)})


@require_safe
def repeats(request: HttpRequest, pk: int) -> JsonResponse:
    """Of the relief before a treatment: the motif, and either its telltales or crops that would tile."""
    revision = revision_of(piece_of(request, pk), request.GET.get("base"))
    state = _read_question(request, revision)
    try:
        height = get_engine().run(state.height())
    except ReliefError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    progress = progress_of_request()
    progress.step(0.1, "Looking for a motif that repeats")
    across, down = motif(height)
    progress.step(0.4, "Looking for places that stand out")
    found: dict[str, object] = {
        "motif": [across and 100 * across / height.footprint.width, down and 100 * down / height.footprint.height]
    }
    if "crops" in request.GET:
        found["crops"] = [asdict(crop) for crop in suggest_crops(height)]
    else:
        found["telltales"] = [asdict(place) for place in telltales(height)]
    return JsonResponse(found)

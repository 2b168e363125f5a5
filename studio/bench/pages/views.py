"""The pages of the bench: new pieces from dropped pictures, and the five steps."""

from __future__ import annotations

import json
import logging
from collections.abc import Callable
from functools import partial
from pathlib import PurePath
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from relief.deliver.plan import plan
from relief.deliver.plan_maps import apply_delivery
from relief.errors import RecipeError, ReliefError
from relief.figures import UNITS, show_lengths_in
from relief.inspect.start import start_from_nothing
from relief.run.meshes import SurfacePipeline
from relief.sources.decode import KNOWN
from relief.sources.roles import READING_NAMES
from studio.bench.beginning import begin_piece, begin_piece_of_set
from studio.bench.models import Revision, what_does_not_fit
from studio.bench.pages.groups import field_at, groups, in_unit, layer_rows
from studio.bench.pages.offers import TOOLS, gallery, offer_maps, offer_packs, offer_treatments
from studio.bench.pages.steps import BY_NAME, SECTION_PATHS, STEPS, Step, views
from studio.bench.pages.surface import relief_context, surface_context
from studio.bench.requests import layer_of, piece_of, whole_number
from studio.shelf.engine import get_engine
from studio.shelf.models import MESH, LitSeries, Piece, SeriesTask, Source, TextureSet, read_source
from studio.shelf.series import begin_task, gather_series, keep_set_up, read_distance
from studio.shelf.sets import gather_sets
from studio.shelf.uploads import keep_uploads
from studio.shelf.views import series_page
from studio.web.refusals import FULL_DISK, is_full_disk, refuse
from studio.web.wanted import without_turn

logger = logging.getLogger(__name__)


BEHIND = "It is large, so it is imported in the background; its pictures will appear on the shelf."

AT_ONCE = 500
"""Rows that are asked for in one query."""


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """New pieces from pictures: dropped ones, or sources and a set that are on the shelf already.

    A broken picture does not stop the others. A script is told where to go; without one the page goes there.
    """
    if "set" in request.POST:
        texture_set = get_object_or_404(TextureSet, owner=request.artist, pk=whole_number(request.POST["set"]))
        sources, refused = [], []
        sets, series, meshes = [texture_set], [], []
    else:
        with without_turn():
            taken = keep_uploads(request)
        sources, refused = taken.kept, taken.refused
        refused += [(arrival.filename, BEHIND) for arrival in taken.arrivals]
        chosen = [whole_number(pk) for pk in ",".join(request.POST.getlist("source")).split(",") if pk]
        for first in range(0, len(chosen), AT_ONCE):
            sources += Source.objects.filter(owner=request.artist, pk__in=chosen[first : first + AT_ONCE])
        if not sources and not refused:
            refused = [("No picture", f"Choose a picture. The app reads {KNOWN}, and ZIP archives of them.")]
        meshes = [source for source in sources if source.is_mesh]
        sources = [source for source in sources if not source.is_mesh]
        sets, sources = gather_sets(sources) if len(sources) > 1 else ([], sources)
        series, sources = gather_series(sources) if len(sources) > 1 else ([], sources)
    begun = []
    works = [(item.name, partial(begin_piece_of_set, item)) for item in sets]
    works += [(source.filename, _begun_alone(source)) for source in sources]
    for name, work in works:
        try:
            begun.append(work())
        except ReliefError as problem:
            refused.append((name, str(problem)))
        except Exception as problem:
            if is_full_disk(problem):
                refused.append((name, FULL_DISK))
                break
            logger.exception("No piece was made")
            refused.append((name, "No piece could be made from it. It is kept on the shelf."))
    alone = begun[0] if len(begun) == 1 else None
    address = reverse("bench:step", args=[alone.pk, "source"]) if alone else reverse("shelf:shelf")
    if len(series) == 1 and not begun:
        address = reverse("shelf:series", args=[series[0].pk])
    if "application/json" in request.headers.get("accept", ""):
        return JsonResponse({"go": address if begun or series or meshes else None, "refused": refused})
    if refused:
        return render(request, "bench/refused.html", {"refused": refused, "begun": begun}, status=422)
    return redirect(address)


@require_POST
def measure_lit_series(request: HttpRequest, pk: int) -> HttpResponse:
    """Begins to measure a lit series; its page shows how far that is. What is done at once becomes a piece at once."""
    one = get_object_or_404(LitSeries, owner=request.artist, pk=pk, removed=None)
    try:
        keep_set_up(one, request.POST)
        task = begin_task(one, SeriesTask.Kind.MEASURE, read_distance(request.POST))
        if task.state == task.State.DONE:
            return _begin_measured(task)
    except ReliefError as problem:
        return series_page(request, one, str(problem))
    if task.state == task.State.FAILED:
        return series_page(request, one, task.message)
    return redirect("shelf:series", one.pk)


@require_POST
def take_measured(request: HttpRequest, pk: int) -> HttpResponse:
    """A new piece of what a lit series was measured to, in mm."""
    task = get_object_or_404(SeriesTask, owner=request.artist, pk=pk, state=SeriesTask.State.DONE)
    if task.measured is None:
        raise Http404
    return _begin_measured(task)


def _begin_measured(task: SeriesTask) -> HttpResponse:
    changes = {"footprint.width": task.series.width, "amplitude": task.amplitude}
    begun = begin_piece_of_set(task.measured, changes, task.series.name, remark="measured from a lit series")
    return redirect("bench:step", begun.pk, "relief")


@require_POST
def begin_from_nothing(request: HttpRequest) -> HttpResponse:
    """A new piece of one noise or pattern."""
    try:
        recipe = start_from_nothing(request.POST.get("kind", ""), read_source, get_engine())
    except RecipeError:
        raise Http404 from None
    name = recipe.shown.layers[0].name
    begun = Revision.objects.keep_first(request.artist, name, recipe, remark="from nothing")
    return redirect("bench:step", begun.pk, "relief")


def _begun_alone(source: Source) -> Callable[[], Piece]:
    return lambda: begin_piece(source, PurePath(source.filename).stem)


@require_safe
def piece(request: HttpRequest, pk: int) -> HttpResponse:
    """A piece is opened at its relief."""
    return redirect("bench:step", piece_of(request, pk).pk, "relief")


@require_safe
def step(request: HttpRequest, pk: int, name: str) -> HttpResponse:
    """One step of a piece: the whole page, or only the parts that differ between steps."""
    shown = piece_of(request, pk)
    partly = request.htmx and not request.htmx.history_restore_request
    revision = Revision.objects.now(shown)
    try:
        context = page_context(revision, BY_NAME[name], layer_of(request.GET, revision.read().shown))
    except ReliefError as problem:
        return _offer_last_fitting(request, revision, str(problem))
    answer = render(request, "bench/parts.html" if partly else "bench/bench.html", context)
    if partly:
        answer["HX-Push-Url"] = request.path
        # what is measured and found belongs to the step as well
        answer["HX-Trigger-After-Settle"] = json.dumps({"revision": {"number": revision.number}})
    return answer


def _offer_last_fitting(request: HttpRequest, revision: Revision, problem: str) -> HttpResponse:
    """The page of a piece that cannot be drawn as it stands."""
    context = {"piece": revision.piece, "revision": revision, "unfit": problem, "fitting": revision.last_fitting()}
    answer = render(request, "bench/unfit_page.html", context)
    if request.htmx:  # this is no part of the page that asked
        answer["HX-Refresh"] = "true"
    return answer


@require_POST
def go_to_fitting(request: HttpRequest, pk: int) -> HttpResponse:
    """Takes the last state back that fits, from a page that may be unable to show the current one."""
    shown = piece_of(request, pk)
    fitting = Revision.objects.now(shown).last_fitting()
    if fitting is None:
        return refuse(request, 422, "Not done", "No state of this piece can be opened. Begin one from its pictures.")
    Revision.objects.go_to(shown, shown.position, fitting.number)
    return redirect("bench:step", shown.pk, "relief")


MOST_REVISIONS = 60
"""States that the history lists."""


@require_safe
def revisions(request: HttpRequest, pk: int) -> HttpResponse:
    """The states of a piece with their labels, the newest first."""
    shown = piece_of(request, pk)
    listed = Revision.objects.filter(piece=shown).defer("recipe").order_by("-number")
    context = {"piece": shown, "revisions": listed[:MOST_REVISIONS], "more": max(0, listed.count() - MOST_REVISIONS)}
    return render(request, "bench/revisions.html", context)


def page_context(revision: Revision, step: Step, layer: int = 0) -> dict[str, Any]:
    """What the bench's templates are filled with: what all steps show, and what this one does."""
    recipe = revision.read()
    owner = revision.piece.owner
    show_lengths_in(recipe.unit)
    unfit = what_does_not_fit(recipe, revision.piece.title)
    common = {
        "piece": revision.piece,
        "revision": revision,
        "recipe": recipe,
        "layer": recipe.shown.layers[layer],
        "chosen": layer,
        "tools": TOOLS,
        "unfit": unfit,
        "fitting": revision.last_fitting() if unfit else None,
        "step": step,
        "steps": STEPS,
        "groups": groups(revision, step, layer),
        "views": views(recipe, step),
        "section_fields": [in_unit(field_at(recipe.shown, path), recipe.unit) for path in SECTION_PATHS],
        "per_unit": UNITS[recipe.unit],
        "undoes": revision.label if revision.parent else None,
        "redoes": revision.following(),
        # these are called by the templates that show them
        "gallery": gallery,
        "shelf_sets": partial(_list_sets, owner),
        "shelf_sources": Source.objects.filter(owner=owner, removed=None, sets=None).exclude(role=MESH),
    }
    return common | relief_context(revision) | _of_step(revision, step, fits=not unfit)


def _of_step(revision: Revision, step: Step, *, fits: bool) -> dict[str, Any]:
    """What one step alone shows."""
    recipe = revision.read()
    ground = recipe.shown.layers[0]
    match step.name:
        case "source":
            reading = getattr(ground.content, "reading", "")
            return {"readings_of": READING_NAMES, "reading": reading, "ground_is_picture": bool(ground.source)}
        case "relief":
            rows = layer_rows(recipe.shown)
            return {"layers": rows, "offered": offer_treatments(), "ground_is_picture": bool(ground.source)}
        case "maps":
            return {"offered_maps": offer_maps(), "offered_packs": offer_packs()}
        case "surface":
            return surface_context(revision)
    planned = plan(apply_delivery(recipe), revision.piece.title) if fits else []
    return {"planned": planned, "cost": SurfacePipeline.of(recipe, read_source).final().forecast(get_engine())}


def _list_sets(owner: Any) -> list[TextureSet]:
    """The texture sets on the shelf that have a picture."""
    sets = TextureSet.objects.filter(owner=owner, removed=None).prefetch_related("members")
    return [each for each in sets if each.present]

"""Series: begun from the shelf, watched with the browser open or closed, stopped, gone on with, downloaded."""

from __future__ import annotations

import shutil
from typing import Any

from django.conf import settings
from django.core.paginator import Paginator
from django.db import transaction
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from relief.deliver.plan import refuse_undeliverable
from relief.deliver.profiles import read_profile
from relief.errors import RecipeError, ReliefError
from studio.background.quotas import refuse_beyond_quota
from studio.deliveries.posts import profiles_of
from studio.recipes.matching import match_sources
from studio.recipes.models import Series, SeriesItem
from studio.recipes.shelf import chosen_sources, read_chosen
from studio.recipes.tasks import go_on_with
from studio.web.refusals import refuse
from studio.web.sending import send_file, send_to

ON_A_PAGE = 50
"""Items on a page of the list."""


@require_POST
def start(request: HttpRequest) -> HttpResponse:
    """Begins a series of the chosen pictures through a recipe, delivered by a profile."""
    try:
        name, recipe = read_chosen(request)
        profile = request.POST.get("profile", "")
        if profile:
            values = profiles_of(request.artist).get(profile)
            if values is None:
                raise RecipeError("There is no such profile.")
            recipe = recipe.model_copy(update={"delivery": read_profile(values)[0]})
        refuse_undeliverable(recipe)
        matched, left = match_sources(recipe, chosen_sources(request))
        if not matched:
            raise RecipeError(left[0][1])
    except ReliefError as problem:
        return refuse(request, 422, "Not begun", str(problem))
    refuse_beyond_quota(request.artist)
    with transaction.atomic():
        series = Series.objects.create(owner=request.artist, name=name, recipe=recipe.as_data(), profile=profile)
        rows = [SeriesItem.planned(series, number, *item) for number, item in enumerate(matched.items())]
        rows += [SeriesItem.impossible(series, number, *item) for number, item in enumerate(left, start=len(rows))]
        SeriesItem.objects.bulk_create(rows)
    go_on_with(series)
    return send_to(reverse("recipes:series", args=[series.pk]))


@require_safe
def series(request: HttpRequest, pk: int) -> HttpResponse:
    """The page of a series."""
    return render(request, "recipes/series.html", _context(request, _own(request, pk)))


@require_safe
def state(request: HttpRequest, pk: int) -> HttpResponse:
    """How a series and the items of a page stand."""
    return _state(request, _own(request, pk))


@require_POST
def stop(request: HttpRequest, pk: int) -> HttpResponse:
    """Stops a series; what is finished stays, the item under way is to do again."""
    own = _own(request, pk)
    own.stop()
    return _state(request, own)


@require_POST
def go_on(request: HttpRequest, pk: int) -> HttpResponse:
    """Goes on with what is to do; deliveries that are gone from the disk are made again."""
    own = _own(request, pk)
    for item in own.items.filter(state=SeriesItem.State.DONE):
        if not item.is_there:
            item.state = SeriesItem.State.PLANNED
            item.save(update_fields=["state"])
    return _go_on(request, own)


@require_POST
def again(request: HttpRequest, pk: int) -> HttpResponse:
    """Tries the failed items again, those whose pictures are known."""
    own = _own(request, pk)
    own.items.filter(state=SeriesItem.State.FAILED).exclude(sources={}).update(state="planned", message="")
    return _go_on(request, own)


@require_POST
def leave_out(request: HttpRequest, pk: int) -> HttpResponse:
    """Leaves an item out that is to do, or takes it in again."""
    item = _item(request, pk)
    turned = {"planned": "out", "out": "planned"}.get(item.state)
    if turned:
        SeriesItem.objects.filter(pk=item.pk, state=item.state).update(state=turned)
    return _state(request, item.series)


@require_POST
def take_arrivals(request: HttpRequest, pk: int) -> HttpResponse:
    """Has what arrives in the watched folder added to this series alone, or no longer."""
    own = _own(request, pk)
    Series.objects.filter(owner=request.artist).exclude(pk=own.pk).update(takes_arrivals=False)
    own.takes_arrivals = not own.takes_arrivals
    own.save(update_fields=["takes_arrivals"])
    return _state(request, own)


@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    """Removes a series with its deliveries."""
    own = _own(request, pk)
    own.stop()
    shutil.rmtree(own.folder, ignore_errors=True)
    own.delete()
    return send_to(reverse("recipes:recipes"))


@require_safe
def download(request: HttpRequest, pk: int) -> HttpResponseBase:
    """The delivery of an item."""
    item = _item(request, pk)
    if not item.is_there:
        raise Http404
    return send_file(request, item.path, item.path.name)


@require_safe
def picture(request: HttpRequest, pk: int) -> HttpResponseBase:
    """The small picture of an item."""
    try:
        return FileResponse(_item(request, pk).picture.open("rb"), content_type="image/png")
    except OSError:
        raise Http404 from None


def _own(request: HttpRequest, pk: int) -> Series:
    return get_object_or_404(Series, pk=pk, owner=request.artist)


def _item(request: HttpRequest, pk: int) -> SeriesItem:
    return get_object_or_404(SeriesItem.objects.select_related("series"), pk=pk, series__owner=request.artist)


def _go_on(request: HttpRequest, own: Series) -> HttpResponse:
    if own.items.filter(state=SeriesItem.State.PLANNED).exists() and own.run is None:
        refuse_beyond_quota(request.artist)
        go_on_with(own)
    return _state(request, own)


def _state(request: HttpRequest, own: Series) -> HttpResponse:
    return render(request, "recipes/state.html", _context(request, own))


def _context(request: HttpRequest, own: Series) -> dict[str, Any]:
    run, counts = own.run, own.count()
    page = Paginator(own.items.select_related("series"), ON_A_PAGE).get_page(request.GET.get("page"))
    failed = own.runs.filter(state="failed").first() if run is None and counts["planned"] else None
    many = sum(counts.values()) - counts["out"]
    return {
        "series": own, "run": run, "counts": counts, "many": many, "page": page,
        "problem": failed.message if failed else "",
        "share": (counts["done"] + counts["failed"]) / many if many else 1, "left": own.seconds_left(),
        "watched": settings.WATCH,
    }  # fmt: skip

"""The shelf: pieces, texture sets and sources of an artist, and the place where new pictures are dropped."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.db.models import Model
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.cache import cache_control
from django.views.decorators.http import require_POST, require_safe

from relief.depth import stereo
from relief.errors import PictureError, ReliefError
from relief.generate import GENERATORS
from relief.sources.decode import ENDINGS
from relief.sources.mesh.read import ENDINGS as MESHES
from relief.sources.roles import ROLE_NAMES
from studio.shelf import looks, search, series, sets
from studio.shelf.models import MESH, Arrival, LitSeries, Piece, SeriesTask, Source, TextureSet
from studio.shelf.templatetags.preparing import state_of_preparation
from studio.shelf.uploads import keep_uploads
from studio.web.packet import packet
from studio.web.refusals import refuse

SHARPEST = 2048
"""Texels on the long side of a map that is looked at."""

STARTS = ("gradient_noise", "cellular_noise", "courses", "waves")
"""Noises and patterns that the shelf offers to begin with; the bench has the others."""

LIGHTINGS = ("read", "estimate")
"""What can be done to the lights of a series in the background."""

KINDS: dict[str, type[Model]] = {"piece": Piece, "set": TextureSet, "series": LitSeries, "source": Source}


@require_safe
def shelf(request: HttpRequest) -> HttpResponse:
    """The page, or for a search the list alone."""
    look = search.read_search(request.GET)
    sources = search.sources(request.artist, look)
    context = {
        "look": look,
        "pieces": search.pieces(request.artist, look),
        "shared": search.shared_pieces(request.artist, look),
        "sets": search.texture_sets(request.artist, look),
        "series": search.lit_series(request.artist, look),
        "sources": sources,
        "photos": [source for source in sources if source.role == "photo"],
        "roles": ROLE_NAMES,
        "families": search.FAMILIES,
        "arrivals": _arrivals(request),
        "sizes": search.SIZES,
        "starts": [(kind, GENERATORS[kind].title) for kind in STARTS],
        "endings": ",".join((*ENDINGS, *(f".{ending}" for ending in MESHES), ".zip")),
    }
    return render(request, "shelf/list.html" if request.htmx else "shelf/shelf.html", context)


@require_safe
def preparing(request: HttpRequest) -> HttpResponse:
    """How far a new studio is; a page that shows fewer pieces than there are by now is told to renew its list."""
    state = state_of_preparation()
    response = render(request, "shelf/preparing.html", state)
    if request.GET.get("pieces") != str(state["pieces"]):
        response["HX-Trigger"] = "shelf-grew"
    return response


@require_POST
def keep(request: HttpRequest) -> JsonResponse:
    """Takes pictures in and says which sources they are now; what to make of them is asked later."""
    taken = keep_uploads(request)
    return JsonResponse(
        {
            "sources": [source.pk for source in taken.kept],
            "refused": taken.refused,
            "arrivals": [reverse("shelf:arrival", args=[arrival.pk]) for arrival in taken.arrivals],
        }
    )


@require_safe
def arrival(request: HttpRequest, pk: int) -> JsonResponse:
    """How far an upload is that is taken in in the background, and what came of it."""
    one = get_object_or_404(Arrival, owner=request.artist, pk=pk)
    told = {"active": one.active, "fraction": one.progress, "message": one.message}
    refused = one.refused
    if one.state == one.State.FAILED:
        refused = [*refused, [one.filename, one.message]]
    return JsonResponse(told | {"sources": one.kept, "refused": refused})


@require_safe
def arrivals(request: HttpRequest) -> HttpResponse:
    """The uploads that are taken in in the background."""
    return render(request, "shelf/arrivals.html", {"arrivals": _arrivals(request)})


def _arrivals(request: HttpRequest) -> list[Arrival]:
    return list(Arrival.objects.filter(owner=request.artist, state__in=Arrival.ACTIVE))


@require_safe
def source(request: HttpRequest, pk: int) -> HttpResponse:
    """One source that stands alone, large."""
    one = _of(request, Source, pk)
    if one.is_mesh:
        return _mesh_page(request, one)
    return render(request, "shelf/look.html", _look(one.filename, [one], source=one))


@require_safe
def texture_set(request: HttpRequest, pk: int) -> HttpResponse:
    """The maps of a set, large, with what does not fit."""
    return _set_page(request, _of(request, TextureSet, pk))


@require_POST
def assign(request: HttpRequest, pk: int) -> HttpResponse:
    """Sets what a source is: its role, and which way its green runs."""
    one = _of(request, Source, pk)
    for name in ("role", "green"):
        if name in request.POST:
            if request.POST[name] not in dict(Source._meta.get_field(name).choices):
                raise Http404
            setattr(one, name, request.POST[name])
    if one.is_mesh != (one.role == MESH):
        kind = "a mesh, not a picture" if one.is_mesh else "a picture, not a mesh"
        return refuse(request, 422, "Not changed", f"{one.filename} is {kind}. Its role was not changed.")
    one.save(update_fields=["role", "green"])
    if one.is_mesh:
        return _mesh_page(request, one)
    shown = one.sets.filter(pk=_number(request.POST.get("set")), removed=None).first()
    if shown:
        return _set_page(request, shown)
    return render(request, "shelf/look.html", _look(one.filename, [one], source=one))


@require_POST
def mend(request: HttpRequest, pk: int) -> HttpResponse:
    """Does what a finding of a set offers."""
    one = _of(request, TextureSet, pk)
    sets.mend(one, request.POST.get("finding", ""))
    return _set_page(request, one)


@require_safe
def lit_series(request: HttpRequest, pk: int) -> HttpResponse:
    """A lit series: its photos, each with its sun, and the ball."""
    return series_page(request, _of(request, LitSeries, pk))


@require_POST
def put_together(request: HttpRequest) -> HttpResponse:
    """A lit series of photos that were chosen by hand."""
    chosen = [_number(text) for text in request.POST.getlist("photo")][: stereo.MOST + 1]
    photos = Source.objects.filter(owner=request.artist, pk__in=chosen, role="photo", removed=None)
    try:
        made = series.put_together(list(photos))
    except ReliefError as problem:
        return refuse(request, 422, "No series was made", str(problem))
    return redirect("shelf:series", made.pk)


@require_POST
def light_series(request: HttpRequest, pk: int) -> HttpResponse:
    """Keeps where the lights of a series stood, its ball and its width; begins what finds the lights, if asked for."""
    one = _of(request, LitSeries, pk)
    try:
        series.keep_set_up(one, request.POST)
        if "turn" in request.POST:
            series.turn_lights(one)
        for kind in LIGHTINGS:
            if kind in request.POST:
                task = series.begin_task(one, kind)
                if task.state == task.State.FAILED:
                    return series_page(request, one, task.message)
    except ReliefError as problem:
        return series_page(request, one, str(problem))
    return redirect("shelf:series", one.pk)


@require_safe
def series_tasks(request: HttpRequest, pk: int) -> HttpResponse:
    """How what is done to a series in the background stands; the page is loaded anew when it has ended."""
    one = _of(request, LitSeries, pk)
    task = one.tasks.first()
    answer = render(request, "shelf/series_tasks.html", {"series": one, "task": task})
    if task is None or not task.active:
        answer["HX-Refresh"] = "true"
    return answer


@require_POST
def cancel_task(request: HttpRequest, pk: int) -> HttpResponse:
    """Ends what is done to a series in the background."""
    task = get_object_or_404(SeriesTask, owner=request.artist, pk=pk)
    task.cancel()
    return redirect("shelf:series", task.series_id)


@require_POST
def tag(request: HttpRequest, kind: str, pk: int) -> HttpResponse:
    """Sets the tags of something on the shelf."""
    item = _of(request, KINDS[kind], pk)
    words = request.POST.get("tags", "").replace(",", " ").split()
    item.tags = " ".join(dict.fromkeys(words))[:300]
    item.save(update_fields=["tags"])
    return render(request, "shelf/tags.html", {"item": item, "kind": kind})


@require_POST
def remove(request: HttpRequest, kind: str, pk: int) -> HttpResponse:
    """Takes something from the shelf. Nothing is thrown away, so it can be put back."""
    item = _of(request, KINDS[kind], pk)
    item.removed = timezone.now()
    item.save(update_fields=["removed"])
    if not request.htmx:
        return redirect("shelf:shelf")
    gathered = [*item.sets.filter(removed=None), *item.series.filter(removed=None)] if kind == "source" else []
    return render(request, "shelf/removed.html", {"item": item, "kind": kind, "missing_from": gathered})


@require_POST
def put_back(request: HttpRequest, kind: str, pk: int) -> HttpResponse:
    """Puts something back that was removed."""
    item = get_object_or_404(KINDS[kind], owner=request.artist, pk=pk)
    item.removed = None
    item.save(update_fields=["removed"])
    return redirect("shelf:shelf")


@require_safe
@cache_control(private=True, max_age=3600)
def swatch(request: HttpRequest, pk: int) -> HttpResponse:
    """A small picture of a source; its address changes with its role."""
    try:
        return HttpResponse(looks.swatch_file(_of(request, Source, pk)), content_type="image/png")
    except PictureError as problem:
        raise Http404 from problem


@require_safe
def pixels(request: HttpRequest, pk: int) -> HttpResponse:
    """The pixels of a source: as it is, one channel alone, or normals to be lit by."""
    one = _of(request, Source, pk)
    view = request.GET.get("view", "picture")
    try:
        picture = looks.decode_source(one)
        if view == "lit":
            array: np.ndarray = looks.lit(one, picture, SHARPEST)
        elif view == "picture":
            array = looks.show_picture(one, picture, SHARPEST)
        else:
            array = looks.channel(picture, view, SHARPEST)
    except PictureError as problem:
        return JsonResponse({"message": str(problem)}, status=422)
    return packet({"pixels": array}, footprint=[picture.columns, picture.rows])


def _of(request: HttpRequest, kind: type, pk: int) -> Any:
    """Something of the artist's that is on the shelf."""
    return get_object_or_404(kind, owner=request.artist, pk=pk, removed=None)


def _number(text: str | None) -> int:
    """A row's number that was posted; 0, which no row has, for anything else."""
    return int(text) if text and text.isdecimal() and len(text) < 19 else 0


def _mesh_page(request: HttpRequest, one: Source) -> HttpResponse:
    return render(request, "shelf/mesh.html", {"source": one, "facts": one.mesh_facts})


def _set_page(request: HttpRequest, one: TextureSet) -> HttpResponse:
    members = sorted(one.present, key=lambda member: (member.role, member.pk))
    context = _look(one.name, members, texture_set=one)
    try:
        context["findings"] = sets.findings_of(one)
    except PictureError as problem:
        context["problem"] = str(problem)
    return render(request, "shelf/look.html", context)


def series_page(request: HttpRequest, one: LitSeries, problem: str = "") -> HttpResponse:
    """The page of a lit series, with what went wrong."""
    photos = one.present
    facts = photos[0].source.facts if photos else None
    context = {
        "series": one,
        "photos": [(photo.source, photo.number, *one.lights[photo.number]) for photo in photos],
        "removed": len(one.lights) - len(photos),
        "size": facts and (facts.columns, facts.rows),
        "ball": one.ball or (facts and series.ball_to_begin_with(facts.columns, facts.rows)),
        "problem": problem,
        "task": one.tasks.first(),
    }
    return render(request, "shelf/series.html", context, status=422 if problem else 200)


def _look(title: str, members: list[Source], **more: Any) -> dict[str, Any]:
    return {"title": title, "members": members, "roles": ROLE_NAMES, **more}

"""Views that are kept under a name: where the camera and the light of the stage stand."""

from __future__ import annotations

import math

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from studio.bench.models import KeptView
from studio.bench.requests import piece_of, point_in, whole_number
from studio.shelf.models import Piece
from studio.web.refusals import refuse

MOST_VIEWS = 12


@require_safe
def kept_views(request: HttpRequest, pk: int) -> HttpResponse:
    """The views of a piece."""
    return _list(request, piece_of(request, pk))


@require_POST
def keep_view(request: HttpRequest, pk: int) -> HttpResponse:
    """Keeps the view as the stage stands; one of the same name is replaced."""
    piece, name = piece_of(request, pk), " ".join(request.POST.get("name", "").split())[:60]
    camera, look_at, towards = (point_in(request.POST.get(key, "")) for key in ("camera", "look_at", "towards"))
    if not name:
        return refuse(request, 422, "Not kept", "Give the view a name.")
    if camera is None or look_at is None or towards is None or not 0 < math.hypot(*towards) < 2:
        return refuse(request, 422, "Not kept", "The surface is not shown yet. Try again in a moment.")
    if piece.kept_views.exclude(name=name).count() >= MOST_VIEWS:
        return refuse(request, 422, "Not kept", f"At most {MOST_VIEWS} views are kept. Remove one first.")
    values: dict[str, object] = {"camera": list(camera), "look_at": list(look_at), "towards": list(towards)}
    values["open_air"] = request.POST.get("open_air") == "1"
    KeptView.objects.update_or_create(piece=piece, name=name, defaults=values)
    return _list(request, piece)


@require_POST
def remove_view(request: HttpRequest, pk: int) -> HttpResponse:
    """Removes a view."""
    piece = piece_of(request, pk)
    piece.kept_views.filter(pk=whole_number(request.POST.get("view", ""))).delete()
    return _list(request, piece)


def _list(request: HttpRequest, piece: Piece) -> HttpResponse:
    views = [view for view in piece.kept_views.all() if view.is_whole]
    return render(request, "bench/kept_views.html", {"piece": piece, "views": views})

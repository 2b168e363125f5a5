"""Pieces shared with other artists by name, to look at or to work on; and copies of them."""

from __future__ import annotations

from django.contrib.auth import get_user_model
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from studio.bench.models import Revision
from studio.bench.requests import own_piece, piece_and_share, whole_number
from studio.shelf.models import Piece, Share, Source
from studio.web.refusals import refuse
from studio.web.sending import send_to

MOST_SHARES = 100
"""Artists that a piece is shared with at most."""


@require_safe
def shares(request: HttpRequest, pk: int) -> HttpResponse:
    """Who a piece is shared with."""
    return _list(request, own_piece(request, pk))


@require_POST
def share(request: HttpRequest, pk: int) -> HttpResponse:
    """Shares a piece with an artist, or changes what that artist may do."""
    piece, name = own_piece(request, pk), request.POST.get("name", "").strip()
    artist = get_user_model().objects.filter(username=name, is_active=True).exclude(pk=request.artist.pk).first()
    if artist is None:
        return refuse(request, 422, "Not shared", f"There is no other artist called “{name[:40]}”.")
    if piece.shares.exclude(artist=artist).count() >= MOST_SHARES:
        return refuse(request, 422, "Not shared", f"A piece is shared with at most {MOST_SHARES} artists.")
    Share.objects.update_or_create(piece=piece, artist=artist, defaults={"may_work": request.POST.get("work") == "1"})
    return _list(request, piece)


@require_POST
def end_share(request: HttpRequest, pk: int) -> HttpResponse:
    """Shares a piece with an artist no longer."""
    piece = own_piece(request, pk)
    piece.shares.filter(pk=whole_number(request.POST.get("share", ""))).delete()
    return _list(request, piece)


@require_POST
def copy(request: HttpRequest, pk: int) -> HttpResponse:
    """Puts a copy of a piece as it stands on the artist's own shelf, with its pictures."""
    piece, _ = piece_and_share(request, pk)
    recipe = Revision.objects.now(piece).read()
    kept = ("filename", "size", "measured", "role", "green", "inverted")
    for source in Source.objects.filter(
        owner=piece.owner, digest__in=[reference.digest for reference in recipe.sources.values()]
    ):
        values = {name: getattr(source, name) for name in kept}
        Source.objects.get_or_create(owner=request.artist, digest=source.digest, defaults=values)
    made = Revision.objects.keep_first(request.artist, f"{piece.title[:110]}, a copy", recipe)
    return send_to(reverse("bench:piece", args=[made.pk]))


def _list(request: HttpRequest, piece: Piece) -> HttpResponse:
    return render(request, "bench/shares.html", {"piece": piece, "shares": piece.shares.select_related("artist")})

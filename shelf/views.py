"""The shelf: the pieces of an artist, and the place where new pictures are dropped."""

from django.shortcuts import render
from django.views.decorators.http import require_safe

from shelf.models import Piece, Source


@require_safe
def shelf(request):
    pieces = Piece.objects.filter(owner=request.artist)
    sources = Source.objects.filter(owner=request.artist)
    return render(request, "shelf/shelf.html", {"pieces": pieces, "sources": sources})

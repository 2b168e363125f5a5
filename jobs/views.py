"""Deliveries of a piece: start one, watch it, stop it, fetch it."""

from __future__ import annotations

from django.db import transaction
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from bench.models import Revision
from bench.requests import piece_of, revision_of
from jobs.models import Job
from shelf.models import Piece
from work.tasks import begin

SHOWN = 6
"""Deliveries listed at a piece, newest first."""


@require_safe
def deliveries(request: HttpRequest, pk: int) -> HttpResponse:
    """How the deliveries of a piece stand."""
    return _list(request, piece_of(request, pk))


@require_POST
def start(request: HttpRequest, pk: int) -> HttpResponse:
    """Builds a delivery of a revision; one that is ready or being built is not built twice."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.POST.get("base"))
    with transaction.atomic():
        same = Job.objects.filter(revision=revision).exclude(state__in=[Job.State.FAILED, Job.State.CANCELLED])
        if any(job.active or job.path.exists() for job in same):
            return _list(request, piece)
        job = Job.objects.create(owner=request.artist, revision=revision)
    begin(job)
    return _list(request, piece)


@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    """Ends a delivery that is being built."""
    job = get_object_or_404(Job, pk=pk, owner=request.artist)
    job.cancel()
    return _list(request, job.revision.piece)


@require_safe
def download(request: HttpRequest, pk: int) -> FileResponse:
    """The ZIP of a delivery that is ready."""
    job = get_object_or_404(Job, pk=pk, owner=request.artist, state=Job.State.DONE)
    try:
        return FileResponse(job.path.open("rb"), as_attachment=True, filename=job.filename)
    except FileNotFoundError:
        raise Http404 from None


def _list(request: HttpRequest, piece: Piece) -> HttpResponse:
    jobs = list(Job.objects.filter(revision__piece=piece).select_related("revision__piece")[:SHOWN])
    current = Revision.objects.now(piece)
    context = {"piece": piece, "jobs": jobs, "active": any(job.active for job in jobs), "current": current.number}
    return render(request, "jobs/deliveries.html", context)

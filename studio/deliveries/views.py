"""What is built of a piece: start it, watch it, stop it, fetch it."""

from __future__ import annotations

import zipfile
from typing import Any

from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from relief.deliver.forecast import forecast_bundle
from relief.deliver.images import png
from relief.deliver.plan import plan
from relief.deliver.plan_maps import apply_delivery, list_maps
from relief.errors import ReliefError
from relief.figures import show_lengths_in
from relief.receive.files import open_bundle
from studio.background.quotas import refuse_beyond_quota
from studio.background.tasks import begin
from studio.bench.models import Revision
from studio.bench.rates import mesh_rates
from studio.bench.requests import piece_of, revision_of
from studio.deliveries.forecast import forecast_build
from studio.deliveries.models import Build, Job, Made, Profile, find_made, stills_for
from studio.deliveries.posts import profile_of, profiles_of
from studio.deliveries.receiving import Asked, describe_arrival, draw_received
from studio.shelf.engine import get_engine
from studio.shelf.models import Piece, read_source
from studio.web.refusals import refuse
from studio.web.sending import send_file, send_from_zip

SHOWN = 6
"""Deliveries and builds listed at a piece, newest first."""


@require_safe
def deliveries(request: HttpRequest, pk: int) -> HttpResponse:
    """How the deliveries of a piece stand."""
    return _deliveries(request, piece_of(request, pk))


@require_POST
def start(request: HttpRequest, pk: int) -> HttpResponse:
    """Builds a delivery of a revision; one that is ready or being built is not built twice."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.POST.get("base"))
    stills = {name: place.name for name, place in stills_for(revision).items()}
    with transaction.atomic():
        same = Job.objects.filter(revision=revision).exclude(state__in=[Job.State.FAILED, Job.State.CANCELLED])
        if any(job.active or (job.is_current and job.is_intact) for job in same if job.stills == stills):
            return _deliveries(request, piece)
        refuse_beyond_quota(request.artist)
        profile = profile_of(request.artist, revision.read())
        job = Job.objects.create(owner=request.artist, revision=revision, profile=profile, stills=stills)
    begin(job)
    return _deliveries(request, piece)


@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    """Ends a delivery that is being built."""
    job = get_object_or_404(Job, pk=pk, owner=request.artist)
    job.cancel()
    return _deliveries(request, job.revision.piece)


@require_safe
def download(request: HttpRequest, pk: int) -> HttpResponseBase:
    """The ZIP of a delivery that is ready, or a part of it."""
    job = _ready(request, pk)
    if not job.is_intact:
        return _refuse_damaged(request, job)
    return send_file(request, job.path, job.filename)


@require_safe
def panel(request: HttpRequest, pk: int) -> HttpResponse:
    """What a delivery would hold, by which profile, how large it would be and how long it would take."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.GET.get("base") or piece.position)
    recipe = revision.read()
    show_lengths_in(recipe.unit)
    context: dict[str, Any] = {
        "piece": piece,
        "profiles": profiles_of(request.artist),
        "own": Profile.objects.filter(owner=request.artist),
        "chosen": profile_of(request.artist, recipe),
        "left_out": recipe.delivery.left_out,
    }
    try:
        delivered = apply_delivery(recipe)
        stills = stills_for(revision)
        planned = plan(delivered, piece.title, stills=tuple(stills))
        context |= {"maps": list_maps(delivered), "files": [(file, None) for file in planned]}
        forecast = forecast_bundle(recipe, read_source, get_engine(), piece.title, mesh_rates)
        context |= {"forecast": forecast, "files": [(file, forecast.files.get(file.filename)) for file in planned]}
        context["no_stills"] = delivered.delivery.stills and not stills
    except ReliefError as problem:
        context["problem"] = str(problem)
    return render(request, "deliveries/panel.html", context)


@require_safe
def list_files(request: HttpRequest, pk: int) -> HttpResponse:
    """The single files of a delivery that is ready."""
    job = _ready(request, pk)
    try:
        with zipfile.ZipFile(job.path) as bundle:
            files = [(item.filename, item.file_size) for item in bundle.infolist()]
    except (OSError, zipfile.BadZipFile):
        raise Http404 from None
    return render(request, "deliveries/files.html", {"job": job, "files": files})


@require_safe
def one_file(request: HttpRequest, pk: int, filename: str) -> HttpResponseBase:
    """One file out of a delivery that is ready."""
    job = _ready(request, pk)
    if not job.is_intact:
        return _refuse_damaged(request, job)
    return send_from_zip(job.path, filename)


@require_safe
def receive(request: HttpRequest, pk: int) -> HttpResponse:
    """What arrives of a delivery at the other end, set right or wrong."""
    job = _ready(request, pk)
    show_lengths_in(job.revision.read().unit)
    try:
        arrived = open_bundle(job.path)
        context = describe_arrival(arrived, Asked.read(request.GET, arrived))
    except (ReliefError, OSError) as problem:
        said = (
            str(problem)
            if isinstance(problem, ReliefError)
            else ("The files of this delivery were deleted to free space.")
        )
        context = {"problem": said}
    return render(request, "deliveries/received.html", {"job": job, **context})


@require_safe
def arrives(request: HttpRequest, pk: int, which: str) -> HttpResponse:
    """The relief as it was meant, or as it arrives, lit."""
    job = _ready(request, pk)
    try:
        arrived = open_bundle(job.path)
        pixels = draw_received(arrived, Asked.read(request.GET, arrived), which)
    except (ReliefError, OSError):
        raise Http404 from None
    return HttpResponse(png(pixels), content_type="image/png")


def _refuse_damaged(request: HttpRequest, job: Job) -> HttpResponse:
    """What is said instead of a bundle that is cut short or not what was written; one that was cleared away is gone."""
    if not job.path.exists():
        raise Http404
    return refuse(request, 410, "Damaged", "The delivery was damaged on the disk. Build the bundle again.")


def _ready(request: HttpRequest, pk: int) -> Job:
    """A delivery of the artist that is ready; that some of it is fetched keeps it from being cleared away meanwhile."""
    job = find_made(Job, request.artist, pk, state=Job.State.DONE)
    Job.objects.filter(pk=pk).update(fetched=timezone.now())
    return job


@require_safe
def builds(request: HttpRequest, pk: int) -> HttpResponse:
    """What the final mesh of a piece will cost, and how those stand that are built."""
    piece = piece_of(request, pk)
    return _builds(request, piece, revision_of(piece, request.GET.get("base") or piece.position))


@require_safe
def list_builds(request: HttpRequest, pk: int) -> HttpResponse:
    """How the final meshes of a piece stand."""
    return render(request, "deliveries/build_list.html", _list_made(Build, piece_of(request, pk)))


@require_POST
def start_build(request: HttpRequest, pk: int) -> HttpResponse:
    """Builds the final mesh of a revision; one that is ready or being built is not built twice."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.POST.get("base"))
    ending = revision.read().delivery.mesh_format
    try:
        forecast_build(revision).refuse()
    except ReliefError:
        return _builds(request, piece, revision)
    with transaction.atomic():
        same = Build.objects.filter(revision=revision, ending=ending)
        if any(build.active or (build.is_current and build.files) for build in same):
            return _builds(request, piece, revision)
        refuse_beyond_quota(request.artist)
        build = Build.objects.create(owner=request.artist, revision=revision, ending=ending)
    begin(build)
    return _builds(request, piece, revision)


@require_POST
def cancel_build(request: HttpRequest, pk: int) -> HttpResponse:
    """Ends a final mesh that is being built."""
    build = get_object_or_404(Build, pk=pk, owner=request.artist)
    build.cancel()
    return render(request, "deliveries/build_list.html", _list_made(Build, build.revision.piece))


@require_safe
def download_build(request: HttpRequest, pk: int, filename: str) -> HttpResponseBase:
    """A file of a final mesh that is ready."""
    build = find_made(Build, request.artist, pk, state=Build.State.DONE)
    if filename not in build.files:
        raise Http404
    return send_file(request, build.folder / filename, filename)


def _deliveries(request: HttpRequest, piece: Piece) -> HttpResponse:
    return render(request, "deliveries/deliveries.html", _list_made(Job, piece))


def _builds(request: HttpRequest, piece: Piece, revision: Revision) -> HttpResponse:
    context = _list_made(Build, piece) | {"revision": revision, "forecast": forecast_build(revision)}
    return render(request, "deliveries/builds.html", context)


def _list_made(kind: type[Made], piece: Piece) -> dict[str, Any]:
    made = list(kind.objects.filter(revision__piece=piece).select_related("revision__piece")[:SHOWN])
    current = Revision.objects.now(piece)
    show_lengths_in(current.read().unit)
    return {"piece": piece, "made": made, "active": any(each.active for each in made), "current": current.number}

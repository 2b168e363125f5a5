"""Stills of a piece: ordered with their time told before, watched while they are drawn, looked at and fetched."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, QueryDict
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from relief.deliver.stills import ON_STAGE, Order
from relief.errors import ReliefError
from relief.still.still import forecast_seconds, time_usual_path
from studio.background.tasks import begin
from studio.bench.models import Revision
from studio.bench.requests import numbers_in, piece_of, revision_of
from studio.deliveries.forecast import forecast_build
from studio.deliveries.models import Still
from studio.shelf.models import Piece
from studio.web.refusals import refuse
from studio.web.sending import send_file

SHOWN = 6
"""Stills listed at a piece, newest first."""

WIDTHS = (640, 1280, 1920, 2560, 3840)
RATIOS = {"16:10": 16 / 10, "16:9": 16 / 9, "1:1": 1.0, "4:5": 4 / 5}
SAMPLES = {"draft": 4, "final": 32}
VIEW_NAMES = {ON_STAGE: "As on the stage", "three-quarter": "Three-quarter", "front": "Front", "along": "Along"}
LOOKS = {"colour": "Its own material", "clay": "Matt clay", "flat": "Flat, with its normal map"}


@require_safe
def stills(request: HttpRequest, pk: int) -> HttpResponse:
    """What a still of a piece will take, and how those stand that are drawn."""
    piece = piece_of(request, pk)
    return _panel(request, piece, revision_of(piece, request.GET.get("base") or piece.position))


@require_safe
def list_stills(request: HttpRequest, pk: int) -> HttpResponse:
    """How the stills of a piece stand."""
    return render(request, "deliveries/still_list.html", _listed(piece_of(request, pk)))


@require_POST
def start_still(request: HttpRequest, pk: int) -> HttpResponse:
    """Orders a still of a revision; one of the same that is ready or being drawn is not drawn twice."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.POST.get("base"))
    try:
        order = read_order(request.POST)
        forecast_build(revision).refuse()
    except ReliefError as problem:
        return refuse(request, 422, "Not ordered", str(problem))
    asked = {name: list(value) if isinstance(value, tuple) else value for name, value in asdict(order).items()}
    same = Still.objects.filter(revision=revision, asked=asked)
    if not any(still.active or (still.is_current and still.is_there) for still in same):
        begin(Still.objects.create(owner=request.artist, revision=revision, asked=asked))
    return render(request, "deliveries/still_list.html", _listed(piece))


@require_POST
def cancel_still(request: HttpRequest, pk: int) -> HttpResponse:
    """Ends a still that is being drawn."""
    still = get_object_or_404(Still, pk=pk, owner=request.artist)
    still.cancel()
    return render(request, "deliveries/still_list.html", _listed(still.revision.piece))


@require_safe
def picture(request: HttpRequest, pk: int) -> HttpResponseBase:
    """The picture of a still that is ready, to be looked at."""
    still = get_object_or_404(Still, pk=pk, owner=request.artist, state=Still.State.DONE)
    return _send(still.path)


@require_safe
def draft(request: HttpRequest, pk: int) -> HttpResponseBase:
    """What is there of a still that is being drawn."""
    return _send(get_object_or_404(Still, pk=pk, owner=request.artist).draft)


@require_safe
def download_still(request: HttpRequest, pk: int) -> HttpResponseBase:
    """The PNG of a still that is ready."""
    still = get_object_or_404(Still, pk=pk, owner=request.artist, state=Still.State.DONE)
    if not still.is_there:
        raise Http404
    return send_file(request, still.path, f"{still.stem}_still_{still.pk}.png")


def read_order(values: QueryDict) -> Order:
    """The still that a form orders.

    Raises:
        ReliefError: a value is not one of those that are offered.
    """
    width, ratio = values.get("width", ""), RATIOS.get(values.get("ratio", ""))
    samples, seen, look = SAMPLES.get(values.get("quality", "")), values.get("seen"), values.get("look")
    if not width.isdecimal() or int(width) not in WIDTHS or ratio is None or samples is None:
        raise ReliefError("Choose the size and the quality of the still from those that are offered.")
    if seen not in VIEW_NAMES or look not in LOOKS:
        raise ReliefError("Choose the view and the look of the still from those that are offered.")
    camera, towards = (_point(values.get(name, "")) for name in ("camera", "towards"))
    return Order(
        int(width), round(int(width) / ratio), samples, seen, camera if seen == ON_STAGE else None, towards,
        plain=look != "colour", flat=look == "flat", ground=values.get("ground") == "1",
    )  # fmt: skip


def _point(text: str) -> tuple[float, float, float] | None:
    """Three numbers with commas between them, none too far away to count; nothing where it is anything else."""
    numbers = numbers_in(text, 3)
    if numbers is None or max(map(abs, numbers)) >= 1e12:
        return None
    x, y, z = numbers
    return x, y, z


def _send(place: Any) -> HttpResponseBase:
    try:
        answer = FileResponse(place.open("rb"), content_type="image/png")
    except OSError:
        raise Http404 from None
    answer["Cache-Control"] = "no-store"
    return answer


def _panel(request: HttpRequest, piece: Piece, revision: Revision) -> HttpResponse:
    forecast = forecast_build(revision)
    problem, made, each = forecast.problem, forecast.seconds if not forecast.problem else 0.0, 0.0
    try:
        each = 0.0 if problem else time_usual_path()
    except ReliefError as missing:
        problem = str(missing)
    pixels = {width: width * width / RATIOS["16:10"] for width in (640, 1280, 2560)}
    times = [
        (width, *(made + forecast_seconds(each, count, samples) for samples in SAMPLES.values()))
        for width, count in pixels.items()
    ]
    context = _listed(piece) | {
        "revision": revision, "problem": problem, "times": times, "widths": WIDTHS, "ratios": list(RATIOS),
        "views": VIEW_NAMES, "looks": LOOKS, "stands": revision.read().surface.shape.upright,
    }  # fmt: skip
    return render(request, "deliveries/stills.html", context)


def _listed(piece: Piece) -> dict[str, Any]:
    made = list(Still.objects.filter(revision__piece=piece).select_related("revision__piece")[:SHOWN])
    current = Revision.objects.now(piece)
    return {"piece": piece, "made": made, "active": any(each.active for each in made), "current": current.number}

"""Stills of a piece: ordered with their time stated before, watched while they are drawn, shown and downloaded."""

from __future__ import annotations

import json
from collections import Counter
from dataclasses import asdict, replace
from typing import Any

from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, QueryDict
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from relief.deliver.files import safe_stem, write_whole
from relief.deliver.stills import ON_STAGE, Order, first_of
from relief.deliver.sweeps import FRAMES
from relief.errors import ReliefError
from relief.still.forecast import forecast_seconds
from studio.background.quotas import refuse_beyond_quota
from studio.background.tasks import begin
from studio.bench.models import Revision
from studio.bench.rates import seconds_of_path
from studio.bench.requests import numbers_in, piece_of, point_in, revision_of
from studio.deliveries.clearing import KEPT_STILLS
from studio.deliveries.forecast import forecast_build
from studio.deliveries.models import Still, find_made
from studio.shelf.models import Piece
from studio.web.refusals import refuse
from studio.web.sending import send_file

SHOWN = 6
"""Stills listed at a piece, newest first."""

WIDTHS = (640, 1280, 1920, 2560, 3840)
RATIOS = {"16:10": 16 / 10, "16:9": 16 / 9, "1:1": 1.0, "4:5": 4 / 5}
SAMPLES = {"draft": 4, "final": 32}
VIEW_NAMES = {ON_STAGE: "As on the stage", "three-quarter": "Three-quarter", "front": "Front", "along": "Along"}
EVERY_VIEW = "every"
"""Seen from each of the kept views, a still each."""

LOOKS = {"colour": "Its own material", "clay": "Matt clay", "flat": "Flat, with its normal map"}
OPENINGS = {"0": "Sharp everywhere", "8": "f/8", "2.8": "f/2.8", "1.4": "f/1.4"}
MOVES = {"": "Nothing", "sun": "The sun, once around", "view": "The camera, once around"}


@require_safe
def stills(request: HttpRequest, pk: int) -> HttpResponse:
    """What a still of a piece will take, and how those stand that are drawn."""
    piece = piece_of(request, pk)
    return _panel(request, piece, revision_of(piece, request.GET.get("base") or piece.position))


@require_safe
def list_stills(request: HttpRequest, pk: int) -> HttpResponse:
    """How the stills of a piece stand."""
    return render(request, "deliveries/still_list.html", _list_stills(piece_of(request, pk)))


@require_POST
def start_still(request: HttpRequest, pk: int) -> HttpResponse:
    """Orders a still of a revision; one of the same that is ready or being drawn is not drawn twice."""
    piece = piece_of(request, pk)
    revision = revision_of(piece, request.POST.get("base"))
    try:
        orders = read_orders(request.POST, piece)
        forecast_build(revision).refuse()
    except ReliefError as problem:
        return refuse(request, 422, "Not ordered", str(problem))
    for order in orders:
        asked = {name: list(value) if isinstance(value, tuple) else value for name, value in asdict(order).items()}
        same = Still.objects.filter(revision=revision, asked=asked)
        if not any(still.active or (still.is_current and still.is_there) for still in same):
            refuse_beyond_quota(request.artist)
            begin(Still.objects.create(owner=request.artist, revision=revision, asked=asked))
    return render(request, "deliveries/still_list.html", _list_stills(piece))


@require_POST
def cancel_still(request: HttpRequest, pk: int) -> HttpResponse:
    """Ends a still that is being drawn."""
    still = get_object_or_404(Still, pk=pk, owner=request.artist)
    still.cancel()
    return render(request, "deliveries/still_list.html", _list_stills(still.revision.piece))


@require_POST
def draw_first(request: HttpRequest, pk: int) -> HttpResponse:
    """Names the rectangle of a still that is to be done before the rest, in parts of its width and height."""
    still = get_object_or_404(Still, pk=pk, owner=request.artist)
    parts = numbers_in(request.POST.get("rectangle", ""), 4)
    if parts is None or min(parts[2:]) <= 0 or not all(0 <= part <= 1 for part in parts):
        return refuse(request, 422, "Not changed", "That is not a rectangle of the picture.")
    if still.active:
        wide, high = still.order.width, still.order.height
        left, top = int(parts[0] * wide), int(parts[1] * high)
        rectangle = [left, top, max(1, round(parts[2] * wide)), max(1, round(parts[3] * high))]
        still.path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(first_of(still.path), json.dumps(rectangle).encode())
    return render(request, "deliveries/still_list.html", _list_stills(still.revision.piece))


@require_safe
def compare_stills(request: HttpRequest, pk: int) -> HttpResponse:
    """A still beside another one of the same piece and size, by a wipe or by their difference."""
    still = find_made(Still, request.artist, pk, state=Still.State.DONE)
    others = [other for other in _comparable(still.revision.piece) if other.pk != still.pk]
    others = [other for other in others if other.size_key == still.size_key]
    chosen = next((each for each in others if str(each.pk) == request.GET.get("with")), others[0] if others else None)
    context = {"still": still, "others": others, "chosen": chosen}
    return render(request, "deliveries/compare_stills.html", context)


@require_safe
def picture(request: HttpRequest, pk: int) -> HttpResponseBase:
    """The picture of a still that is ready, to be looked at."""
    still = find_made(Still, request.artist, pk, state=Still.State.DONE)
    return _send(still.path)


@require_safe
def draft(request: HttpRequest, pk: int) -> HttpResponseBase:
    """What is there of a still that is being drawn.

    A page may ask for it just when it is done: then it gets the picture itself. One that was cancelled meanwhile, or
    has nothing to show yet, is answered with nothing, which is no error.
    """
    still = find_made(Still, request.artist, pk)
    for place in (still.draft, still.path):
        try:
            return _send(place)
        except Http404:
            continue
    return HttpResponse(status=204)


@require_safe
def download_still(request: HttpRequest, pk: int) -> HttpResponseBase:
    """The file of a still that is ready."""
    still = find_made(Still, request.artist, pk, state=Still.State.DONE)
    if not still.is_there:
        raise Http404
    called = safe_stem(still.order.name) if still.order.name else "still"
    return send_file(request, still.path, f"{still.stem}_{called}_{still.pk}{still.path.suffix}")


def read_orders(values: QueryDict, piece: Piece) -> list[Order]:
    """The stills that a form orders: one, or one of each kept view. Raises as `read_order` does."""
    if values.get("seen") != EVERY_VIEW:
        return [read_order(values)]
    views = [view for view in piece.kept_views.all() if view.is_whole]
    if not views:
        raise ReliefError("No view is kept yet. Keep one on the stage of step 4.")
    asked = values.copy()
    asked["seen"] = ON_STAGE
    whole = read_order(asked)
    return [replace(whole, name=view.name, **view.values) for view in views]


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
    opening, sweep = values.get("opening", "0"), values.get("sweep", "")
    if opening not in OPENINGS or sweep not in MOVES:
        raise ReliefError("Choose the blur and the movement of the still from those that are offered.")
    camera, look_at, towards = (point_in(values.get(name, "")) for name in ("camera", "look_at", "towards"))
    return Order(
        int(width), round(int(width) / ratio), samples, seen, camera if seen == ON_STAGE else None,
        look_at or (0.0, 0.0, 0.0), towards,
        plain=look != "colour", flat=look == "flat", ground=values.get("ground") == "1",
        open_air=seen == ON_STAGE and values.get("open_air") == "1",
        opening=float(opening), sweep=sweep,
    )  # fmt: skip


def _send(place: Any) -> HttpResponseBase:
    try:
        answer = FileResponse(place.open("rb"), content_type=f"image/{place.suffix.lstrip('.')}")
    except OSError:
        raise Http404 from None
    answer["Cache-Control"] = "no-store"
    return answer


def _panel(request: HttpRequest, piece: Piece, revision: Revision) -> HttpResponse:
    forecast = forecast_build(revision)
    problem, made, each = forecast.problem, forecast.seconds if not forecast.problem else 0.0, 0.0
    try:
        each = 0.0 if problem else seconds_of_path()
    except ReliefError as missing:
        problem = str(missing)
    pixels = {width: width * width / RATIOS["16:10"] for width in (640, 1280, 2560)}
    times = [
        (
            width,
            *(made + forecast_seconds(each, count, samples) for samples in SAMPLES.values()),
            made + FRAMES * forecast_seconds(each, count, SAMPLES["draft"]),
        )
        for width, count in pixels.items()
    ]
    context = _list_stills(piece) | {
        "revision": revision, "problem": problem, "times": times, "widths": WIDTHS, "ratios": list(RATIOS),
        "views": VIEW_NAMES, "looks": LOOKS, "stands": revision.read().surface.shape.upright,
        "kept_views": piece.kept_views.count(), "every_view": EVERY_VIEW,
        "openings": OPENINGS, "moves": MOVES, "frames": FRAMES,
    }  # fmt: skip
    return render(request, "deliveries/stills.html", context)


def _list_stills(piece: Piece) -> dict[str, Any]:
    made = list(Still.objects.filter(revision__piece=piece).select_related("revision__piece")[:SHOWN])
    current = Revision.objects.now(piece)
    sizes = Counter(each.size_key for each in _comparable(piece))
    for each in made:
        each.can_compare = each.is_there and sizes[each.size_key] > 1
    return {"piece": piece, "made": made, "active": any(each.active for each in made), "current": current.number}


def _comparable(piece: Piece) -> list[Still]:
    """Stills of a piece that are pictures, and there: of older ones the files are cleared away."""
    ready = Still.objects.filter(revision__piece=piece, state=Still.State.DONE).select_related("revision__piece")
    return [each for each in ready[:KEPT_STILLS] if each.is_there and not each.order.sweep]

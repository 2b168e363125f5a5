"""The rig: a surface is chosen, photographed under lights that step round, and waits on the shelf as a lit series."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST, require_safe

from relief.depth.stereo import FEWEST, MOST
from relief.synthetic.surfaces import SURFACES
from studio.background.quotas import refuse_beyond_quota
from studio.background.tasks import begin
from studio.rig.models import Shoot
from studio.web.refusals import refuse

USUAL = 8
"""Photos of a series, where nobody says otherwise."""

LISTED = 6
"""Shoots that are listed, the newest first."""


@require_safe
def rig(request: HttpRequest) -> HttpResponse:
    """The page."""
    context = {"surfaces": SURFACES.items(), "fewest": FEWEST, "most": MOST, "usual": USUAL}
    return render(request, "rig/rig.html", context)


@require_safe
def shoots(request: HttpRequest) -> HttpResponse:
    """How the shoots stand."""
    return _shoots(request)


@require_POST
def start(request: HttpRequest) -> HttpResponse:
    """Starts a shoot in the background."""
    key, photos = request.POST.get("surface", ""), request.POST.get("photos", "")
    if key not in SURFACES:
        return refuse(request, 422, "Not photographed", "The rig has no such surface.")
    if not photos.isdecimal() or not FEWEST <= int(photos[:4]) <= MOST:
        return refuse(request, 422, "Not photographed", f"The rig takes {FEWEST} to {MOST} photos.")
    shaken = "shaken" in request.POST
    refuse_beyond_quota(request.artist)
    begin(Shoot.objects.create(owner=request.artist, key=key, photos=int(photos[:4]), shaken=shaken))
    return _shoots(request)


@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    """Ends a shoot that is under way; nothing of it is kept."""
    get_object_or_404(Shoot, pk=pk, owner=request.artist).cancel()
    return _shoots(request)


def _shoots(request: HttpRequest) -> HttpResponse:
    made = list(Shoot.objects.filter(owner=request.artist).select_related("lit_series")[:LISTED])
    context = {"shoots": made, "active": any(shoot.active for shoot in made)}
    return render(request, "rig/shoots.html", context)

"""Taking uploaded files in: each is answered by itself, and what takes long goes on in the background."""

from __future__ import annotations

import logging
import shutil
import threading
import time
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any, BinaryIO

from django.conf import settings
from django.http import HttpRequest

from relief.errors import PictureError, ReliefError
from studio.background.quotas import OverQuotaError, refuse_beyond_quota
from studio.background.tasks import begin
from studio.shelf.archives import incoming
from studio.shelf.intake import keep_source
from studio.shelf.looks import swatch_file
from studio.shelf.models import Arrival, Source
from studio.web.refusals import FULL_DISK, is_full_disk, say_file_fault

logger = logging.getLogger(__name__)

Refused = list[tuple[str, str]]

PLACES = threading.BoundedSemaphore(2)
"""Requests that take files in at the same time; what waits longer than one may is taken in in the background."""

NAMELESS = "Its name could not be read, so it was not imported. Give it a name in plain letters and try again."
BROKE = "It could not be imported because something went wrong. The others were imported."


@dataclass
class Taken:
    """What came of an upload: what was kept, by name why others were not, and what goes on in the background."""

    kept: list[Source] = field(default_factory=list)
    refused: Refused = field(default_factory=list)
    arrivals: list[Arrival] = field(default_factory=list)


def keep_uploads(request: HttpRequest) -> Taken:
    """Keeps the pictures and meshes of a request, those in ZIP archives too, for so long as a request may."""
    taken = Taken()
    try:
        refuse_beyond_quota(request.artist, works=False)
    except OverQuotaError as problem:
        taken.refused.append(("The upload", str(problem)))
        return taken
    files = request.FILES.getlist("pictures")
    if getattr(request, "upload_too_large", False):
        taken.refused.append(("The upload", "It is too large. At most 600 MB can be imported at once."))
        return taken
    taken.refused += [("A file", NAMELESS)] * _count_nameless(request)
    until = time.monotonic() + settings.INTAKE_AT_ONCE
    if files and not PLACES.acquire(timeout=settings.INTAKE_AT_ONCE):
        taken.arrivals = [_go_on_later(request.artist, file, 0) for file in files]
        return taken
    try:
        _keep_files(request.artist, files, until, taken)
    finally:
        if files:
            PLACES.release()
    return taken


def _keep_files(owner: Any, files: list[Any], until: float, taken: Taken) -> None:
    for file in files:
        for number, (name, data) in enumerate(incoming(file.name, file)):
            if time.monotonic() > until:
                taken.arrivals.append(_go_on_later(owner, file, number))
                break
            keep_one(owner, name, data, taken.kept, taken.refused)


def keep_one(owner: Any, name: str, data: bytes | PictureError, kept: list[Source], refused: Refused) -> None:
    """Keeps one file, or says why not; whatever one does, the others are answered."""
    try:
        if isinstance(data, PictureError):
            raise data
        kept.append(keep_source(owner, name, data))
    except ReliefError as problem:
        refused.append((name, str(problem)))
        return
    except Exception as problem:
        if is_full_disk(problem):
            refused.append((name, FULL_DISK))
        elif isinstance(problem, OSError):
            refused.append((name, say_file_fault(problem)))
        else:
            logger.exception("A file could not be imported")
            refused.append((name, BROKE))
        return
    with suppress(ReliefError, OSError):  # it is drawn when it is looked at otherwise
        swatch_file(kept[-1])


def _go_on_later(owner: Any, file: BinaryIO, first: int) -> Arrival:
    """Lays an upload aside for the worker, from one of its entries on."""
    arrival = Arrival.objects.create(owner=owner, filename=str(file.name)[-200:], first=first)
    arrival.path.parent.mkdir(parents=True, exist_ok=True)
    file.seek(0)
    with arrival.path.open("wb") as place:
        shutil.copyfileobj(file, place)
    begin(arrival)
    return arrival


def _count_nameless(request: HttpRequest) -> int:
    """How many parts of a form were left out as the names in their heads are not UTF-8.

    Django drops such a part without a word. The server keeps what was sent, so that its parts can be counted.
    """
    body, boundary = request.META.get("wsgi.input"), request.content_params.get("boundary", "")
    if not boundary or body is None or not getattr(body, "seekable", bool)():
        return 0
    mark, sent, rest = b"--" + boundary.encode("latin-1", "replace") + b"\r\n", 0, b""
    body.seek(0)
    while piece := body.read(1 << 20):
        sent += (rest + piece).count(mark)
        rest = piece[-len(mark) + 1 :]
    come = sum(len(values) for _, values in [*request.POST.lists(), *request.FILES.lists()])
    return max(0, sent - come)

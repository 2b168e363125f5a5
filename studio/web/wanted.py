"""How far a request is, and whether it is still wanted: its page may have gone, or it may have taken too long."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Protocol

from django.conf import settings
from django.http import HttpRequest

from relief.errors import Cancelled, ReliefError
from relief.progress import Progress


class TooLongError(ReliefError):
    """A request took longer to compute than one may."""


WAITING, WORKING = "Waiting for other work to finish", "Working on it"


class OfRequest(Progress):
    """Cancelled when the page that asked has hung up; given up where it takes too long."""

    def __init__(self, hung_up: Callable[[], bool], seconds: float) -> None:
        self.hung_up = hung_up
        self.seconds = seconds
        self.begin()
        self.fraction, self.message = 0.0, WAITING

    def report(self, fraction: float, message: str) -> None:
        self.fraction, self.message = fraction, message

    def begin(self) -> None:
        """The time that it may take begins now, as it has its turn."""
        self.message = WORKING
        self._until = time.monotonic() + self.seconds

    def cancelled(self) -> bool:
        if time.monotonic() > self._until:
            raise TooLongError(
                f"This took longer than {self.seconds:.0f} s and was stopped. The piece is unchanged. Ask for "
                "fewer texels or faces, or make a smaller change."
            )
        return self.hung_up()


class Both(Progress):
    """Tells one progress, and is cancelled by either."""

    def __init__(self, told: Progress, other: Progress) -> None:
        self.told, self.other = told, other

    def report(self, fraction: float, message: str) -> None:
        self.told.report(fraction, message)

    def cancelled(self) -> bool:
        return self.told.cancelled() or self.other.cancelled()


class Turn(Protocol):
    """A turn at the processors that a request has."""

    def give_back(self) -> None: ...

    def take_again(self) -> bool:
        """Waits for the next one; false where nobody waits for the answer any more."""
        ...


UNDER_WAY: dict[str, OfRequest] = {}
"""Requests that are being answered, by the name that their page gave them."""

NAME = re.compile(r"[a-z0-9]{8,40}")
"""What a page may call a request."""

_NOBODY = Progress()
_TURN: ContextVar[Turn | None] = ContextVar("turn", default=None)
_ASKED: ContextVar[Progress] = ContextVar("asked", default=_NOBODY)


def progress_of_request() -> Progress:
    """That of the request which this thread answers; one that is always wanted where it answers none."""
    return _ASKED.get()


@contextmanager
def holding(turn: Turn) -> Iterator[None]:
    """While a request has a turn, what it calls can give that back for a while."""
    token = _TURN.set(turn)
    try:
        yield
    finally:
        _TURN.reset(token)


@contextmanager
def without_turn() -> Iterator[None]:
    """While a request waits for something else than a processor its turn is another's; its time stands still.

    Raises:
        Cancelled: nobody waits for the answer any more when it is done.
    """
    turn = _TURN.get()
    if turn is None:
        yield
        return
    turn.give_back()
    try:
        yield
    finally:
        wanted = turn.take_again()
    if not wanted:
        raise Cancelled


def pause(seconds: float) -> None:
    """Sleeps, the turn of the request given back meanwhile."""
    with without_turn():
        time.sleep(seconds)


@contextmanager
def answering(request: HttpRequest) -> Iterator[OfRequest]:
    """While a request is answered, what is computed for it knows whether it is still wanted."""
    progress = OfRequest(request.META.get("waitress.client_disconnected", lambda: False), settings.LONGEST_REQUEST)
    token = _ASKED.set(progress)
    name = request.headers.get("X-Request", "")
    if NAME.fullmatch(name):
        UNDER_WAY[name] = progress
    try:
        yield progress
    finally:
        _ASKED.reset(token)
        if UNDER_WAY.get(name) is progress:
            del UNDER_WAY[name]

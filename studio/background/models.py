"""Long work in the background as a row: who is at it, how far it is, what is being done, and how it ended."""

from __future__ import annotations

import os
import secrets
import socket
from datetime import timedelta
from typing import ClassVar

from django.apps import apps
from django.conf import settings
from django.db import models
from django.db.models import Exists, F, Q
from django.dispatch import Signal
from django.utils import timezone

LEASE = timedelta(minutes=2)
"""How long work belongs to who claimed it, unless the claim is renewed."""

MOST_ATTEMPTS = 3
"""Times that work is taken up again after its worker was lost."""


ended = Signal()
"""Sent by the kind of work whenever a piece of it has ended, in whatever way: what waited for that may begin."""


class WorkError(Exception):
    """The work cannot be done; the message is a sentence for the artist."""


def name_worker() -> str:
    """A name for who carries out one piece of work: the machine, the process, and what tells it from its others."""
    return f"{socket.gethostname()[:40]}/{os.getpid()}/{secrets.token_hex(4)}"


def has_ended(worker: str) -> bool:
    """Whether a worker's process ran on this machine and is gone."""
    machine, _, rest = worker.rpartition("/")[0].rpartition("/")
    if machine != socket.gethostname()[:40] or not rest.isdecimal():
        return False
    try:
        os.kill(int(rest), 0)
    except ProcessLookupError:
        return True
    except PermissionError:
        pass
    return False


class Work(models.Model):
    """Base of the rows that a worker carries out."""

    heavy: ClassVar[bool] = False
    """Whether it takes much of the machine: of heavy work one piece is carried out at a time."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        RUNNING = "running", "Working"
        DONE = "done", "Ready"
        FAILED = "failed", "Failed"
        CANCELLED = "cancelled", "Cancelled"

    ACTIVE: ClassVar = (State.WAITING, State.RUNNING)
    """The states of work that has not ended."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0)
    message = models.CharField(max_length=300, blank=True)
    made = models.DateTimeField(auto_now_add=True)
    worker = models.CharField(max_length=80, blank=True)
    leased_until = models.DateTimeField(null=True)
    attempts = models.PositiveSmallIntegerField(default=0)

    class Meta:
        abstract = True
        ordering = ["-pk"]

    @property
    def active(self) -> bool:
        return self.state in self.ACTIVE

    @property
    def percent(self) -> int:
        return round(self.progress * 100)

    @classmethod
    def kinds(cls) -> list[type[Work]]:
        """All kinds of work there are."""
        return [kind for kind in apps.get_models() if issubclass(kind, Work)]

    @classmethod
    def heavy_kinds(cls) -> list[type[Work]]:
        """All kinds of heavy work there are."""
        return [kind for kind in cls.kinds() if kind.heavy]

    @classmethod
    def heavy_is_carried_out(cls) -> bool:
        """Whether somebody is at heavy work of any kind."""
        now = timezone.now()
        return any(
            kind.objects.filter(state=cls.State.RUNNING, leased_until__gte=now).exists() for kind in cls.heavy_kinds()
        )

    @classmethod
    def left(cls) -> models.QuerySet:
        """Running work whose worker has not been heard of for longer than its lease."""
        lost = Q(leased_until=None) | Q(leased_until__lt=timezone.now())
        return cls.objects.filter(lost, state=cls.State.RUNNING)

    @classmethod
    def release_from_the_dead(cls) -> None:
        """Work whose worker ran on this machine, and runs no more, need not wait until its lease is over."""
        for pk, worker in cls.objects.filter(state=cls.State.RUNNING).values_list("pk", "worker"):
            if has_ended(worker):
                cls.objects.filter(pk=pk, state=cls.State.RUNNING, worker=worker).update(leased_until=None)

    def claim(self, worker: str) -> bool:
        """Makes the work this worker's, if it waits or its worker was lost; false when it is somebody else's or ended.

        One conditional update, so that of two workers one gets it. Heavy work goes on waiting while other heavy work is
        carried out.
        """
        state, now = self.State, timezone.now()
        lost = Q(state=state.RUNNING) & (Q(leased_until=None) | Q(leased_until__lt=now))
        free = type(self).objects.filter(Q(state=state.WAITING) | lost, pk=self.pk)
        for kind in self.heavy_kinds() if self.heavy else ():
            free = free.exclude(Exists(kind.objects.filter(state=state.RUNNING, leased_until__gte=now)))
        values = {"state": state.RUNNING, "worker": worker, "leased_until": now + LEASE, "progress": 0}
        claimed = bool(free.update(attempts=F("attempts") + 1, **values))
        self.refresh_from_db()
        return claimed

    def held(self, worker: str, **values) -> bool:
        """Sets values and renews the lease, if the work is still this worker's; false when it is not, or has ended."""
        mine = type(self).objects.filter(pk=self.pk, state=self.State.RUNNING, worker=worker)
        return self._set(mine, leased_until=timezone.now() + LEASE, **values)

    def cancel(self) -> bool:
        """Ends the work where its artist no longer wants it; false when it has ended already."""
        return self.advance(state=self.State.CANCELLED, message="")

    def advance(self, **values) -> bool:
        """Sets values if the work has not ended yet; false when it has."""
        active = type(self).objects.filter(pk=self.pk, state__in=self.ACTIVE)
        return self._set(active, **values)

    def _set(self, rows: models.QuerySet, **values) -> bool:
        done = bool(rows.update(**values))
        if done and values.get("state") in (self.State.DONE, self.State.FAILED, self.State.CANCELLED):
            ended.send(type(self))
        return done

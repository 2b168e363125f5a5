"""Long work in the background as a row: how far it is, what is being done, and how it ended."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from relief.run.engine import Progress


class Work(models.Model):
    """Base of the rows that a worker carries out."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        RUNNING = "running", "Working"
        DONE = "done", "Ready"
        FAILED = "failed", "Failed"
        CANCELLED = "cancelled", "Cancelled"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0)
    message = models.CharField(max_length=300, blank=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True
        ordering = ["-pk"]

    @property
    def active(self) -> bool:
        return self.state in (self.State.WAITING, self.State.RUNNING)

    @property
    def percent(self) -> int:
        return round(self.progress * 100)

    def advance(self, **values) -> bool:
        """Sets values if the work is still active; false when it was cancelled in the meantime."""
        active = type(self).objects.filter(pk=self.pk, state__in=[self.State.WAITING, self.State.RUNNING])
        return bool(active.update(**values))


class WorkProgress(Progress):
    """Progress kept in the row; work that is no longer active there is cancelled."""

    def __init__(self, work: Work) -> None:
        self.work = work

    def report(self, fraction: float, message: str) -> None:
        self.work.advance(progress=fraction, message=message)

    def cancelled(self) -> bool:
        self.work.refresh_from_db(fields=["state"])
        return not self.work.active

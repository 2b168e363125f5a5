"""Long work in the background, each as a row: what for, how far, and what came of it."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.db import models

from bench.models import Revision
from relief.deliver.files import safe_stem


class Job(models.Model):
    """The building of one delivery."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting"
        RUNNING = "running", "Building"
        DONE = "done", "Ready"
        FAILED = "failed", "Failed"
        CANCELLED = "cancelled", "Cancelled"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="jobs")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    progress = models.FloatField(default=0)
    message = models.CharField(max_length=300, blank=True)
    size = models.BigIntegerField(default=0)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return f"{self.revision}: {self.get_state_display()}"

    @property
    def active(self) -> bool:
        return self.state in (self.State.WAITING, self.State.RUNNING)

    @property
    def percent(self) -> int:
        return round(self.progress * 100)

    @property
    def path(self) -> Path:
        """Where the finished bundle lies."""
        return Path(settings.MEDIA_ROOT) / "deliveries" / f"{self.pk}.zip"

    @property
    def filename(self) -> str:
        """The name the bundle is downloaded under."""
        return f"{safe_stem(self.revision.piece.title)}_{self.revision.number}.zip"

    def advance(self, **values) -> bool:
        """Sets values if the job is still active; false when it was cancelled in the meantime."""
        active = Job.objects.filter(pk=self.pk, state__in=[self.State.WAITING, self.State.RUNNING])
        return bool(active.update(**values))

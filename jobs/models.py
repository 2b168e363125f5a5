"""Deliveries of a piece, built in the background."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.db import models

from bench.models import Revision
from relief.deliver.files import safe_stem
from work.models import Work


class Job(Work):
    """The building of one delivery."""

    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="jobs")
    size = models.BigIntegerField(default=0)

    def __str__(self) -> str:
        return f"{self.revision}: {self.get_state_display()}"

    @property
    def path(self) -> Path:
        """Where the finished bundle lies."""
        return Path(settings.MEDIA_ROOT) / "deliveries" / f"{self.pk}.zip"

    @property
    def filename(self) -> str:
        """The name the bundle is downloaded under."""
        return f"{safe_stem(self.revision.piece.title)}_{self.revision.number}.zip"

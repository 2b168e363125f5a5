"""Old bundles are cleared away by age and by total size, never one that is being downloaded."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone

from jobs.models import Job

FETCHED_LATELY = timedelta(hours=1)
"""For so long after some of it was sent a download may still go on."""


def clear_away(days: float, most: int) -> None:
    """Removes the files of bundles older than some days, and the oldest ones beyond so many bytes in all."""
    now, kept = timezone.now(), 0
    for job in Job.objects.filter(state=Job.State.DONE).order_by("-made"):
        if not job.path.exists():
            continue
        kept += job.path.stat().st_size
        old = now - job.made > timedelta(days=days) or kept > most
        if old and not (job.fetched and now - job.fetched < FETCHED_LATELY):
            kept -= job.path.stat().st_size
            job.path.unlink(missing_ok=True)

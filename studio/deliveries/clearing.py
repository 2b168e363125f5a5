"""What was built is cleared away: bundles by age and by total size, never one that is being downloaded; of final meshes
and stills the older ones of each piece.
"""

from __future__ import annotations

import shutil
from datetime import timedelta
from pathlib import Path

from django.db.models import QuerySet
from django.utils import timezone

from relief.run.built import built_place
from studio.bench.models import Revision
from studio.deliveries.models import Build, Job, Made, Still, builds_folder

KEPT_BUILDS = 3
"""Final meshes of a piece whose files are kept, the newest."""

KEPT_STILLS = 12
"""Stills of a piece whose pictures are kept, the newest."""

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


def clear_builds(newest: Build, key: str) -> None:
    """Removes the files of a piece's older builds, and every kept mesh that no build has any more.

    Args:
        newest: the build that is just being finished.
        key: what its mesh is kept under.
    """
    for each in _older(newest)[KEPT_BUILDS - 1 :]:
        shutil.rmtree(each.folder, ignore_errors=True)
    needed = kept_meshes() | {built_place(builds_folder(), key)}
    for place in set(builds_folder().glob("*.npz")) - needed:
        place.unlink(missing_ok=True)


def clear_stills(newest: Still) -> None:
    """Removes the pictures of a piece's older stills, but none of a state that is kept as a proof.

    Args:
        newest: the one that is just being finished.
    """
    for each in _older(newest).filter(revision__proof=None)[KEPT_STILLS - 1 :]:
        each.path.unlink(missing_ok=True)


def kept_meshes() -> set[Path]:
    """Where the meshes lie that finished builds keep for deliveries."""
    return {kept for build in Build.objects.filter(state=Build.State.DONE) if (kept := build.kept)}


def _older(newest: Made) -> QuerySet[Made]:
    """What else of its kind is finished of a piece, newest first."""
    of_piece = Revision.objects.filter(piece=newest.revision.piece)
    finished = type(newest).objects.filter(revision__in=of_piece, state=newest.State.DONE)
    return finished.exclude(pk=newest.pk)

"""What the worker does for a piece: final meshes, bundles and stills, each in a process of its own."""

from __future__ import annotations

import logging
import shutil
from dataclasses import asdict
from typing import Any

from django.conf import settings
from huey import crontab
from huey.contrib.djhuey import db_periodic_task

from relief.deliver.files import clear_halves
from relief.deliver.stills import first_of
from relief.progress import Progress
from studio.background.carrying import carries_out
from studio.background.elsewhere import make_somewhere
from studio.deliveries.clearing import clear_away, clear_builds, clear_stills
from studio.deliveries.models import Build, Job, Still, builds_folder, find_digest
from studio.deliveries.unused import clear_unused

logger = logging.getLogger(__name__)


@carries_out(Job)
def build_delivery(job: Job, progress: Progress) -> dict[str, Any]:
    """Builds the bundle of a job."""
    asked = {"recipe": job.revision.read().as_data(), "title": job.revision.piece.title, "stills": job.stills}
    with make_somewhere("delivery", f"delivery{job.pk}", job.path.parent, asked, progress) as (_, results):
        (results / "delivery.zip").replace(job.path)
    clear_away(settings.DELIVERIES_DAYS, settings.DELIVERIES_BYTES)
    told = job.path.stat()
    return {"size": told.st_size, "digest": find_digest(job.path, told.st_mtime_ns)}


@carries_out(Build)
def build_mesh(build: Build, progress: Progress) -> dict[str, Any]:
    """Builds a final mesh; of the piece's older ones a few are kept."""
    asked = {"recipe": build.revision.read().as_data(), "stem": build.stem, "ending": build.ending}
    try:
        with make_somewhere("build", f"build{build.pk}", builds_folder(), asked, progress) as (facts, results):
            shutil.rmtree(build.folder, ignore_errors=True)
            (results / "files").replace(build.folder)
    except BaseException:
        clear_halves(builds_folder() / "*.npz")
        raise
    clear_builds(build, facts["key"])
    return {"facts": facts, "size": sum(facts["files"].values())}


@carries_out(Still)
def draw_still(still: Still, progress: Progress) -> dict[str, Any]:
    """Draws a still; of the piece's older ones some are kept."""
    place = still.path
    asked = {"recipe": still.revision.read().as_data(), "order": asdict(still.order), "file": place.name}
    try:
        with make_somewhere("still", f"still{still.pk}", place.parent, asked, progress) as (facts, results):
            (results / place.name).replace(place)
    finally:
        for beside in (still.draft, first_of(place)):
            beside.unlink(missing_ok=True)
    clear_stills(still)
    return {"facts": facts, "size": place.stat().st_size}


@db_periodic_task(crontab(hour="4", minute="17"))
def clear_by_night() -> None:
    """Clears what nothing uses any more, where the studio is set to."""
    if not settings.CLEAR_AFTER:
        return
    cleared = [*clear_unused(settings.CLEAR_AFTER)]
    if cleared:
        logger.warning("Cleared %s unused files and rows, %s bytes.", len(cleared), sum(each.size for each in cleared))

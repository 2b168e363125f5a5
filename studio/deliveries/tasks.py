"""What the worker does for a piece: final meshes, bundles and stills, each in a process of its own."""

from __future__ import annotations

import logging
import shutil
from typing import Any

from django.conf import settings
from huey import crontab
from huey.contrib.djhuey import db_periodic_task

from relief.deliver.build import build_final
from relief.deliver.delivery import write_bundle
from relief.deliver.files import clear_halves
from relief.deliver.stills import draw_order, first_of
from relief.progress import Progress
from studio.background.apart import run_apart
from studio.background.carrying import carries_out
from studio.deliveries.clearing import clear_away, clear_builds, clear_stills
from studio.deliveries.models import Build, Job, Still, builds_folder, find_digest
from studio.deliveries.unused import clear_unused
from studio.shelf.models import source_folder

logger = logging.getLogger(__name__)


@carries_out(Job)
def build_delivery(job: Job, progress: Progress) -> dict[str, Any]:
    """Builds the bundle of a job."""
    recipe, title = job.revision.read(), job.revision.piece.title
    job.path.parent.mkdir(parents=True, exist_ok=True)
    try:
        run_apart(write_bundle, (job.path, recipe, source_folder(), title, builds_folder()), progress)
    finally:
        clear_halves(job.path)
    clear_away(settings.DELIVERIES_DAYS, settings.DELIVERIES_BYTES)
    told = job.path.stat()
    return {"size": told.st_size, "digest": find_digest(job.path, told.st_mtime_ns)}


@carries_out(Build)
def build_mesh(build: Build, progress: Progress) -> dict[str, Any]:
    """Builds a final mesh; of the piece's older ones a few are kept."""
    recipe = build.revision.read()
    what = (build.folder, builds_folder(), build.stem, build.ending, recipe, source_folder())
    try:
        facts = run_apart(build_final, what, progress)
    except BaseException:
        shutil.rmtree(build.folder, ignore_errors=True)
        clear_halves(builds_folder() / "*.npz")
        raise
    clear_builds(build, facts["key"])
    return {"facts": facts, "size": sum(facts["files"].values())}


@carries_out(Still)
def draw_still(still: Still, progress: Progress) -> dict[str, Any]:
    """Draws a still; of the piece's older ones some are kept."""
    recipe, place = still.revision.read(), still.path
    place.parent.mkdir(parents=True, exist_ok=True)
    try:
        facts = run_apart(draw_order, (place, still.order, recipe, source_folder(), builds_folder()), progress)
    finally:
        for beside in (still.draft, first_of(place)):
            beside.unlink(missing_ok=True)
        clear_halves(place)
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

"""What the worker does for a delivery: it builds the bundle and keeps it beside the sources."""

from __future__ import annotations

from typing import Any

from jobs.models import Job
from relief.deliver.bundle import write_bundle
from relief.progress import Progress
from relief.run.engine import Engine
from shelf.models import read_source
from work.carrying import carries_out


@carries_out(Job)
def build_delivery(job: Job, progress: Progress) -> dict[str, Any]:
    """Builds the bundle of a job."""
    recipe, title = job.revision.read(), job.revision.piece.title
    job.path.parent.mkdir(parents=True, exist_ok=True)
    write_bundle(job.path, recipe, read_source, Engine(), title, progress)
    return {"size": job.path.stat().st_size}

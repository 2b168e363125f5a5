"""What the worker does."""

from __future__ import annotations

import logging

from huey import signals
from huey.contrib.djhuey import db_task, on_startup, signal

from jobs.models import Job
from relief.deliver.bundle import bundle
from relief.deliver.files import write_whole
from relief.engine import Engine, Progress
from relief.errors import Cancelled, ReliefError
from relief.pipeline import Pipeline
from shelf.models import read_source

logger = logging.getLogger(__name__)


class JobProgress(Progress):
    """Progress kept in the job's row; a job that is no longer active there is cancelled."""

    def __init__(self, job: Job) -> None:
        self.job = job

    def report(self, fraction: float, message: str) -> None:
        self.job.advance(progress=fraction, message=message)

    def cancelled(self) -> bool:
        self.job.refresh_from_db(fields=["state"])
        return not self.job.active


@db_task()
def build_delivery(pk: int) -> None:
    """Builds the bundle of a job and keeps it beside the sources."""
    job = Job.objects.select_related("revision__piece").get(pk=pk)
    if not job.advance(state=Job.State.RUNNING):
        return
    try:
        pipeline = Pipeline(job.revision.read(), read_source)
        data = bundle(pipeline, Engine(), job.revision.piece.title, JobProgress(job))
        job.path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(job.path, data)
    except Cancelled:
        return
    except ReliefError as problem:
        job.advance(state=Job.State.FAILED, message=str(problem))
    except OSError:
        logger.exception("A bundle could not be written")
        job.advance(state=Job.State.FAILED, message="It could not be written. The disk may be full.")
    else:
        job.advance(state=Job.State.DONE, progress=1, message="", size=len(data))


@signal(signals.SIGNAL_ERROR)
def say_that_it_broke(_signal, task, exc=None) -> None:
    """A job never stays active when its task has ended."""
    if task.name == build_delivery.task_class.__name__:
        broken = Job.objects.filter(pk=task.args[0])
        broken.update(state=Job.State.FAILED, message="Something broke while building. The piece itself is untouched.")


@on_startup()
def fail_what_was_interrupted() -> None:
    """Jobs that a killed worker left half done can be started again by the artist."""
    interrupted = Job.objects.filter(state=Job.State.RUNNING)
    interrupted.update(state=Job.State.FAILED, message="The worker was stopped while building. Build it again.")

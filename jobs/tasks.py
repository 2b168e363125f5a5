"""What the worker does."""

from __future__ import annotations

import logging

from huey import signals
from huey.contrib.djhuey import db_task, on_startup, signal

from catalogue.models import Order
from catalogue.tasks import fetch
from jobs.models import Job
from relief.deliver.bundle import write_bundle
from relief.errors import Cancelled, ReliefError
from relief.run.engine import Engine
from shelf.models import read_source
from studio.work import Work, WorkProgress

logger = logging.getLogger(__name__)


@db_task()
def build_delivery(pk: int) -> None:
    """Builds the bundle of a job and keeps it beside the sources."""
    job = Job.objects.select_related("revision__piece").get(pk=pk)
    if not job.advance(state=Job.State.RUNNING):
        return
    try:
        recipe, title = job.revision.read(), job.revision.piece.title
        job.path.parent.mkdir(parents=True, exist_ok=True)
        write_bundle(job.path, recipe, read_source, Engine(), title, WorkProgress(job))
    except Cancelled:
        return
    except ReliefError as problem:
        job.advance(state=Job.State.FAILED, message=str(problem))
    except OSError:
        logger.exception("A bundle could not be written")
        job.advance(state=Job.State.FAILED, message="It could not be written. The disk may be full.")
    else:
        job.advance(state=Job.State.DONE, progress=1, message="", size=job.path.stat().st_size)


@signal(signals.SIGNAL_ERROR)
def say_that_it_broke(_signal, task, exc=None) -> None:
    """Work never stays active when its task has ended."""
    kinds = {build_delivery.task_class.__name__: Job, fetch.task_class.__name__: Order}
    if task.name in kinds:
        broken = kinds[task.name].objects.filter(pk=task.args[0])
        broken.update(state=Work.State.FAILED, message="Something broke on the way. What you have is untouched.")


@on_startup()
def fail_what_was_interrupted() -> None:
    """Work that a killed worker left half done can be started again by the artist."""
    for kind in Work.__subclasses__():
        interrupted = kind.objects.filter(state=Work.State.RUNNING)
        interrupted.update(state=Work.State.FAILED, message="The worker was stopped half way. Start it again.")

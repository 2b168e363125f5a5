"""Who carries out which kind of work, and how it is carried out: once, and to a clear end."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import Any

from django.apps import apps
from django.core.exceptions import ObjectDoesNotExist
from django.db import connection

from relief.errors import Cancelled, ReliefError
from relief.progress import Progress
from studio.background.models import LEASE, Work, WorkError, name_worker
from studio.web.refusals import FULL_DISK, is_full_disk, say_file_fault

logger = logging.getLogger(__name__)

Carrier = Callable[[Any, Progress], dict[str, Any]]
"""Does one piece of work and gives the values that its row ends with. Raises WorkError, ReliefError, Cancelled."""

CARRIERS: dict[str, Carrier] = {}
"""Who carries a kind of work out, by the label of its model."""

BROKE = "Something went wrong. Your work is untouched."


def carries_out(kind: type[Work]) -> Callable[[Carrier], Carrier]:
    """Decorator of the function that carries out a kind of work."""

    def register(carrier: Carrier) -> Carrier:
        CARRIERS[kind._meta.label] = carrier
        return carrier

    return register


def carry_out_once(label: str, pk: int) -> bool:
    """Claims a piece of work and carries it out to a clear end.

    False where it is not carried out: it is somebody else's, has ended, or has to wait for other heavy work.
    """
    work = apps.get_model(label).objects.filter(pk=pk).first()
    worker = name_worker()
    if work is None or not work.claim(worker):
        return False
    with Lease(work, worker):
        values = _outcome(work, worker)
    if values:
        work.held(worker, **values)
    return True


def _outcome(work: Work, worker: str) -> dict[str, Any]:
    """How the work ended, as values of its row; none where it was cancelled."""
    failed = Work.State.FAILED
    try:
        done = CARRIERS[work._meta.label](work, WorkProgress(work, worker))
    except Cancelled:
        return {}
    except (WorkError, ReliefError) as problem:
        return {"state": failed, "message": str(problem)[:300]}
    except Exception as problem:
        logger.exception("Work broke")
        full = is_full_disk(problem)
        if isinstance(problem, OSError) and not full:
            return {"state": failed, "message": say_file_fault(problem)}
        return {"state": failed, "message": FULL_DISK if full else BROKE}
    return {"state": Work.State.DONE, "progress": 1, "message": "", **done}


class WorkProgress(Progress):
    """Progress kept in the row; work that is no longer this worker's there is cancelled."""

    def __init__(self, work: Work, worker: str) -> None:
        self.work, self.worker = work, worker

    def report(self, fraction: float, message: str) -> None:
        self.work.held(self.worker, progress=fraction, message=message)

    def cancelled(self) -> bool:
        try:
            self.work.refresh_from_db(fields=["state", "worker"])
        except ObjectDoesNotExist:  # its piece was removed meanwhile
            return True
        return self.work.state != Work.State.RUNNING or self.work.worker != self.worker


class Lease:
    """Renews the claim on a piece of work for as long as it is carried out."""

    def __init__(self, work: Work, worker: str) -> None:
        self.work, self.worker = work, worker
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._renew, daemon=True)

    def __enter__(self) -> Lease:
        self._thread.start()
        return self

    def __exit__(self, *_problem: object) -> None:
        self._ended.set()
        self._thread.join()

    def _renew(self) -> None:
        while not self._ended.wait(LEASE.total_seconds() / 4):
            try:
                self.work.held(self.worker)
            except Exception:
                logger.exception("A lease could not be renewed")
            finally:
                connection.close()

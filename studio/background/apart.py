"""Heavy work in a process of its own: it ends within a moment when it is cancelled, gives all of its memory back, and
leaves the worker alive when the machine kills it.
"""

from __future__ import annotations

import multiprocessing
import signal
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from huey.contrib.djhuey import HUEY

from relief.errors import Cancelled
from relief.progress import Progress
from studio.background.child import carry
from studio.background.models import WorkError

PATIENCE = 0.25
"""Seconds after which it is asked whether the work is still wanted."""

KILLED = (
    "It was stopped, most likely because the machine ran out of memory. Your work is untouched. Ask for fewer "
    "faces or a smaller size, or start it again."
)


def run_apart(work: Callable[..., Any], arguments: tuple, progress: Progress) -> Any:
    """What a function returns that is called in a process of its own; in this one where the queue is immediate.

    Args:
        work: called with the arguments and a progress behind them. All of these and the result can be pickled.
        arguments: all but the progress.
        progress: hears what the work reports, and cancels it.

    Raises:
        Cancelled: through the progress.
        WorkError: the process was killed.
        Exception: what the work raised.
    """
    if HUEY.immediate:
        return work(*arguments, progress)
    context = multiprocessing.get_context("spawn")  # threads of kernels do not live through a fork
    receiving, sending = context.Pipe(duplex=False)
    process = context.Process(target=carry, args=(sending, work, arguments), daemon=True)
    process.start()
    sending.close()
    try:
        return _listen(receiving, progress)
    except EOFError:
        process.join()
        if process.exitcode == -signal.SIGKILL:
            raise WorkError(KILLED) from None
        raise RuntimeError(f"The process of {work.__name__} ended with {process.exitcode}.") from None
    finally:
        process.kill()
        process.join()
        receiving.close()


def _listen(receiving: Connection, progress: Progress) -> Any:
    while True:
        if receiving.poll(PATIENCE):
            kind, told = receiving.recv()
            if kind == "done":
                return told
            if kind == "raised":
                raise told
            progress.report(*told)
        if progress.cancelled():
            raise Cancelled

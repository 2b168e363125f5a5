"""Heavy work in a process of its own: it ends within a moment when it is cancelled, gives all of its memory back, and
leaves the worker alive when the machine kills it.
"""

from __future__ import annotations

import signal
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from huey.contrib.djhuey import HUEY

from relief.errors import Cancelled
from relief.progress import Progress
from studio.background.child import carry
from studio.background.forking import forking
from studio.background.models import WorkError

PATIENCE = 0.25
"""Seconds after which it is asked whether the work is still wanted."""

KILLED = (
    "It was stopped, most likely because the machine ran out of memory. Your work is untouched. Ask for fewer "
    "faces or a smaller size, or start it again."
)


MOST_WORKS = 25
"""Pieces of work that one process does before another takes its place, so that what it keeps is given back."""


class Apart:
    """A process of its own for pieces of work one after the other, which spares them the start of the process.

    It is started when it is first needed, and again after it was killed. In a queue that is immediate the work is done
    in this process.
    """

    def __init__(self) -> None:
        self._process: Any = None
        self._pipe: Any = None
        self._works = 0

    def __enter__(self) -> Apart:
        return self

    def __exit__(self, *_problem: object) -> None:
        self.end()

    def run(self, work: Callable[..., Any], arguments: tuple, progress: Progress) -> Any:
        """What a function returns that is called there. Arguments and errors are those of `run_apart`."""
        if HUEY.immediate:
            return work(*arguments, progress)
        if self._works >= MOST_WORKS:
            self.end()
        if self._process is None:
            self._start()
        self._works += 1
        try:
            self._pipe.send((work, arguments))
            kind, told = _listen(self._pipe, progress)
        except (EOFError, BrokenPipeError, ConnectionResetError):
            self._process.join()
            code = self._process.exitcode
            self.end()
            if code == -signal.SIGKILL:
                raise WorkError(KILLED) from None
            raise RuntimeError(f"The process of {work.__name__} ended with {code}.") from None
        except BaseException:
            self.end()
            raise
        if kind == "raised":
            raise told
        return told

    def _start(self) -> None:
        context = forking()
        self._pipe, other = context.Pipe()
        self._process = context.Process(target=carry, args=(other,), daemon=True)
        self._process.start()
        self._works = 0
        other.close()

    def end(self) -> None:
        """Ends the process, whatever it is at."""
        if self._process is None:
            return
        self._process.kill()
        self._process.join()
        self._pipe.close()
        self._process = self._pipe = None


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
    with Apart() as apart:
        return apart.run(work, arguments, progress)


def _listen(pipe: Connection, progress: Progress) -> tuple[str, Any]:
    """How the work ended, `done` or `raised`, and with what."""
    while True:
        if pipe.poll(PATIENCE):
            kind, told = pipe.recv()
            if kind != "report":
                return kind, told
            progress.report(*told)
        if progress.cancelled():
            raise Cancelled

"""How the hot loops are compiled and run: Numba, once to the disk cache, without the GIL, band by band of their rows.

Numba is imported when the first kernel is called, not before: that takes longer than many a command.

A kernel is a plain loop over the rows from `begin` to before `end`. It is called without these two, and takes its bands
from here: the thread that called and those of one small pool each take the next band until none is left. A thread that
has bands of its own never waits for another's, so two requests share the processors. Between two bands it is asked
whether the result is still wanted.
"""

from __future__ import annotations

import hashlib
import os
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor, wait
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache, cached_property, partial, update_wrapper
from inspect import signature
from types import CodeType, FunctionType, ModuleType
from typing import Any

import numpy as np

from relief.errors import Cancelled

BANDS = 16
"""Bands for each thread: fine enough that one which takes long holds up little, and that stopping is heard soon."""

ASKED_EVERY = 0.05
"""Seconds between two times that it is asked whether a result is still wanted; the answer may come from a database."""

_is_wanted: ContextVar[Callable[[], bool]] = ContextVar("is_wanted", default=lambda: True)


@contextmanager
def while_wanted(is_wanted: Callable[[], bool]) -> Iterator[None]:
    """Within, kernels stop between two bands with `Cancelled` once `is_wanted` says no."""
    token = _is_wanted.set(is_wanted)
    try:
        yield
    finally:
        _is_wanted.reset(token)


@cache
def thread_count() -> int:
    """How many threads a kernel runs in: one for each processor that this process may use, or GRAVEL_THREADS."""
    named = os.environ.get("GRAVEL_THREADS", "")
    allowed = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    return int(named) if named.isdecimal() and int(named) else allowed


@cache
def _helpers() -> ThreadPoolExecutor:
    """Started by the first kernel, which is after the server has forked."""
    return ThreadPoolExecutor(max(1, thread_count() - 1), thread_name_prefix="bands")


if hasattr(os, "register_at_fork"):  # threads do not live through a fork
    os.register_at_fork(after_in_child=_helpers.cache_clear)


@cache
def _numba() -> ModuleType:
    import numba

    return numba


class Deferred:
    """Something of Numba's that is made of a function when it is first called, or when a kernel that names it is."""

    def __init__(self, function: Callable[..., Any], **options: Any) -> None:
        self.function = function
        self._options = options
        update_wrapper(self, function)

    @cached_property
    def made(self) -> Any:
        """The compiled function.

        It is compiled as a copy of its own, beside which the names of other kernels stand for what these are compiled
        to: Numba looks names up where a function stands. The copy is named after all that it calls, since Numba's disk
        cache sees a change of the function's own file, but not of a helper in another.
        """
        function = self.function
        called = {name: each.made for name, each in self._calls()}
        copied = FunctionType(
            function.__code__,
            {**function.__globals__, **called},
            function.__name__,
            function.__defaults__,
            function.__closure__,
        )
        copied.__module__ = function.__module__
        copied.__qualname__ = f"{function.__qualname__}-{self.fingerprint}"
        return _numba().njit(nogil=True, **self._options)(copied)

    @cached_property
    def fingerprint(self) -> str:
        """Eight letters that change with the code, with the numbers that it names, and with those of all it calls."""
        code, known = self.function.__code__, self.function.__globals__
        numbers = [(name, known[name]) for name in code.co_names if isinstance(known.get(name), int | float | tuple)]
        consts = [each.co_code.hex() if isinstance(each, CodeType) else repr(each) for each in code.co_consts]
        options = [(name, sorted(value) if isinstance(value, set) else value) for name, value in self._options.items()]
        parts = [code.co_code.hex(), *consts, repr(numbers), repr(options)]
        parts += [each.fingerprint for _, each in self._calls()]
        return hashlib.sha256("\n".join(parts).encode()).hexdigest()[:8]

    def _calls(self) -> list[tuple[str, Deferred]]:
        """The other kernels that the function names."""
        known = self.function.__globals__
        return [
            (name, known[name]) for name in self.function.__code__.co_names if isinstance(known.get(name), Deferred)
        ]

    def __call__(self, *arguments: Any) -> Any:
        return self.made(*map(_as_numba_knows_it, arguments))


class _Open:
    """An array that is frozen, shown as one that is not."""

    def __init__(self, array: np.ndarray) -> None:
        self.array = array
        where, _ = array.__array_interface__["data"]
        self.__array_interface__ = array.__array_interface__ | {"data": (where, False)}


def _as_numba_knows_it(argument: Any) -> Any:
    """An argument of a kernel. To Numba a frozen array is of another type, for which all would be compiled anew."""
    if isinstance(argument, np.ndarray) and not argument.flags.writeable:
        return np.asarray(_Open(argument)) if argument.size else argument.copy()
    if isinstance(argument, tuple):
        opened = [_as_numba_knows_it(item) for item in argument]
        return type(argument)(*opened) if hasattr(argument, "_fields") else tuple(opened)
    return argument


class BandedKernel(Deferred):
    """A compiled loop over rows, run in bands."""

    def __init__(self, function: Callable[..., Any], rows_of: str) -> None:
        super().__init__(function, cache=True, fastmath=True, error_model="numpy")
        self._counted = list(signature(function).parameters).index(rows_of) - 2

    def __call__(self, *arguments: Any) -> None:
        arguments = tuple(map(_as_numba_knows_it, arguments))
        counted = arguments[self._counted]
        rows = counted if isinstance(counted, int) else len(counted)
        loop = self.made
        run_in_bands(lambda begin, end: loop(begin, end, *arguments), rows)


def run_in_bands(loop: Callable[[int, int], None], rows: int) -> None:
    """Calls `loop` with the first and behind the last row of each band, in several threads, until all rows are done.

    Raises:
        Cancelled: the result is no longer wanted.
    """
    threads, is_wanted = thread_count(), _is_wanted.get()
    bands = min(rows, threads * BANDS)
    numbers, lock = iter(range(bands)), threading.Lock()

    def take_bands(*, asking: bool = False) -> None:
        asked = time.monotonic()
        while True:
            with lock:
                number = next(numbers, None)
            if number is None:
                return
            if asking and time.monotonic() - asked >= ASKED_EVERY:
                asked = time.monotonic()
                if not is_wanted():
                    raise Cancelled
            loop(rows * number // bands, rows * (number + 1) // bands)

    others = [_helpers().submit(take_bands) for _ in range(min(threads, bands) - 1)]
    try:
        take_bands(asking=True)  # the others are not in the context of who asked
    finally:
        _wait_for(others, numbers, lock)


def _wait_for(others: list[Future[None]], numbers: Iterator[int], lock: threading.Lock) -> None:
    """Until no thread is at work any more; whoever has not begun need not, and what went wrong is raised."""
    with lock:
        for _ in numbers:  # none is left after a fault
            pass
    begun = [other for other in others if not other.cancel()]
    wait(begun)  # all of them, before the fault of one is raised
    for other in begun:
        other.result()


def kernel(rows_of: str) -> Callable[[Callable[..., Any]], BandedKernel]:
    """Decorator of a loop over the rows from `begin` to before `end`, its first two parameters.

    Args:
        rows_of: the parameter whose rows are shared out: an array, or how many there are.
    """
    return partial(BandedKernel, rows_of=rows_of)


serial_kernel = partial(Deferred, cache=True)
"""Decorator of a function that runs over whole arrays in one thread, as each step needs the one before."""

vector_kernel = partial(
    Deferred, cache=True, fastmath={"nnan", "nsz", "arcp", "contract", "reassoc"}, error_model="numpy"
)
"""Decorator of one in one thread whose innermost loop takes eight texels at once; it meets no NaN, infinity it may."""

helper = partial(Deferred, fastmath=True, error_model="numpy")
"""Decorator of a step that kernels call, often a row of it at a time."""

inlined = partial(Deferred, inline="always")
"""Decorator of the few lines that several kernels share."""

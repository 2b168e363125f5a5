"""How the hot loops are compiled: Numba, once to the disk cache, without the GIL, in parallel over rows.

Numba is imported when the first kernel is called, not before: that takes longer than many a command.

The threads beneath must bear two requests computing at once. Numba's own work queue does not (it ends the process), so
only TBB or OpenMP are allowed. The threads start with the first parallel call, which is after the server has forked.
"""

import ctypes
import sys
from collections.abc import Callable
from functools import cache, cached_property, partial, update_wrapper
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np


@cache
def _numba() -> ModuleType:
    import numba

    config: Any = numba.config
    config.THREADING_LAYER = "threadsafe"
    for library in Path(sys.prefix, "lib").glob("libtbb.so.*"):
        # The TBB wheel puts its library where the dynamic linker does not look; once loaded it is found by name.
        ctypes.CDLL(str(library), mode=ctypes.RTLD_GLOBAL)
    return numba


class Deferred:
    """Something of Numba's that is made when it is first called, or when a kernel that names it is."""

    def __init__(self, make: Callable[[], Any]) -> None:
        self._make = make

    @cached_property
    def made(self) -> Any:
        return self._make()

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


def _compile(function: Callable[..., Any], **options: Any) -> Deferred:
    def make() -> Any:
        named = function.__globals__
        for name in function.__code__.co_names:
            if isinstance(named.get(name), Deferred):
                named[name] = named[name].made  # Numba looks a name up where the function stands
        return _numba().njit(nogil=True, **options)(function)

    deferred = Deferred(make)
    update_wrapper(deferred, function)
    return deferred


kernel = partial(_compile, cache=True, parallel=True, fastmath=True, error_model="numpy")
"""Decorator of a function that runs over whole arrays, its rows in parallel."""

serial_kernel = partial(_compile, cache=True)
"""Decorator of a function that runs over whole arrays in one thread, as each step needs the one before."""

vector_kernel = partial(
    _compile, cache=True, fastmath={"nnan", "nsz", "arcp", "contract", "reassoc"}, error_model="numpy"
)
"""Decorator of one in one thread whose innermost loop takes eight texels at once; it meets no NaN, infinity it may."""

helper = partial(_compile, fastmath=True, error_model="numpy")
"""Decorator of a step that kernels call, often a row of it at a time."""

inlined = partial(_compile, inline="always")
"""Decorator of the few lines that several kernels share."""

prange = Deferred(lambda: _numba().prange)
"""`range` whose turns may run at the same time, within a kernel."""


def thread_count() -> int:
    """How many threads a kernel runs in."""
    return _numba().get_num_threads()

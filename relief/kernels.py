"""How the hot loops are compiled: Numba, once to the disk cache, without the GIL, in parallel over rows.

The threads beneath must bear two requests computing at once. Numba's own work queue does not (it ends the process), so
only TBB or OpenMP are allowed. The threads start with the first parallel call, which is after the server has forked.
"""

import ctypes
import sys
from functools import partial
from pathlib import Path

import numba

numba.config.THREADING_LAYER = "threadsafe"

for _library in Path(sys.prefix, "lib").glob("libtbb.so.*"):
    # The TBB wheel puts its library where the dynamic linker does not look; once loaded it is found by name.
    ctypes.CDLL(str(_library), mode=ctypes.RTLD_GLOBAL)

kernel = partial(numba.njit, cache=True, nogil=True, parallel=True, fastmath=True)
"""Decorator of a function that runs over whole arrays, its rows in parallel."""

inlined = partial(numba.njit, inline="always")
"""Decorator of the few lines that several kernels share."""

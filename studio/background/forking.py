"""Processes of their own that begin at once: each is forked from one that has loaded what they need.

That one runs no threads, so that a fork of it is safe. Where a system's libraries do not survive a fork (macOS), each
process loads everything itself.
"""

from __future__ import annotations

import multiprocessing
import sys
from functools import cache
from multiprocessing import forkserver
from typing import Any

FOR_FILES = ["relief.sources.decode", "relief.sources.mesh.read", "studio.background.child"]
"""What reading a file takes."""

FOR_WORK = "studio.background.loaded"
"""What heavy work takes besides."""


@cache
def forking() -> Any:
    """The context that makes such processes."""
    if sys.platform == "darwin":
        return multiprocessing.get_context("spawn")
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(FOR_FILES)
    return context


def load_early() -> None:
    """Has everything that heavy work takes loaded now, before any is asked for. Called before the first process."""
    context = forking()
    if context.get_start_method() == "forkserver":
        context.set_forkserver_preload([*FOR_FILES, FOR_WORK])
        forkserver.ensure_running()

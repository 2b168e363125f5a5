"""A line on the terminal that says how far something is, each over the one before."""

from __future__ import annotations

import shutil
import sys


def say_over(text: str, end: str = "") -> None:
    """Says a line on standard error over the one before, cut to the terminal's width; nothing where nobody watches."""
    if sys.stderr.isatty():
        width = shutil.get_terminal_size().columns - 1  # a line that wraps cannot be said over
        print(f"\r{text[:width]:{width}}", end=end, file=sys.stderr, flush=True)

"""The kinds of arguments that several commands take. Each raises ArgumentTypeError with what is wrong."""

from __future__ import annotations

import argparse
import math
from pathlib import Path


def number(text: str) -> float:
    """A finite number."""
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise argparse.ArgumentTypeError(f"“{text[:40]}” is not a number")
    return value


def seed(text: str) -> int:
    """A whole number from 0 to 2**32 - 1."""
    if not (text.isascii() and text.isdecimal() and len(text) < 11 and int(text) < 2**32):
        raise argparse.ArgumentTypeError(f"“{text[:40]}” is not a whole number from 0 to {2**32 - 1}")
    return int(text)


def path(text: str) -> Path:
    """The path of a file or a folder."""
    if not text.strip() or "\0" in text:
        raise argparse.ArgumentTypeError("a path is empty")
    return Path(text)

"""Figures in words: one way to write each kind of them, wherever a person reads it. None is ever written as 1.5e+02."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

SPACE = "\N{NO-BREAK SPACE}"
MOST_PLACES = 9
"""Places behind the point at most; what is smaller than they show is 0."""

LENGTHS = (("km", 1e6, 1e7), ("m", 1e3, 1e4), ("mm", 1.0, 0.0))
"""Units that lengths are read in, the mm of each, and the length in mm from which on."""

BITS: dict[int | str, str] = {8: "8 bit", 16: "16 bit"}
"""The depths of pictures of whole numbers, as they are chosen."""

UNITS = {"mm": 1.0, "cm": 10.0, "m": 1e3, "km": 1e6, "in": 25.4}
"""mm of each unit that lengths may be shown in."""

METRES_FROM = 10_000.0
"""mm of the longer side from which on a piece is shown in metres."""

_SHOWN_IN: ContextVar[str] = ContextVar("shown_in", default="")

BYTES = ("bytes", "kB", "MB", "GB", "TB")
TIMES = (("s", 1.0, 100.0), ("min", 60.0, 6000.0), ("h", 3600.0, math.inf))
"""Units of time, the seconds of each, and the seconds below which it is used."""


def round_to_digits(value: float, digits: int) -> float:
    """The number with so many digits that count; all digits before the point are kept."""
    if not value or not math.isfinite(value):
        return value
    return round(value, _places(value, digits)) + 0.0


def say_number(value: float, digits: int = 3) -> str:
    """A number with so many digits that count, and all of those before the point: 0.0123, 4.1, 150, 15234."""
    value = round_to_digits(value, digits)
    if not math.isfinite(value):
        return "unlimited" if value > 0 else "unknown"
    text = f"{value:.{_places(value, digits)}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text


def say_count(count: int) -> str:
    """A whole number with its thousands set apart: 1 638 400."""
    return f"{count:,}".replace(",", SPACE)


@contextmanager
def lengths_in(unit: str) -> Iterator[None]:
    """While this lasts every length is said in one unit of `UNITS`; where that is empty, each in what suits it."""
    token = _SHOWN_IN.set(unit)
    try:
        yield
    finally:
        _SHOWN_IN.reset(token)


def show_lengths_in(unit: str) -> None:
    """From here on every length is said in one unit, until the `lengths_in` around it ends."""
    _SHOWN_IN.set(unit)


def unit_by_size(longest: float) -> str:
    """The unit that suits a piece whose longer side is so many mm."""
    return "m" if longest >= METRES_FROM else "mm"


def unit_of(length: float) -> tuple[str, float]:
    """The unit that a length in mm is said in, and its mm: the one that all are said in, or the one that suits it."""
    shown = _SHOWN_IN.get()
    if shown:
        return shown, UNITS[shown]
    return next((unit, per) for unit, per, first in LENGTHS if abs(length) >= first)


def say_length(length: float, digits: int = 2) -> str:
    """A length in mm in the unit that reads best: 4.1 mm, 150 mm, 56 m."""
    unit, per = unit_of(round_to_digits(length, digits))
    return f"{say_number(length / per, digits)} {unit}"


def say_bytes(size: float) -> str:
    """A size of memory or of a file: 61 MB. 1 MB is 1 000 000 bytes."""
    unit = 0
    while round_to_digits(size, 3) >= 1000 and unit < len(BYTES) - 1:
        size, unit = size / 1000, unit + 1
    return f"{say_number(size)}{SPACE}{BYTES[unit]}"


def say_time(seconds: float) -> str:
    """How long something takes: 0.4 s, 12 s, 3 min, 2.5 h."""
    unit, per = next((unit, per) for unit, per, below in TIMES if round_to_digits(seconds, 2) < below)
    digits = 1 if unit == "min" else 2  # half a minute more or less is not known
    return f"{say_number(seconds / per, digits)}{SPACE}{unit}"


def say_share(share: float) -> str:
    """A share as percent: 0.4 %; near the whole what is missing counts, 99.6 %."""
    if 0 < share < 1e-4:
        return f"under 0.01{SPACE}%"
    return f"{say_number(100 * share, 3 if share > 0.95 else 2)}{SPACE}%"


def _places(value: float, digits: int) -> int:
    """Places behind the point that show so many digits of a number."""
    before = math.floor(math.log10(abs(value))) + 1 if value and math.isfinite(value) else 1
    return min(max(digits - before, 0), MOST_PLACES)

"""Figures as the bench writes them."""

from __future__ import annotations

from django import template

from relief.inspect.finding import unit_of

register = template.Library()

SPACE = "\N{NO-BREAK SPACE}"
MINUS = "\N{MINUS SIGN}"


@register.filter
def spaced(count: int) -> str:
    """A whole number with its thousands set apart: 1 638 400."""
    return f"{count:,}".replace(",", SPACE)


@register.filter
def figure(value: float, places: int = 2) -> str:
    """A real number with a true minus sign; what rounds to nothing has none."""
    return f"{_round(value, places):.{places}f}".replace("-", MINUS)


@register.filter
def signed(value: float, places: int = 2) -> str:
    """A real number with its sign always shown: +0.30. What rounds to nothing has none."""
    rounded = _round(value, places)
    return f"{rounded:+.{places}f}".replace("-", MINUS) if rounded else figure(rounded, places)


def _round(value: float, places: int) -> float:
    return round(value, places) + 0.0  # adding nothing turns a negative zero into a plain one


@register.filter
def in_length(value: float, sign: str = "") -> str:
    """A length in mm, in the unit that reads best: 7.59 mm, 171 m. With `sign` a plus is shown too."""
    unit, per = unit_of(value)
    if per == 1:
        return f"{signed(value) if sign else figure(value)}{SPACE}mm"
    text = f"{value / per:{sign}.4g}".replace("-", MINUS)
    return f"{text}{SPACE}{unit}"


@register.filter
def measure(value: float) -> str:
    """A length in mm with three digits that count, in the unit that reads best: 9.43 mm, 585 m."""
    return in_length(value) if abs(value) >= 10_000 else f"{short(value)}{SPACE}mm"


@register.filter
def short(value: float) -> str:
    """A number with three digits that count; one beyond a thousand is written out whole."""
    if abs(value) >= 1000:
        return spaced(round(value)).replace("-", MINUS)
    return f"{value:.3g}".replace("-", MINUS)


@register.filter
def in_bytes(size: int) -> str:
    """A size in memory: 61 MB."""
    for unit in ("bytes", "kB", "MB"):
        if size < 1000:
            return f"{size:.3g}{SPACE}{unit}"
        size /= 1000
    return f"{size:.3g}{SPACE}GB"


@register.filter
def in_time(seconds: float) -> str:
    """How long something takes: 0.4 s, 12 s, 3 min, 2.5 h."""
    if seconds < 100:
        return f"{seconds:.2g}{SPACE}s"
    minutes = seconds / 60
    return f"{minutes:.0f}{SPACE}min" if minutes < 100 else f"{minutes / 60:.2g}{SPACE}h"


@register.filter
def percent(share: float) -> str:
    """A share as percent: 0.4 %; near the whole what is missing counts, 99.6 %."""
    if 0 < share < 1e-4:
        return f"under 0.01{SPACE}%"
    return f"{100 * share:.{3 if share > 0.95 else 2}g}{SPACE}%"

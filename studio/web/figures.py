"""Figures as templates write them."""

from __future__ import annotations

from django import template

from relief.figures import SPACE, say_bytes, say_count, say_number, say_share, say_time, unit_of

register = template.Library()
register.filter("spaced", say_count)
register.filter("in_bytes", say_bytes)
register.filter("in_time", say_time)
register.filter("percent", say_share)

MINUS = "\N{MINUS SIGN}"


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
    text = say_number(value / per, 4).replace("-", MINUS)
    return f"{'+' if sign and value > 0 else ''}{text}{SPACE}{unit}"


@register.filter
def measure(value: float) -> str:
    """A length in mm with three digits that count, in the unit that it is said in: 9.43 mm, 585 m."""
    unit, per = unit_of(value)
    return f"{short(value / per)}{SPACE}{unit}"


@register.filter
def per_length(value: float) -> str:
    """So many on each mm, in the unit that lengths are said in: 3.41 per mm, 0.205 per m."""
    unit, per = unit_of(1)
    return f"{short(value * per)} per {unit}"


@register.filter
def short(value: float) -> str:
    """A number with three digits that count; one beyond a thousand is written out whole."""
    if abs(value) >= 1000:
        return say_count(round(value)).replace("-", MINUS)
    return say_number(value).replace("-", MINUS)

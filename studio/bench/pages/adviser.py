"""The curve of the level adviser: where its points lie on the drawing, and what it says."""

from __future__ import annotations

import math
from typing import Any

from relief.displace.forecast import forecast_triangles
from relief.figures import say_bytes, say_number
from relief.inspect.adviser import Advice, Point
from relief.surface.surface import Surface

LEFT, RIGHT, TOP, BOTTOM = 42, 254, 12, 108
BYTES = forecast_triangles(Surface(), 1_000_000).memory / 1_000_000
"""Of memory for a triangle of a finished mesh."""

NAMES = {"levels": "Level", "budget": "A budget"}


def draw_advice(advice: Advice) -> dict[str, Any]:
    """What the template of the adviser is filled with."""
    everything = [*advice.levels, *advice.budgets]
    low, high = (math.log10(choose(point.triangles for point in everything)) for choose in (min, max))
    lowest = min(0.9, math.floor(10 * min(point.off.detail_kept for point in everything)) / 10)

    def across(triangles: float) -> float:
        return LEFT + (math.log10(triangles) - low) / max(high - low, 1e-9) * (RIGHT - LEFT)

    def down(kept: float) -> float:
        return BOTTOM - (kept - lowest) / (1 - lowest) * (BOTTOM - TOP)

    def line(points: list[Point]) -> str:
        return " ".join(f"{across(point.triangles):.1f},{down(point.off.detail_kept):.1f}" for point in points)

    advised = [point for point in (advice.level, advice.budget) if point]
    return {
        "levels_line": line(advice.levels),
        "budget_line": line(advice.budgets),
        "points": [
            {
                "x": f"{across(point.triangles):.1f}",
                "y": f"{down(point.off.detail_kept):.1f}",
                "kind": point.kind,
                "advised": point in advised,
                "said": _say_point(point),
            }
            for point in everything
        ],
        "ticks": [
            {"x": f"{across(10**power):.1f}", "text": _short(10**power), "memory": say_bytes(BYTES * 10**power)}
            for power in range(math.ceil(low), math.floor(high) + 1)
        ],
        "kept_ticks": [{"y": f"{down(kept) + 4:.1f}", "text": f"{100 * kept:.0f} %"} for kept in (lowest, 1)],
        "advice": _advise(advice),
        "offers": [
            {"kind": point.kind, "count": point.level if point.kind == "levels" else point.triangles, "label": label}
            for point, label in ((point, _offer(point)) for point in advised)
        ],
    }


def _say_point(point: Point) -> str:
    name = f"{NAMES[point.kind]} {point.level}" if point.kind == "levels" else NAMES[point.kind]
    size = f"{_short(point.triangles)} triangles in {say_bytes(point.memory)}"
    return f"{name}: {size} keep {100 * point.off.detail_kept:.1f} %"


def _offer(point: Point) -> str:
    return f"Use level {point.level}" if point.kind == "levels" else f"Use a budget of {_short(point.triangles)}"


def _advise(advice: Advice) -> str:
    level, budget = advice.level, advice.budget
    if level is None:
        return "The base mesh alone has too many faces for this."
    words = f"Beyond level {level.level} four times as many faces bring less than 2 % more detail."
    if level is advice.levels[-1]:
        words = f"Up to level {level.level}, the finest measured, more faces still help."
    beside = next((point for point in advice.budgets if point.level == level.level), None)
    if beside and level.off.error > 0:
        times = level.off.error / max(beside.off.error, 1e-12)
        if times > 1.05:
            words += (
                f" The same number of triangles, spent where they show, is {say_number(times, 2)} times more accurate."
            )
    elif budget is None:
        words += " It is too coarse for a budget."
    return words


def _short(count: float) -> str:
    """A count with its thousands or millions in a letter: 66 k, 1.6 M."""
    for letter, size in (("M", 1e6), ("k", 1e3)):
        if count >= size:
            return f"{say_number(count / size)} {letter}"
    return f"{count:.0f}"

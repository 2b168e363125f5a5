"""Uneven light: a photo that is brighter at one side becomes a slope."""

from __future__ import annotations

from relief.figures import say_number
from relief.inspect.finding import Finding, Mend
from relief.inspect.seen import SeenRelief
from relief.inspect.thresholds import UNEVEN_TIMES
from relief.treat.even_light import EvenLight


def find(seen: SeenRelief) -> Finding | None:
    """A photo that is brighter at one side, which becomes a slope."""
    relief, shot = seen.relief, seen.shot
    if shot is None or relief.picture is None or relief.picture.reading != "photo" or shot.uneven <= UNEVEN_TIMES:
        return None
    treatments = relief.layers[0].treatments
    if any(item.takes_out_light and item.on for item in treatments):
        return None
    place = next((number for number, item in enumerate(treatments) if isinstance(item, EvenLight)), None)
    if place is not None:
        mend = Mend("Even out the light", {f"layers.0.treatments.{place}.on": True})
    else:
        window = float(f"{min(relief.footprint.sides) / 3:.3g}")
        mend = Mend("Even out the light", first=EvenLight(window=window))
    return Finding("uneven", "Uneven light", say_uneven(shot.uneven), mend)


def say_uneven(times: float) -> str:
    """How unevenly a photo is lit, in words."""
    return (
        f"One side is lit {say_number(times, 2)} times as brightly as the other, which turns into a slope of the "
        "relief."
    )

"""What the simulated receiver shows of a delivery: pictures, sections and figures, of what was meant and arrives."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from django.http import Http404, QueryDict

from relief.receive.arrive import FAULTS, Settings, compare, look_at, settings_of
from relief.receive.draw import WIDE, draw_look
from relief.receive.files import Arrived

DATUM, REACH = 75, 68
"""Where the surface lies on the drawing of the sections, and how far from it is drawn."""

POINTS = 450


@dataclass(frozen=True)
class Asked:
    """How a page asks for the receiver to be set: by one of its usual faults, or setting by setting."""

    settings: Settings
    relief: str
    fault: str
    query: str

    @classmethod
    def read(cls, values: QueryDict, arrived: Arrived) -> Asked:
        """From the values of an address; what is out of bounds is a 404."""
        fault, relief = values.get("fault", ""), values.get("relief") or next(iter(arrived.contents["reliefs"]))
        if relief not in arrived.contents["reliefs"] or (fault and fault not in FAULTS):
            raise Http404
        settings = settings_of(fault, arrived) if fault else _own_settings(values)
        return cls(settings, relief, fault, values.urlencode())

    @property
    def moves(self) -> bool:
        """Whether heights are set otherwise than the notes say, so that these are what is looked at."""
        as_told = replace(Settings(), green=self.settings.green, read_as=self.settings.read_as)
        return self.settings != as_told


def _own_settings(values: QueryDict) -> Settings:
    found = Settings()
    try:
        midlevel = float(values["midlevel"]) if values.get("midlevel") else None
        scale, fewer = float(values.get("scale") or 1), int(values.get("fewer_levels") or 0)
        bits = int(values.get("bits") or 16)
    except ValueError:
        raise Http404 from None
    green, read_as = values.get("green", ""), values.get("read_as", "data")
    known = green in ("", "up", "down") and read_as in ("data", "colour") and bits in (8, 16) and 0 <= fewer <= 6
    if not known or not abs(scale) < 1e9 or not abs(midlevel or 0) < 1e9:
        raise Http404
    return replace(found, green=green, midlevel=midlevel, scale=scale, read_as=read_as, bits=bits, fewer_levels=fewer)


def describe_arrival(arrived: Arrived, asked: Asked) -> dict[str, Any]:
    """What the template of the receiver is filled with. Raises ReliefError where nothing can be read."""
    look = look_at(arrived, asked.settings, asked.relief)
    report = compare(arrived, asked.settings, asked.relief, look)
    rows, columns = look.meant_heights.shape
    reach = max(float(np.abs(look.meant_heights).max()), 1e-9) * 1.6
    return {
        "report": report,
        "faults": FAULTS,
        "known_fault": FAULTS.get(asked.fault),
        "asked": asked,
        "reliefs": list(arrived.contents["reliefs"]),
        "high": round(WIDE * rows / columns),
        "datum": DATUM,
        "meant": _line(look.meant_heights[rows // 2], reach),
        "came": _line(look.heights[rows // 2], reach),
        "cut": bool(np.abs(look.heights[rows // 2]).max() > reach),
    }


def _line(heights: np.ndarray, reach: float) -> str:
    """The points of an SVG polyline of heights in mm (texels,), `reach` mm up or down filling the drawing."""
    places = np.linspace(0, len(heights) - 1, POINTS).round().astype(int)
    out = np.clip(heights[places] / reach, -1, 1) * REACH
    return " ".join(f"{2 * number:d},{DATUM - height:.1f}" for number, height in enumerate(out))


def draw_received(arrived: Arrived, asked: Asked, which: str) -> np.ndarray:
    """The relief as it was `meant`, or as it `arrived`, lit: uint8 (rows, columns)."""
    return draw_look(look_at(arrived, asked.settings, asked.relief), which == "meant", asked.moves)

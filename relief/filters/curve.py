"""A tone curve: heights bent through stops.

Reference:
    F. N. Fritsch & J. Butland 1984, SIAM J. Sci. Stat. Comput. 5, for the smooth passage, which never overshoots
    (`scipy.interpolate.PchipInterpolator`).
"""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

import numpy as np
import scipy
from pydantic import field_validator

from relief.parameters import Parameters, choice, drawn_value

Stop = tuple[float, float]
Passage = Literal["straight", "smooth", "stepped"]
FINE = 4096
"""Places at which a smooth passage is computed; between them it is straight."""

DRAWN = 201
"""Evenly spread places at which a curve is drawn, beside its stops."""

NEAREST = 1e-4
"""Stops lie at least this far apart."""


def apply_stops(samples: np.ndarray, stops: tuple[Stop, ...], passage: Passage) -> np.ndarray:
    """Heights through a curve.

    Args:
        samples: float32 heights of any shape.
        stops: (height in, height out), in rising order; beyond the first and the last the curve goes on level.
        passage: straight lines, a smooth line without overshoot, or steps that hold until the next stop.

    Returns:
        float32 of the same shape.
    """
    places, values = np.array(stops, np.float64).T
    if passage == "stepped":
        return values.astype(np.float32)[np.maximum(np.searchsorted(places, samples, side="right") - 1, 0)]
    if passage == "smooth" and len(places) > 2:
        fine = np.linspace(places[0], places[-1], FINE)
        places, values = fine, scipy.interpolate.PchipInterpolator(places, values)(fine)
    return np.interp(samples, places, values).astype(np.float32)


class Curve(Parameters):
    """A curve through stops that are dragged on a graph."""

    passage: Passage = choice(
        "smooth", {"straight": "Straight", "smooth": "Smooth", "stepped": "Stepped"}, label="Interpolation",
        help="How heights run from one stop to the next. Stepped makes terraces.",
    )  # fmt: skip
    stops: tuple[Stop, ...] = drawn_value(
        ((0.0, 0.0), (1.0, 1.0)), shown="stops", label="Stops",
        help="Drag a stop; click the graph to add one, drag it out of the graph to remove it.",
        min_length=2, max_length=32,
    )  # fmt: skip

    @field_validator("stops")
    @classmethod
    def _in_order(cls, stops: tuple[Stop, ...]) -> tuple[Stop, ...]:
        stops = tuple(sorted(stops))
        if any(right[0] - left[0] < NEAREST for left, right in pairwise(stops)):
            raise ValueError("Two stops of the tone curve lie on the same height.")
        return stops

    @property
    def changes_nothing(self) -> bool:
        """Whether what lies from 0 to 1 goes through as it is."""
        return self.stops == ((0.0, 0.0), (1.0, 1.0)) and self.passage != "stepped"

    def line(self) -> tuple[np.ndarray, np.ndarray]:
        """Heights in from 0 to 1 and what each becomes, near enough to each other to be drawn as a line."""
        ends = np.array([stop[0] for stop in self.stops])
        # a step is drawn upright: just before its stop the height before still holds
        places = np.unique(np.clip(np.concatenate([np.linspace(0, 1, DRAWN), ends, ends - 1e-6]), 0, 1))
        return places, self.apply(places)

    def apply(self, samples: np.ndarray) -> np.ndarray:
        """Samples through the curve, which goes on level beyond its ends."""
        return apply_stops(samples, self.stops, self.passage)

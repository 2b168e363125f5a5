"""Tone curve: heights bent through stops."""

from __future__ import annotations

from itertools import pairwise
from typing import ClassVar, Literal

from relief.filters.curve import Curve
from relief.height import HeightField
from relief.treat.treatment import Family, Treatment


class ToneCurve(Curve, Treatment):
    """Bends the heights through stops that are dragged on a graph."""

    title: ClassVar[str] = "Tone curve"
    family: ClassVar[Family] = "tone"
    kind: Literal["tone_curve"] = "tone_curve"

    def treat(self, field: HeightField) -> HeightField:
        rises = [(b[1] - a[1]) / (b[0] - a[0]) for a, b in pairwise(self.stops)]
        return field.with_samples(self.apply(field.samples), max(map(abs, rises)))

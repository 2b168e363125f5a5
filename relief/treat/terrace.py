"""Terrace: heights gathered on a few levels."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment


def terrace(samples: np.ndarray, count: int, passage: float) -> np.ndarray:
    """Heights on `count` equal levels from 0 to 1.

    Args:
        samples: float32 heights of any shape.
        count: number of levels, at least 2.
        passage: part of the way between two levels that rises; 0 is a sheer step, 1 leaves the heights alone.
    """
    place = samples * np.float32(count - 1)
    level = np.floor(place)
    part = place - level
    if passage <= 0:
        risen = (part >= 0.5).astype(np.float32)
    else:
        risen = np.clip((part - 0.5) / np.float32(passage) + 0.5, 0, 1)
    return (level + risen) / np.float32(count - 1)


class Terrace(Treatment):
    """Gathers the heights on a few levels, with sheer or sloping steps between."""

    title: ClassVar[str] = "Terrace"
    family: ClassVar[Family] = "tone"
    kind: Literal["terrace"] = "terrace"
    count: int = number(
        5,
        2,
        64,
        label="Levels",
        step=1,
        slider=(2, 20),
        help="How many levels there are from the lowest to the highest.",
    )
    passage: float = number(
        0.2, 0, 1, label="Passage", step=0.01,
        help="How much of the way between two levels is slope. 0 is a sheer step, 1 changes nothing.",
    )  # fmt: skip

    def treat(self, field: HeightField) -> HeightField:
        return field.with_samples(terrace(field.samples, self.count, self.passage))

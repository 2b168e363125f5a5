"""Levels: black and white point and the gamma between them."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from relief.height import HeightField
from relief.parameters import number
from relief.treat.treatment import Family, Treatment

NARROWEST = 1e-4


def levels(samples: np.ndarray, black: float, white: float, gamma: float) -> np.ndarray:
    """Maps `black` to 0 and `white` to 1, cuts off what lies beyond, and bends what lies between.

    Args:
        samples: float32 heights of any shape.
        black: height that becomes 0.
        white: height that becomes 1; above `black`.
        gamma: the height between is raised to 1 / gamma; above 1 lifts the middle.

    Returns:
        float32 heights, 0 to 1.
    """
    spread = np.clip((samples - np.float32(black)) * np.float32(1 / (white - black)), 0, 1)
    return spread if gamma == 1 else spread ** np.float32(1 / gamma)


FARTHEST = 1e15
"""What samples of floats may reach."""


class Levels(Treatment):
    """Black point, white point and gamma."""

    title: ClassVar[str] = "Levels"
    family: ClassVar[Family] = "tone"
    kind: Literal["levels"] = "levels"
    black: float = number(
        0, -FARTHEST, FARTHEST, label="Black point", step=0.005, slider=(0, 1),
        help="Heights at or below this become the lowest.",
    )  # fmt: skip
    white: float = number(
        1, -FARTHEST, FARTHEST, label="White point", step=0.005, slider=(0, 1),
        help="Heights at or above this become the highest.",
    )  # fmt: skip
    gamma: float = number(
        1, 0.1, 10, label="Gamma", step=0.01, slider=(0.2, 5), logarithmic=True,
        help="Above 1 lifts the middle heights, below 1 lowers them; black and white stay.",
    )  # fmt: skip

    @model_validator(mode="after")
    def _check_order(self) -> Self:
        if self.white - self.black < NARROWEST:
            raise ValueError("The white point must lie above the black point.")
        return self

    def treat(self, field: HeightField) -> HeightField:
        stretch = 1 / (self.white - self.black)
        return field.with_samples(levels(field.samples, self.black, self.white, self.gamma), stretch)

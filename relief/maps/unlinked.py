"""A companion that is laid on the surface otherwise than the relief, on purpose."""

from __future__ import annotations

import math

import numpy as np
from pydantic import Field

from relief.figures import say_number
from relief.parameters import Parameters, Surroundings, number, switch


class Unlinked(Parameters):
    """How a companion lies on one repeat of the relief, once it does not follow the mapping any more.

    Attributes:
        role: the companion; `colour` for the colours of a photo too.
    """

    role: str = Field("colour", max_length=40)
    on: bool = switch(
        True, label="Unlinked",
        help="Uses the placement set here. Otherwise it follows the relief.",
    )  # fmt: skip
    across: float = number(
        2, 0.01, 100, label="Repeats across", step=0.5, slider=(0.25, 8),
        help="How often it repeats across one repeat of the relief.",
    )  # fmt: skip
    down: float = number(
        2, 0.01, 100, label="Repeats down", step=0.5, slider=(0.25, 8),
        help="How often it repeats down one repeat of the relief.",
    )  # fmt: skip
    shift_across: float = number(
        0, -100, 100, label="Shift across", step=0.01, slider=(-1, 1),
        help="Moves it to the right, in repeats of its own.",
    )  # fmt: skip
    shift_down: float = number(
        0, -100, 100, label="Shift down", step=0.01, slider=(-1, 1), help="Moves it down, in repeats of its own.",
    )  # fmt: skip
    turn: float = number(
        0, -360, 360, label="Rotation", unit="°", step=1, slider=(-180, 180),
        help="Rotates it counter-clockwise about the lower left corner of the relief.",
    )  # fmt: skip

    @property
    def heading(self) -> str:
        return f"{self.role.capitalize()}, unlinked"

    def unused(self, around: Surroundings) -> set[str]:
        return set() if self.on else set(type(self).model_fields) - {"on"}

    def matrix(self) -> np.ndarray:
        """Takes a place on the relief (u to the right, v up, 1; in its repeats) to one on the companion: (3, 3).

        It is turned, then scaled, then shifted, all about the lower left corner.
        """
        cosine, sine = math.cos(math.radians(self.turn)), math.sin(math.radians(self.turn))
        return np.array(
            [
                [self.across * cosine, self.across * sine, -self.shift_across],
                [-self.down * sine, self.down * cosine, self.shift_down],
                [0, 0, 1],
            ]
        )

    def say(self) -> str:
        """How it lies, in words."""
        words = f"{say_number(self.across, 6)} x {say_number(self.down, 6)} times on one repeat of the relief"
        if self.turn:
            words += f", rotated by {say_number(self.turn, 6)} degrees"
        if self.shift_across or self.shift_down:
            right, down = say_number(self.shift_across, 6), say_number(self.shift_down, 6)
            words += f", moved by {right} to the right and {down} down in repeats of its own"
        return words

"""What the maps beside normal, bump and displacement share: each is a file with a model and a function on arrays."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from relief.height import HeightField
from relief.parameters import Parameters, switch


class CompanionMap(Parameters):
    """Base of the grey maps that are made of the relief. A subclass has a `kind`, a title, its parameters and `draw`.

    Its docstring is what the bench says of it.
    """

    title: ClassVar[str]
    reads: ClassVar[str]
    """How the delivered file is to be read."""

    kind: str
    on: bool = switch(True, label="On", help="Whether the map is made and delivered.")
    inverted: bool = switch(False, label="Inverted", help="Turns light and dark around.")

    @classmethod
    def about(cls) -> str:
        """What it is, in a sentence."""
        return (cls.__doc__ or "").strip()

    def draw(self, field: HeightField, amplitude: float) -> np.ndarray:
        """The map, 0 to 1: float32 (rows, columns).

        Args:
            field: the finished height field.
            amplitude: mm that one unit of height stands for.
        """
        raise NotImplementedError

    def coded(self, field: HeightField, amplitude: float) -> np.ndarray:
        """The map as it is delivered: uint8 (rows, columns)."""
        grey = np.clip(self.draw(field, amplitude), 0, 1)
        return np.rint((1 - grey if self.inverted else grey) * 255).astype(np.uint8)

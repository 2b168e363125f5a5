"""What the maps beside normal, bump and displacement share: each is a file with a model and a function on arrays."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field

from relief.figures import BITS
from relief.filters.curve import Curve
from relief.filters.gaussian import soften_field
from relief.height import HeightField
from relief.parameters import choice, number, switch
from relief.progress import Progress

FINEST = 65_535
"""Steps from 0 to 1 that the tone curve tells apart, as many as 16 bits have."""

NOTHING: Mapping[str, np.ndarray] = {}


class CompanionMap(Curve):
    """Base of the maps that are made of the relief. A subclass has a `kind`, a title, its parameters and `draw`.

    Its docstring is what the bench says of it. What is drawn is then softened, taken through the tone curve, turned
    around and coded, in this order.
    """

    title: ClassVar[str]
    reads: ClassVar[str]
    """How the delivered file is to be read."""
    role: ClassVar[str] = ""
    """What it is in a material: `roughness`, `metalness` or `occlusion`, as glTF 2.0 defines them; empty for none."""
    slow: ClassVar[bool] = False
    """Whether it takes so long that it is better kept than drawn again."""

    kind: str
    name: str = Field("", max_length=60)
    """What the artist calls it; its title where it has no name."""
    on: bool = switch(True, label="On", help="Whether the map is made and delivered.")
    soften: float = number(
        0, 0, 100_000_000, label="Soften", unit="mm", step=0.1, slider=(0, 20), help="Blurs the finished map."
    )
    inverted: bool = switch(False, label="Inverted", help="Inverts the map: black becomes white.")
    bits: Literal[8, 16] = choice(
        8, BITS, label="Bits",
        help="8 bit is what most programs read; 16 bit keeps smooth passages free of bands.",
    )  # fmt: skip

    @classmethod
    def about(cls) -> str:
        """What it is, in a sentence."""
        return (cls.__doc__ or "").strip()

    @classmethod
    def start_for(cls, roles: Collection[str], layers: int) -> Self:
        """The map as it is begun in a piece with pictures of these roles beside its relief, and so many layers."""
        return cls.create()

    def following(self, order: Sequence[Any]) -> Self:
        """The map of a piece whose layers were put in another order: new ones, and those it had by their number."""
        return self

    @property
    def heading(self) -> str:
        return self.called

    @property
    def called(self) -> str:
        return self.name or self.title

    @property
    def channels(self) -> tuple[str, ...]:
        """The names of its channels where it has more than one."""
        return ()

    @property
    def beside(self) -> tuple[str, ...]:
        """What it is drawn from beside the relief, where the piece has it: `roughness`, `colour`, `seen:2`."""
        return ()

    def draw(self, field: HeightField, amplitude: float, beside: Mapping[str, np.ndarray] = NOTHING) -> np.ndarray:
        """The map, 0 to 1: float32 (rows, columns), or (rows, columns, 3).

        Args:
            field: the finished height field.
            amplitude: mm that one unit of height stands for.
            beside: what there is of `beside`, float32 0 to 1 on the grid of the field.
        """
        return self.draw_slowly(field, amplitude, Progress())

    def draw_slowly(self, field: HeightField, amplitude: float, progress: Progress) -> np.ndarray:
        """The same, of a map that is `slow`: it tells how far it is, and can be cancelled meanwhile."""
        raise NotImplementedError

    def encode(
        self,
        field: HeightField,
        amplitude: float,
        beside: Mapping[str, np.ndarray] = NOTHING,
        progress: Progress | None = None,
    ) -> np.ndarray:
        """The map as it is delivered, uint8 or uint16."""
        if self.slow and progress:
            drawn = self.draw_slowly(field, amplitude, progress)
        else:
            drawn = self.draw(field, amplitude, beside)
        levels = self._levels()
        out = np.empty(drawn.shape, levels.dtype)
        # one channel after the other: at full size each takes much room
        for part in np.ndindex(drawn.shape[2:]):
            channel = np.clip(drawn[(..., *part)], 0, 1)
            if self.soften:
                channel = soften_field(field.with_samples(channel), self.soften)
            out[(..., *part)] = levels[np.rint(channel * np.float32(FINEST)).astype(np.uint16)]
        return out

    def _levels(self) -> np.ndarray:
        """The level that each of 65 536 values from 0 to 1 becomes, through the curve and turned around."""
        values = np.linspace(0, 1, FINEST + 1)
        if not self.changes_nothing:
            values = np.clip(self.apply(values), 0, 1)
        levels = np.rint((1 - values if self.inverted else values) * (2**self.bits - 1))
        return levels.astype(np.uint8 if self.bits == 8 else np.uint16)

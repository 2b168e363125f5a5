"""Waves: straight waves with a round, pointed or stepped profile."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.figures import say_length
from relief.generate.generator import Family, Generator, Grid
from relief.generate.lattice import Lattice
from relief.height import Footprint
from relief.parameters import choice, number


class Waves(Generator):
    """Ripples, corrugations and ridges, in any direction that tiles."""

    title: ClassVar[str] = "Waves"
    family: ClassVar[Family] = "pattern"
    rest: ClassVar[float] = 0.5
    kind: Literal["waves"] = "waves"
    form: Literal["round", "pointed", "saw", "crest"] = choice(
        "round", {"round": "Round", "pointed": "Pointed", "saw": "Saw", "crest": "Sharp crests"}, label="Form",
        help="The profile of a wave.",
    )  # fmt: skip
    length: float = number(
        40, 0.1, 100_000_000, label="Length", unit="mm", step=0.5, slider=(2, 500), logarithmic=True,
        help="From crest to crest.",
    )  # fmt: skip
    turn: float = number(
        90, -180, 180, label="Direction", unit="°", step=1, slider=(-90, 90),
        help="0 runs across, 90 down; the nearest direction that tiles is used.",
    )  # fmt: skip
    bend: float = number(
        0,
        0,
        100_000_000,
        label="Bend",
        unit="mm",
        step=1,
        slider=(0, 100),
        help="How far the crests sway sideways.",
    )
    bends: int = number(2, 1, 64, label="Bends", step=1, slider=(1, 12), help="How many times they sway.")

    def _steps(self, footprint: Footprint) -> tuple[int, int]:
        """Waves across and down."""
        lattice = Lattice.over(footprint, self.length, self.length, self.turn)
        return lattice.a, lattice.b

    def nudges(self, footprint: Footprint) -> list[str]:
        across, down = self._steps(footprint)
        got = 1 / max(np.hypot(across / footprint.width, down / footprint.height), 1e-9)
        if abs(got - self.length) <= 1e-3 * self.length:
            return []
        return [f"The wave is {say_length(got, 4)} long instead of {say_length(self.length, 4)}, so that it tiles."]

    def draw(self, grid: Grid) -> np.ndarray:
        across, down = self._steps(grid.footprint)
        x, y = grid.across(), grid.down()
        phase = across * x + down * y
        if self.bend:
            along = np.sin(2 * np.pi * self.bends * (x if abs(down) >= abs(across) else y)).astype(np.float32)
            phase = phase + np.float32(self.bend / self.length) * along
        part = phase - np.floor(phase)
        match self.form:
            case "round":
                profile = 0.5 - 0.5 * np.cos(2 * np.pi * part)
            case "pointed":
                profile = 1 - np.abs(2 * part - 1)
            case "saw":
                fall = np.clip(2 * grid.texel / self.length, 1e-3, 0.5)
                profile = np.where(part < 1 - fall, part / (1 - fall), (1 - part) / fall)
            case _:
                profile = 1 - np.abs(np.sin(np.pi * part))
        return profile.astype(np.float32)

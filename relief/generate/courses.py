"""Courses: bricks in rows, in the usual bonds, with joints, chamfers, and some variation."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.generate.generator import Family, Generator, Grid, fit_count, from_middle, nudge, nudge_both, numbers, ramp
from relief.height import Footprint
from relief.parameters import choice, number

Bond = Literal["running", "stack", "third", "herringbone", "basket"]


class Courses(Generator):
    """Bricks and blocks in courses, with real joints."""

    title: ClassVar[str] = "Courses"
    family: ClassVar[Family] = "pattern"
    kind: Literal["courses"] = "courses"
    bond: Bond = choice(
        "running",
        {"running": "Running bond", "stack": "Stack bond", "third": "Third bond", "herringbone": "Herringbone",
         "basket": "Basket weave"},
        label="Bond", help="How the bricks of neighbouring courses lie. In herringbone and basket weave a brick is "
        "twice as long as it is high.",
    )  # fmt: skip
    length: float = number(
        220, 0.1, 100_000_000, label="Length", unit="mm", step=1, slider=(10, 1000), logarithmic=True,
        help="From joint to joint along the course.",
    )  # fmt: skip
    height: float = number(
        75, 0.1, 100_000_000, label="Height", unit="mm", step=1, slider=(5, 500), logarithmic=True,
        help="From joint to joint across the courses.",
    )  # fmt: skip
    joint: float = number(
        10, 0, 100_000_000, label="Joint", unit="mm", step=0.5, slider=(0, 40), help="Width of the joints."
    )
    chamfer: float = number(
        4, 0, 100_000_000, label="Chamfer", unit="mm", step=0.5, slider=(0, 30), help="How far the edges slope."
    )
    rise: float = number(0.1, 0, 1, label="Uneven", step=0.01, help="How much some bricks stand out beyond others.")
    tilt: float = number(0.05, 0, 1, label="Tilt", step=0.01, help="How much bricks lean to one side.")
    seed: int = number(
        1, 0, 999_999, label="Seed", step=1, slider=(0, 100), help="Random seed: another number lays other bricks."
    )

    def counts(self, footprint: Footprint) -> tuple[int, int]:
        """Bricks across and courses down."""
        width, height = footprint.sides
        if self.bond in ("herringbone", "basket"):
            # counted in squares, of which a brick is two long; four across and down until it repeats
            return 4 * fit_count(2 * self.length, width), 4 * fit_count(2 * self.length, height)
        across = fit_count(self.length, width)
        down = {"stack": fit_count(self.height, height), "running": fit_count(self.height, height, even=True)}
        return across, down.get(self.bond, 3 * fit_count(3 * self.height, height))

    def nudges(self, footprint: Footprint) -> list[str]:
        across, down = self.counts(footprint)
        if self.bond in ("herringbone", "basket"):
            return nudge_both("The brick", self.length, footprint, (across // 2, down // 2))
        return nudge("The brick", self.length, footprint.width, across) + nudge(
            "The course", self.height, footprint.height, down
        )

    def draw(self, grid: Grid) -> np.ndarray:
        inside, number_, along, across = self._bricks(grid)
        face = ramp(inside - self.joint / 2, self.chamfer, grid.texel)
        each = numbers(4099, self.seed)[number_ % 4099] - np.float32(0.5)
        lean = numbers(4099, self.seed + 1)[number_ % 4099] - np.float32(0.5)
        top = np.float32(1 - self.rise / 2 - self.tilt / 2) + self.rise * each + 2 * self.tilt * lean * (along + across)
        return (face * top).astype(np.float32)

    def _bricks(self, grid: Grid) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
        """For each texel: mm to the nearest joint's middle, the brick's number, and its place in it, -0.5 to 0.5."""
        across, down = self.counts(grid.footprint)
        x, y = grid.across() * across, grid.down() * down
        wide, high = grid.footprint.width / across, grid.footprint.height / down
        if self.bond in ("running", "stack", "third"):
            row = np.floor(y)
            shift = {"running": 0.5, "stack": 0.0, "third": 1 / 3}[self.bond]
            u = np.mod(x + row * np.float32(shift), across)
            inside = np.minimum((0.5 - from_middle(u)) * wide, (0.5 - from_middle(y)) * high)
            number_ = (row * 1009 + np.floor(u)).astype(np.int64)
            return inside, number_, u - np.floor(u) - 0.5, y - row - 0.5 + 0 * x
        column, row = np.floor(x) + 0 * y, np.floor(y) + 0 * x
        if self.bond == "basket":
            lies = np.mod(np.floor(x / 2) + np.floor(y / 2), 2) == 0
            u = np.where(lies, x / 2, y / 2)
            v = np.where(lies, y, x)
            lengths = np.where(lies, 2 * wide, 2 * high), np.where(lies, high, wide)
            number_ = (np.floor(v) * 1009 + np.floor(u) + 500_009 * lies).astype(np.int64)
        else:
            # squares along each diagonal go: first and second half of a lying brick, then of a standing one
            turn = np.mod(column - row, 4)
            lies = turn < 2
            begin_x = column - np.where(turn == 1, 1, 0)
            begin_y = row - np.where(turn == 2, 1, 0)
            u = np.where(lies, (x - begin_x) / 2, (y - begin_y) / 2)
            v = np.where(lies, y - row, x - column)
            lengths = np.where(lies, 2 * wide, 2 * high), np.where(lies, high, wide)
            first_x, first_y = np.mod(begin_x, across), np.mod(begin_y, down)
            number_ = (first_y * 1009 + first_x + 500_009 * lies).astype(np.int64)
        inside = np.minimum((0.5 - from_middle(u)) * lengths[0], (0.5 - from_middle(v)) * lengths[1])
        return inside, number_, u - np.floor(u) - 0.5, v - np.floor(v) - 0.5

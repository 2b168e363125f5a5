"""What the noises share: size, octaves, seed, stretch, turn and warp.

References:
    K. Perlin 2002, Improving noise, SIGGRAPH 2002 (quintic fade).
    F. K. Musgrave in D. S. Ebert et al., Texturing & Modeling (fractal sums, ridges, billows, domain warping).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import ClassVar, Literal

import numpy as np

from relief.cost import Cost
from relief.figures import say_length, say_number
from relief.generate.generator import Family, Generator, Grid
from relief.generate.kernels import add_gradient
from relief.generate.lattice import MOST_CELLS, Lattice, mix_bits
from relief.height import Footprint
from relief.parameters import Surroundings, choice, number
from relief.progress import Progress

Sum = Literal["fractal", "ridged", "billowed"]
MODES: dict[Sum, int] = {"fractal": 0, "ridged": 1, "billowed": 2}
NOTHING = np.zeros((0, 0), np.float32)
"""The warp of a noise that is not warped."""

MOST_WARP = 10_000
"""mm that a place is moved by at most, unless the relief is larger."""

WARP, OFFSETS = 100, 200
"""Streams of random numbers behind those of the octaves: for the two directions of the warp, and for offsets."""

FINEST = 2.0
"""Texels that a cell has to be wide to be drawn in full; narrower ones fade out, as an average over a texel would."""


IN_A_CELL = 7
"""What a cell of a lattice costs, in texels (measured)."""


class Noise(Generator):
    """Base of the noises."""

    family: ClassVar[Family] = "noise"
    rest: ClassVar[float] = 0.5
    size: float = number(
        60, 0.05, 100_000_000, label="Size", unit="mm", step=1, slider=(1, 600), logarithmic=True,
        help="Width of the largest shapes. The nearest size that tiles is used.",
    )  # fmt: skip
    octaves: int = number(
        4, 1, 10, label="Octaves", step=1, slider=(1, 8),
        help="How many finer octaves are added, each a step smaller than the one before.",
    )  # fmt: skip
    gain: float = number(
        0.5,
        0,
        1,
        label="Gain",
        step=0.01,
        help="Strength of each finer octave relative to the one before; more is rougher.",
    )
    lacunarity: float = number(
        2, 1.1, 4, label="Lacunarity", step=0.05, help="How much finer each octave is than the one before."
    )
    seed: int = number(
        1, 0, 999_999, label="Seed", step=1, slider=(0, 100), help="Random seed: another number gives another surface."
    )
    stretch_across: float = number(
        1, 0.05, 20, label="Stretch across", step=0.05, slider=(0.2, 5), logarithmic=True,
        help="Makes shapes wider than high.",
    )  # fmt: skip
    stretch_down: float = number(
        1, 0.05, 20, label="Stretch down", step=0.05, slider=(0.2, 5), logarithmic=True,
        help="Makes shapes higher than wide.",
    )  # fmt: skip
    turn: float = number(
        0, -180, 180, label="Rotation", unit="°", step=1, slider=(-90, 90),
        help="Rotates the noise to the nearest direction that still tiles.",
    )  # fmt: skip
    contrast: float = number(
        1, 0, 10, label="Contrast", step=0.05, slider=(0, 4), help="How far heights spread from the middle one."
    )
    warp: float = number(
        0, 0, 100_000_000, label="Warp", unit="mm", step=1, slider=(0, 200),
        help="How far the shapes are bent by a second noise.",
    )  # fmt: skip
    warp_size: float = number(
        120, 0.05, 100_000_000, label="Warp size", unit="mm", step=1, slider=(2, 600), logarithmic=True,
        help="How wide the bends are.",
    )  # fmt: skip

    def unused(self, around: Surroundings) -> set[str]:
        return ({"warp_size"} if self.warp == 0 else set()) | ({"gain", "lacunarity"} if self.octaves == 1 else set())

    def lattice(self, footprint: Footprint, octave: int = 0) -> Lattice:
        """The cells of one octave."""
        finer = self.lacunarity**octave
        width, height = self.size * self.stretch_across / finer, self.size * self.stretch_down / finer
        return Lattice.over(footprint, width, height, self.turn)

    def draw(self, grid: Grid) -> np.ndarray:
        return self.draw_slowly(grid, Progress())

    def draw_slowly(self, grid: Grid, progress: Progress) -> np.ndarray:
        """As `draw`, cancelled between octaves: a warp is looked at as a whole, so bands of rows would not meet."""
        raise NotImplementedError

    def bend(self, grid: Grid) -> tuple[np.ndarray, np.ndarray]:
        """How far each place is moved by the warp, as parts of width and height; nothing when there is none."""
        if self.warp == 0:
            return NOTHING, NOTHING
        lattice = Lattice.over(grid.footprint, self.warp_size, self.warp_size, 0)
        farthest = max(MOST_WARP, *grid.footprint.sides)  # beyond a repeat nothing new is met
        moved = []
        for part, side in enumerate(grid.footprint.sides):
            field = np.zeros((grid.rows, grid.columns), np.float32)
            add_octave(
                add_gradient, gradients, lattice, self.seed, WARP + part, grid, (NOTHING, NOTHING), 1.0, 0, field
            )
            by = field * np.float32(min(self.warp, farthest) / side)
            moved.append(by - np.rint(by))  # a whole repeat farther the same is met
        return moved[0], moved[1]

    def cost(self, grid: Grid) -> Cost:
        cells = 0
        for octave in range(self.octaves):
            lattice = self.lattice(grid.footprint, octave)
            if lattice.cells <= MOST_CELLS**2:
                reach = max(abs(lattice.a), abs(lattice.b), abs(lattice.c), abs(lattice.d)) if self.warp else 0
                _, _, wide, high = lattice.bounds(reach)
                cells += wide * high
        change = "Set “Size” larger, or “Octaves”, “Warp” or the stretch smaller."
        return Cost(cells * IN_A_CELL + self.octaves * grid.rows * grid.columns, change)

    def nudges(self, footprint: Footprint) -> list[str]:
        lattice = self.lattice(footprint)
        along = footprint.width / max(math.hypot(lattice.a, lattice.c), 1e-9)
        if self.turn == 0:
            high = footprint.height / max(math.hypot(lattice.b, lattice.d), 1e-9)
            sizes = (
                ("wide", along, self.size * self.stretch_across, lattice.a),
                ("high", high, self.size * self.stretch_down, lattice.d),
            )
            return [
                f"Shapes are {say_length(got, 4)} {way} instead of {say_length(wanted, 4)}, so that {count} fit."
                for way, got, wanted, count in sizes
                if abs(got - wanted) > 0.02 * wanted
            ]
        turned = math.degrees(math.atan2(-lattice.c * self.stretch_down, lattice.a * self.stretch_across))
        if self.turn and abs((turned - self.turn + 180) % 360 - 180) > 0.5:
            return [f"Rotated by {turned:.1f}° instead of {say_number(self.turn, 6)}°, so that it tiles."]
        return []


class SummedNoise(Noise):
    """Base of the noises whose octaves are added up."""

    sum: Sum = choice(
        "fractal", {"fractal": "Plain", "ridged": "Ridged", "billowed": "Billowed"}, label="Sum",
        help="Plain rolls up and down, ridged makes sharp crests, billowed makes round heaps.",
    )  # fmt: skip

    def sum_octaves(self, grid: Grid, add: Callable, table: Callable, progress: Progress) -> np.ndarray:
        """All octaves: 0.5 + contrast / 2 times their weighed mean, 0 to 1 at contrast 1: float32 (rows, columns)."""
        total = np.zeros((grid.rows, grid.columns), np.float32)
        bend = self.bend(grid)
        whole = 0.0
        for octave in range(self.octaves):
            progress.step(octave / self.octaves, self.title)
            weight = self.gain**octave
            whole += weight
            lattice, mode = self.lattice(grid.footprint, octave), MODES[self.sum]
            add_octave(add, table, lattice, self.seed, octave, grid, bend, weight, mode, total)
        return np.float32(0.5) + total * np.float32(0.5 * self.contrast / whole)


def offset_of(seed: int, octave: int) -> tuple[float, float]:
    """How far an octave is moved, in cells, so that its lattice does not lie on that of a coarser one.

    The first is not moved. Gradient noise is 0 on its lattice: at lacunarity 2 all octaves would be 0 on the coarsest
    one, where ridges would then always have their crests.
    """
    if octave == 0:
        return 0.0, 0.0
    u, v = mix_bits(np.zeros(1, np.int64), seed, 2, OFFSETS + octave)[0]
    return float(u), float(v)


def add_octave(
    add: Callable, table: Callable, lattice: Lattice, seed: int, octave: int, grid: Grid,
    bend: tuple[np.ndarray, np.ndarray], weight: float, mode: int, out: np.ndarray,
) -> None:  # fmt: skip
    """Adds one octave to `out`; one too fine for the texels is left out, one nearly so is weakened."""
    along = math.hypot(lattice.a / grid.columns, lattice.c / grid.columns)
    across = math.hypot(lattice.b / grid.rows, lattice.d / grid.rows)
    cells_a_texel = max(along, across)
    kept = float(np.clip((1 - cells_a_texel) / (1 - 1 / FINEST), 0, 1))
    if kept == 0 or lattice.cells > MOST_CELLS**2:
        return
    beyond = cells_beyond(lattice, bend)
    place = place_lattice(lattice, beyond, offset_of(seed, octave))
    add(table(lattice, seed, beyond, octave), *place, *bend, np.float32(weight * kept), mode, out)


def cells_beyond(lattice: Lattice, bend: tuple[np.ndarray, np.ndarray]) -> float:
    """Cells that a warp may lead beyond the tile."""
    if not bend[0].size:
        return 0.0
    reach = max(abs(lattice.a), abs(lattice.b), abs(lattice.c), abs(lattice.d))
    return 2 * reach * float(max(np.abs(bend[0]).max(), np.abs(bend[1]).max()))


def place_lattice(lattice: Lattice, beyond: float, offset: tuple[float, float]) -> tuple[tuple, float, float]:
    """The lattice as the loops take it: its matrix, and the u and v of the first cell of its table."""
    first_u, first_v, _, _ = lattice.bounds(beyond)
    matrix = (float(lattice.a), float(lattice.b), float(lattice.c), float(lattice.d))
    return matrix, first_u - offset[0], first_v - offset[1]


def gradients(lattice: Lattice, seed: int, beyond: float, octave: int) -> np.ndarray:
    """A unit vector for each lattice place."""
    angles = lattice.randoms(seed, 1, beyond, octave)[..., 0] * np.float32(2 * np.pi)
    return np.stack([np.cos(angles), np.sin(angles)], axis=-1)

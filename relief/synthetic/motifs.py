"""The relief of the supplier's surfaces: heights over a unit square that tile, the same at every resolution.

A motif gives the height, 0 to 1, and how much of the second colour each place has, 0 to 1.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from relief.filters.resample import resample
from relief.synthetic.drawing import smoothstep

WRAP = (True, True)
Motif = Callable[["Sheet"], tuple[np.ndarray, np.ndarray]]


@dataclass(frozen=True)
class Sheet:
    """The square that is drawn on."""

    size: int
    seed: int

    def grid(self) -> tuple[np.ndarray, np.ndarray]:
        """x to the right and y down at the texel centres, 0 to 1: float32 (1, size) and (size, 1)."""
        places = ((np.arange(self.size) + 0.5) / self.size).astype(np.float32)
        return places[None, :], places[:, None]

    def noise(self, across: int, down: int, seed: int = 0) -> np.ndarray:
        """Smooth noise about 0, at most 1, with this many lattice places."""
        lattice = np.random.default_rng((self.seed, seed, across, down)).random((down, across), np.float32) * 2 - 1
        return resample(lattice, self.size, self.size, "bicubic", WRAP)

    def rough(self, cells: int, octaves: int = 5, seed: int = 0) -> np.ndarray:
        """Noise of several octaves about 0, standard deviation near 0.3."""
        total = np.zeros((self.size, self.size), np.float32)
        for octave in range(octaves):
            total += self.noise(cells << octave, cells << octave, seed + octave) / 2**octave
        return total * 0.5


def of_each(numbers: np.ndarray, seed: int) -> np.ndarray:
    """A fixed random number, 0 to 1, for each whole number."""
    return np.random.default_rng(seed).random(4096, np.float32)[numbers % 4096]


def courses(rows: int, bricks: int, joint: float = 0.06, shift: float = 0.5, rise: float = 0.25) -> Motif:
    """Bricks in courses, every other course moved along."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        x, y = sheet.grid()
        row = np.floor(y * rows)
        along = (x * bricks + row * shift) % bricks
        inside_x = np.abs(along % 1 - 0.5) * 2
        inside_y = np.abs(y * rows % 1 - 0.5) * 2
        ratio = rows / bricks  # bricks are wider than high: the joint has one width all round
        edge = np.minimum((1 - inside_x) * ratio, (1 - inside_y) + 0 * x)
        wobble = sheet.noise(24, 24, 1) * 0.02
        face = smoothstep(joint, joint + 0.10, edge + wobble)
        number = (row * 97 + np.floor(along)).astype(int)
        each = of_each(number, sheet.seed)
        tilt = (of_each(number, sheet.seed + 1) - 0.5) * (along % 1 - 0.5)
        height = face * (0.62 + rise * (each - 0.5) + 0.12 * tilt) + 0.10 * sheet.rough(16, 5, 2) * face
        return height + 0.05 * sheet.rough(48, 3, 9), each * face

    return draw


def tiles(count: int, joint: float = 0.05, dome: float = 0.10) -> Motif:
    """Square tiles with grout, slightly domed."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        x, y = sheet.grid()
        dx, dy = np.abs(x * count % 1 - 0.5) * 2, np.abs(y * count % 1 - 0.5) * 2
        edge = 1 - np.maximum(dx, dy)
        face = smoothstep(joint, joint + 0.07, edge)
        number = (np.floor(y * count) * count + np.floor(x * count)).astype(int)
        each = of_each(number, sheet.seed)
        swell = (1 - dx**2) * (1 - dy**2)
        return face * (0.6 + dome * swell + 0.08 * (each - 0.5)) + 0.03 * sheet.rough(20, 4), each * face

    return draw


def cells(count: int, joint: float = 0.10, domed: float = 1.0, flat: float = 0.0) -> Motif:
    """Stones round scattered points: domed as pebbles, or flat as flags."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        x, y = sheet.grid()
        x = x * count + 0.15 * sheet.noise(count * 2, count * 2, 5)
        y = y * count + 0.15 * sheet.noise(count * 2, count * 2, 6)
        rng = np.random.default_rng(sheet.seed)
        jitter = (0.5 + 0.76 * (rng.random((count, count, 2), np.float32) - 0.5)).astype(np.float32)
        column, row = np.floor(x).astype(np.int16), np.floor(y).astype(np.int16)
        nearest = np.full((sheet.size, sheet.size), 9, np.float32)
        second, owner = nearest.copy(), np.zeros(nearest.shape, np.int32)
        for down in (-1, 0, 1):
            for across in (-1, 0, 1):
                cell_column, cell_row = (column + across) % count, (row + down) % count
                point = jitter[cell_row, cell_column]
                far = np.hypot(column + across + point[..., 0] - x, row + down + point[..., 1] - y)
                closer = far < nearest
                second = np.where(closer, nearest, np.minimum(second, far))
                owner = np.where(closer, cell_row * count + cell_column, owner)
                nearest = np.minimum(nearest, far)
        edge = second - nearest
        face = smoothstep(joint, joint + 0.12 + 0.5 * domed, edge)
        each = of_each(owner, sheet.seed + 3)
        top = 0.55 + 0.25 * domed * np.sqrt(np.clip(1 - nearest, 0, 1)) + (0.2 + flat) * (each - 0.5)
        return face * top + 0.06 * sheet.rough(24, 4), each * (face > 0.2)

    return draw


def hexagons(count: int, joint: float = 0.06) -> Motif:
    """Hexagonal tiles: `count` across, as many rows as keep them nearly regular."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        x, y = sheet.grid()
        rows = max(2, 2 * round(count / np.sqrt(3)))
        found = np.full((sheet.size, sheet.size), -9, np.float32)
        number = np.zeros(found.shape, np.int32)
        for odd in (0, 1):
            u = (x * count + odd / 2) % count
            v = (y * rows + odd) / 2 % (rows / 2)
            dx, dy = np.abs(u % 1 - 0.5), np.abs(v % 1 - 0.5) * 2 * 0.8660254
            inside = 0.5 - np.maximum(dx, dx * 0.5 + dy * 0.8660254)
            here = inside > found
            found = np.where(here, inside, found)
            number = np.where(here, (np.floor(v) * 211 + np.floor(u) + odd * 2048).astype(int), number)
        face = smoothstep(joint * 0.5, joint * 0.5 + 0.05, found)
        each = of_each(number, sheet.seed)
        return face * (0.62 + 0.10 * (each - 0.5) + 0.10 * found) + 0.03 * sheet.rough(20, 4), each * face

    return draw


def planks(count: int, long: int = 2) -> Motif:
    """Boards with grain along them and a few knots."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        x, y = sheet.grid()
        board = np.floor(x * count)
        each = of_each(board.astype(int), sheet.seed) + 0 * y
        along = (y + each) % 1
        edge = np.minimum((0.5 - np.abs(x * count % 1 - 0.5)) * 2, np.minimum(along, 1 - along) * long * 9)
        face = smoothstep(0.03, 0.12, edge)
        warped = x * count * 9 + 1.3 * sheet.noise(count * 2, 3, 2) + 0.3 * sheet.noise(count * 4, 12, 3)
        grain = np.abs(np.sin(np.pi * warped)) ** 1.6
        return face * (0.6 + 0.18 * (each - 0.5) + 0.14 * grain) + 0.04 * sheet.noise(256, 16, 4), grain * face

    return draw


def weave(count: int, gap: float = 0.16) -> Motif:
    """Bands over and under each other."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        x, y = sheet.grid()
        u, v = x * count, y * count
        over = np.cos(np.pi * np.floor(u)) * np.cos(np.pi * np.floor(v))
        round_x, round_y = np.abs(u % 1 - 0.5) * 2, np.abs(v % 1 - 0.5) * 2
        warp = np.sqrt(np.clip(1 - (round_x / (1 - gap)) ** 2, 0, 1)) * (
            0.5 + 0.42 * over * np.cos(np.pi * (v % 1 - 0.5))
        )
        weft = np.sqrt(np.clip(1 - (round_y / (1 - gap)) ** 2, 0, 1)) * (
            0.5 - 0.42 * over * np.cos(np.pi * (u % 1 - 0.5))
        )
        strands = 0.03 * np.sin(2 * np.pi * (np.where(warp > weft, u, v) * 6))
        height = np.maximum(warp, weft)
        return height + strands * (height > 0.1) + 0.02 * sheet.rough(40, 3), (warp > weft) * np.float32(1)

    return draw


def plaster(cells_: int, ridged: float = 0.0) -> Motif:
    """Trowelled or rough-cast ground."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        ground = sheet.rough(cells_, 6)
        ridges = 1 - np.abs(sheet.rough(cells_ * 2, 4, 20)) * 2
        grit = smoothstep(0.35, 0.75, sheet.noise(220, 220, 30))
        return 0.5 + (1 - ridged) * 0.5 * ground + ridged * 0.4 * ridges + 0.08 * grit, np.clip(0.5 + ground, 0, 1)

    return draw


def ripples(count: int, sharp: float = 0.5) -> Motif:
    """Waves of sand, bent by the wind."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        _, y = sheet.grid()
        phase = y * count + 0.55 * sheet.noise(3, 3, 1) + 0.18 * sheet.noise(9, 9, 2)
        part = phase % 1
        crest = np.where(part < 0.68, part / 0.68, (1 - part) / 0.32)
        wave = (1 - sharp) * (0.5 - 0.5 * np.cos(2 * np.pi * part)) + sharp * crest**1.2
        return 0.2 + 0.6 * wave + 0.03 * sheet.noise(380, 380, 3), wave

    return draw


def corrugate(count: int) -> Motif:
    """A sheet pressed into waves, with rows of rivets."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        x, y = sheet.grid()
        wave = 0.5 + 0.5 * np.cos(2 * np.pi * count * x)
        rivet_x, rivet_y = (x * count + 0.5) % 1 - 0.5, ((y * 4) % 1 - 0.5) * count / 4
        rivets = np.sqrt(np.clip(1 - (rivet_x**2 + rivet_y**2) / 0.018, 0, 1))
        rust = np.clip(0.4 + sheet.rough(5, 6), 0, 1)
        return 0.15 + 0.6 * wave + 0.14 * rivets + 0.04 * rust * sheet.rough(60, 3, 9), rust + 0 * wave

    return draw


def scales(count: int) -> Motif:
    """Rounded shingles, each row over the one below."""

    def draw(sheet: Sheet) -> tuple[np.ndarray, np.ndarray]:
        x, y = sheet.grid()
        rows = count * 2 + count * 2 % 2
        height, tone = np.zeros((sheet.size, sheet.size), np.float32), np.zeros((sheet.size, sheet.size), np.float32)
        for over in (0, 1, 2):  # what hangs down from the rows above lies on top
            row = np.floor(y * rows) - over
            dx = ((x * count + 0.5 * (row % 2)) % 1 - 0.5) * 2
            dy = y * rows - row
            inside = (dy < 1) | (dx**2 + ((dy - 1) / 1.15) ** 2 < 1)
            number = ((row % rows) * 131 + np.floor(x * count + 0.5 * (row % 2)) % count).astype(int)
            each = of_each(number, sheet.seed)
            slab = 0.25 + 0.26 * dy + 0.10 * (1 - dx**2) + 0.10 * (each - 0.5)
            height, tone = np.where(inside, slab, height), np.where(inside, each, tone)
        return height + 0.03 * sheet.rough(30, 4), tone

    return draw

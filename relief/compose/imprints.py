"""Imprints: a small relief pressed in at chosen places, scattered, or along a line."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, ClassVar, Literal

import numpy as np

from relief.content import Content
from relief.filters.resample import resample_by_area
from relief.filters.warp import BEYOND, cubic_at
from relief.generate import GENERATORS
from relief.generate.generator import Grid
from relief.height import Edges, Footprint, HeightField
from relief.kernels import kernel, prange
from relief.parameters import Surroundings, choice, drawn_value, number
from relief.treat.edge_fade import cover

SHAPES = {"picture": "The picture", "rosette": "Rosette", "rings": "Rings", "pyramids": "Pyramid", "dome": "Dome"}
STAMP = 256
"""Texels on a side of a shape that is drawn."""

FRAME = 2
"""Texels around a stamp in which it has run out."""

FINER = 1.2
"""Stamps are averaged in steps of this factor, so that imprints of nearly one size share one."""

TRIES = 40
"""Throws for each imprint of a scatter before the rest is left out."""

Place = tuple[float, float]


class Imprints(Content):
    """A small relief pressed in at many places; across the tile's edge it comes in again on the other side."""

    title: ClassVar[str] = "Imprints"
    needs_ground: ClassVar[bool] = True
    tools: ClassVar[tuple[str, ...]] = ("places", "line")
    kind: Literal["imprints"] = "imprints"
    shape: Literal["picture", "rosette", "rings", "pyramids", "dome"] = choice(
        "dome", SHAPES, label="Shape", help="What is pressed in."
    )
    source: str = choice("", {"": "None"}, label="Picture", help="The picture that is pressed in; its alpha is kept.")
    size: float = number(
        40,
        0.1,
        100_000_000,
        label="Size",
        unit="mm",
        step=1,
        slider=(2, 400),
        logarithmic=True,
        help="Width of an imprint.",
    )
    fade: float = number(
        2, 0, 100_000_000, label="Edge fade", unit="mm", step=0.5, slider=(0, 60),
        help="How gently an imprint runs out at its edge, so that no square plateau stays.",
    )  # fmt: skip
    places: tuple[Place, ...] = drawn_value(
        (), shown="places", label="Places", help="Click on the stage to press one in.", max_length=2000
    )
    count: int = number(0, 0, 2000, label="Scattered", step=1, slider=(0, 200), help="How many are scattered.")
    spacing: float = number(
        50,
        0,
        100_000_000,
        label="Apart",
        unit="mm",
        step=1,
        slider=(0, 400),
        help="Scattered ones lie at least this far apart.",
    )
    line: tuple[Place, ...] = drawn_value(
        (), shown="line", label="Line", help="Draw a line on the stage to set them along it.", max_length=500
    )
    along: float = number(
        60, 0.1, 100_000_000, label="Along the line", unit="mm", step=1, slider=(5, 400), logarithmic=True,
        help="From one imprint to the next on the line.",
    )  # fmt: skip
    angle: float = number(0, -180, 180, label="Turn", unit="°", step=5, help="How far all imprints are turned.")
    turn: float = number(
        0, 0, 180, label="Turn, jitter", unit="°", step=5, help="How far imprints are turned at random."
    )
    vary: float = number(0, 0, 0.9, label="Size, jitter", step=0.01, help="How much their sizes differ.")
    seed: int = number(1, 0, 999_999, label="Seed", step=1, slider=(0, 100), help="Another number, other places.")

    def unused(self, around: Surroundings) -> set[str]:
        return set() if self.shape == "picture" else {"source"}


INK = 0.08
"""Part of a picture's range by which its border may vary before it is called inked."""


def touches_edge(picture: HeightField) -> bool:
    """Whether something is drawn up to the edge of a picture, so that it would be cut off in a straight line."""
    seen = picture.samples if picture.alpha is None else picture.alpha
    border = np.concatenate([seen[0], seen[-1], seen[:, 0], seen[:, -1]])
    return bool(np.ptp(border) > INK * max(float(np.ptp(seen)), 1e-9))


@dataclass(frozen=True)
class Press:
    """One imprint: its middle as parts of the footprint, its turn in radians, and its size beside the others."""

    x: float
    y: float
    turn: float
    size: float


def places_of_presses(imprints: Imprints, footprint: Footprint, wraps: tuple[bool, bool]) -> list[Press]:
    """All imprints of a set, fixed by its seed."""
    places = [*imprints.places, *_on_line(imprints.line, imprints.along, footprint)]
    places += scatter_places(imprints.count, imprints.spacing, footprint, wraps, imprints.seed)
    rng = np.random.default_rng(imprints.seed + 77)
    jitter = rng.uniform(-1, 1, (len(places), 2))
    return [
        Press(x, y, math.radians(imprints.angle + imprints.turn * turn), 1 + imprints.vary * size)
        for (x, y), (turn, size) in zip(places, jitter, strict=True)
    ]


def scatter_places(
    count: int, spacing: float, footprint: Footprint, wraps: tuple[bool, bool], seed: int
) -> list[Place]:
    """Places at least `spacing` mm apart, over edges that wrap too (Poisson-disc by dart throwing); fewer when full."""
    rng = np.random.default_rng(seed)
    sides = np.array(footprint.sides)
    kept = np.zeros((count, 2))
    found = 0
    for place in rng.random((count * TRIES, 2)):
        if found == count:
            break
        apart = np.abs(kept[:found] - place)
        apart = np.where(wraps, np.minimum(apart, 1 - apart), apart) * sides
        if not found or np.hypot(*apart.T).min() >= spacing:
            kept[found] = place
            found += 1
    return [(float(x), float(y)) for x, y in kept[:found]]


def _on_line(line: tuple[Place, ...], step: float, footprint: Footprint) -> list[Place]:
    """Places along a line, `step` mm apart."""
    if not line:
        return []
    points = np.array(line) * footprint.sides
    lengths = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))]) if len(points) > 1 else [0]
    stops = np.arange(0, lengths[-1] + 1e-9, step)
    across, down = (np.interp(stops, lengths, points[:, axis]) / footprint.sides[axis] for axis in (0, 1))
    return [(float(x), float(y)) for x, y in zip(across, down, strict=True)]


def stamp(imprints: Imprints, picture: HeightField | None) -> HeightField:
    """The small relief and, as its alpha, where it is: a picture's own, faded out towards the edge."""
    if imprints.shape == "picture" and picture is not None:
        rows, columns = picture.samples.shape
        size = Footprint().resize(imprints.size, imprints.size * rows / columns)
        field = HeightField(picture.samples, size, Edges(), picture.alpha)
    else:
        size = Footprint().resize(imprints.size, imprints.size)
        field = HeightField(_draw_shape(imprints.shape), size, Edges())
    alpha = field.alpha if field.alpha is not None else np.ones_like(field.samples)
    if imprints.fade > 0:
        alpha = alpha * cover(field, imprints.fade, 0, 1, 0)
    return HeightField(field.samples, size, Edges(), alpha.astype(np.float32))


def _draw_shape(shape: str) -> np.ndarray:
    """A shape alone: float32 (STAMP, STAMP), 0 to 1."""
    if shape in GENERATORS:
        generator: Any = GENERATORS[shape].create()
        return generator.draw(Grid(STAMP, STAMP, Footprint().resize(generator.width, generator.width)))
    place = (np.arange(STAMP, dtype=np.float32) + 0.5) / STAMP * 2 - 1
    return np.sqrt(np.clip(1 - place[None, :] ** 2 - place[:, None] ** 2, 0, 1))


def press_stamp(
    small: HeightField, places: list[Press], grid: Grid, wraps: tuple[bool, bool], companion: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """A small relief pressed in at many places; where imprints meet the taller is seen.

    Args:
        small: the relief of one imprint, with its alpha.
        places: where.
        grid: what it is pressed into.
        wraps: whether an imprint over the edge comes in again on the other side (across, down), as often as it must.
        companion: (rows, columns, channels) of one imprint, to be set at the same places in place of its heights.

    Returns:
        Heights (or companions) and cover: float32 (rows, columns[, channels]) and (rows, columns).
    """
    channels = () if companion is None else companion.shape[2:]
    values = np.zeros((grid.rows, grid.columns, *channels), np.float32)
    tallest = np.full((grid.rows, grid.columns), -np.inf, np.float32)
    covered = np.zeros((grid.rows, grid.columns), np.float32)
    flat = values.reshape(grid.rows, grid.columns, -1)
    stamps = _Stamps(small, companion)
    for place in places:
        stamp, matrix = stamps.at(place, grid)
        for rows in _spans(place, 1, small, grid, wraps[1]):
            for columns in _spans(place, 0, small, grid, wraps[0]):
                begin, end = (rows.start, columns.start), (rows.stop, columns.stop)
                _press(stamp, stamps.channels, matrix, *begin, *end, tallest, covered, flat)
    return values, covered


@kernel
def _press(stamp, channels, matrix, top, left, bottom, right, tallest, covered, values):
    """Channel 0 of a stamp are its heights, 1 is where it is, the others are companions to be set in their place."""
    rows, columns = tallest.shape
    last_row, last_column = stamp.shape[0] - 2 * BEYOND - 1, stamp.shape[1] // channels - 2 * BEYOND - 1
    for row in prange(top, bottom):
        here = row % rows
        for column in range(left, right):
            x = matrix[0, 0] * column + matrix[0, 1] * row + matrix[0, 2]
            y = matrix[1, 0] * column + matrix[1, 1] * row + matrix[1, 2]
            if 0 <= x < last_column and 0 <= y < last_row:
                alpha = min(cubic_at(stamp, channels, 1, x, y), np.float32(1))
                if alpha > 0:
                    place = column % columns
                    height = cubic_at(stamp, channels, 0, x, y)
                    covered[here, place] = max(covered[here, place], alpha)
                    # a thin rim of one imprint does not hide the next
                    if height * alpha > tallest[here, place]:
                        tallest[here, place] = height * alpha
                        if channels == 2:
                            values[here, place, 0] = height
                        for channel in range(2, channels):
                            values[here, place, channel - 2] = cubic_at(stamp, channels, channel, x, y)


def _spans(place: Press, axis: int, small: HeightField, grid: Grid, wraps: bool) -> list[range]:
    """The texels along one side (0 across, 1 down) that an imprint reaches, parted where it goes over the edge."""
    half = 0.5 * place.size * math.hypot(*small.footprint.sides)
    middle = (place.x, place.y)[axis] * grid.footprint.sides[axis]
    count, step = (grid.columns, grid.rows)[axis], grid.spacing[axis]
    first, last = math.floor((middle - half) / step), math.ceil((middle + half) / step) + 1
    if not wraps:
        first, last = max(first, 0), min(last, count)
        return [range(first, last)] if last > first else []
    tiles = range(first // count, (last - 1) // count + 1)
    return [range(max(first, tile * count), min(last, (tile + 1) * count)) for tile in tiles]


class _Stamps:
    """One imprint's heights, alpha and companions, averaged beforehand where many of its texels fall into one."""

    def __init__(self, small: HeightField, companion: np.ndarray | None) -> None:
        self.small = small
        alpha = np.ones_like(small.samples) if small.alpha is None else small.alpha
        parts = [small.samples[..., None], alpha[..., None]] + ([] if companion is None else [companion])
        self.whole = np.concatenate(parts, axis=2).astype(np.float32)
        self.channels = self.whole.shape[2]
        self._kept: dict[tuple[int, int], np.ndarray] = {}

    def at(self, place: Press, grid: Grid) -> tuple[np.ndarray, np.ndarray]:
        """A framed stamp, its channels side by side, and the affine map (3, 3) from texels of the grid to its own."""
        width, height = grid.spacing
        own_width, own_height = (side * place.size for side in self.small.footprint.sides)
        rows, columns = self.whole.shape[:2]
        few = _coarsen_count(rows, height * rows / own_height), _coarsen_count(columns, width * columns / own_width)
        if few not in self._kept:
            self._kept[few] = _frame_stamp(resample_by_area(self.whole, *few))
        # from a texel to mm from the imprint's middle, turned back upright, to one of its own texels
        cosine, sine = math.cos(place.turn), math.sin(place.turn)
        to_mm = np.array([
            [width, 0, 0.5 * width - place.x * grid.footprint.width],
            [0, height, 0.5 * height - place.y * grid.footprint.height],
            [0, 0, 1],
        ])  # fmt: skip
        upright = np.array([[cosine, -sine, 0], [sine, cosine, 0], [0, 0, 1]])
        to_texels = np.array([
            [few[1] / own_width, 0, few[1] / 2 - 0.5 + FRAME],
            [0, few[0] / own_height, few[0] / 2 - 0.5 + FRAME],
            [0, 0, 1],
        ])  # fmt: skip
        return self._kept[few], to_texels @ upright @ to_mm


def _coarsen_count(count: int, shrink: float) -> int:
    """How many texels of `count` are left when so many fall into one; the same number for nearly the same size."""
    if shrink <= FINER:
        return count
    return max(1, math.ceil(count / FINER ** math.floor(math.log(shrink, FINER))))


def _frame_stamp(stamp: np.ndarray) -> np.ndarray:
    """A stamp with its channels side by side, and a frame around it in which it goes on and its alpha is 0."""
    around = FRAME + BEYOND
    framed = np.pad(stamp, ((around, around), (around, around), (0, 0)), mode="edge")
    inside = np.zeros(framed.shape[:2], bool)
    inside[around:-around, around:-around] = True
    framed[~inside, 1] = 0
    return np.ascontiguousarray(framed).reshape(len(framed), -1)

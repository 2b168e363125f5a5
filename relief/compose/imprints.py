"""Imprints: a small relief pressed in at chosen places, scattered, or along a line."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import ClassVar, Literal

import cv2
import numpy as np

from relief.generate import GENERATORS
from relief.generate.generator import Grid
from relief.height import Edges, Footprint, HeightField
from relief.parameters import Parameters, choice, drawn, number
from relief.treat.edge_fade import cover

SHAPES = {"picture": "The picture", "rosette": "Rosette", "rings": "Rings", "pyramids": "Pyramid", "dome": "Dome"}
STAMP = 256
"""Texels on a side of a shape that is drawn."""

TRIES = 40
"""Throws for each imprint of a scatter before the rest is left out."""

Place = tuple[float, float]


class Imprints(Parameters):
    """A small relief pressed in at many places; across the tile's edge it comes in again on the other side."""

    title: ClassVar[str] = "Imprints"
    rest: ClassVar[float] = 0.0
    kind: Literal["imprints"] = "imprints"
    shape: Literal["picture", "rosette", "rings", "pyramids", "dome"] = choice(
        "dome", SHAPES, label="Shape", help="What is pressed in."
    )
    source: str = choice("", {"": "None"}, label="Picture", help="The picture that is pressed in; its alpha is kept.")
    size: float = number(
        40,
        0.1,
        100_000,
        label="Size",
        unit="mm",
        step=1,
        slider=(2, 400),
        logarithmic=True,
        help="Width of an imprint.",
    )
    fade: float = number(
        2, 0, 10_000, label="Edge fade", unit="mm", step=0.5, slider=(0, 60),
        help="How gently an imprint runs out at its edge, so that no square plateau stays.",
    )  # fmt: skip
    places: tuple[Place, ...] = drawn((), label="Places", help="Click on the stage to press one in.", max_length=2000)
    count: int = number(0, 0, 2000, label="Scattered", step=1, slider=(0, 200), help="How many are scattered.")
    spacing: float = number(
        50,
        0,
        100_000,
        label="Apart",
        unit="mm",
        step=1,
        slider=(0, 400),
        help="Scattered ones lie at least this far apart.",
    )
    line: tuple[Place, ...] = drawn(
        (), label="Line", help="Draw a line on the stage to set them along it.", max_length=500
    )
    along: float = number(
        60, 0.1, 100_000, label="Along the line", unit="mm", step=1, slider=(5, 400), logarithmic=True,
        help="From one imprint to the next on the line.",
    )  # fmt: skip
    angle: float = number(0, -180, 180, label="Turn", unit="°", step=5, help="How far all imprints are turned.")
    turn: float = number(
        0, 0, 180, label="Turn, jitter", unit="°", step=5, help="How far imprints are turned at random."
    )
    vary: float = number(0, 0, 0.9, label="Size, jitter", step=0.01, help="How much their sizes differ.")
    seed: int = number(1, 0, 999_999, label="Seed", step=1, slider=(0, 100), help="Another number, other places.")


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


def presses(imprints: Imprints, footprint: Footprint, wraps: tuple[bool, bool]) -> list[Press]:
    """All imprints of a set, fixed by its seed."""
    places = [*imprints.places, *_on_line(imprints.line, imprints.along, footprint)]
    places += scattered(imprints.count, imprints.spacing, footprint, wraps, imprints.seed)
    rng = np.random.default_rng(imprints.seed + 77)
    jitter = rng.uniform(-1, 1, (len(places), 2))
    return [
        Press(x, y, math.radians(imprints.angle + imprints.turn * turn), 1 + imprints.vary * size)
        for (x, y), (turn, size) in zip(places, jitter, strict=True)
    ]


def scattered(count: int, spacing: float, footprint: Footprint, wraps: tuple[bool, bool], seed: int) -> list[Place]:
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
        size = Footprint().resized(imprints.size, imprints.size * rows / columns)
        field = HeightField(picture.samples, size, Edges(), picture.alpha)
    else:
        size = Footprint().resized(imprints.size, imprints.size)
        field = HeightField(_drawn(imprints.shape), size, Edges())
    alpha = field.alpha if field.alpha is not None else np.ones_like(field.samples)
    if imprints.fade > 0:
        alpha = alpha * cover(field, imprints.fade, 0, 1, 0)
    return HeightField(field.samples, size, Edges(), alpha.astype(np.float32))


def _drawn(shape: str) -> np.ndarray:
    """A shape alone: float32 (STAMP, STAMP), 0 to 1."""
    if shape in GENERATORS:
        generator = GENERATORS[shape]()
        return generator.draw(Grid(STAMP, STAMP, Footprint().resized(generator.width, generator.width)))
    place = (np.arange(STAMP, dtype=np.float32) + 0.5) / STAMP * 2 - 1
    return np.sqrt(np.clip(1 - place[None, :] ** 2 - place[:, None] ** 2, 0, 1))


def pressed(
    small: HeightField, places: list[Press], grid: Grid, wraps: tuple[bool, bool], companion: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """A small relief pressed in at many places; where imprints meet the taller is seen.

    Args:
        small: the relief of one imprint, with its alpha.
        places: where.
        grid: what it is pressed into.
        wraps: whether an imprint over the edge comes in again on the other side (across, down).
        companion: (rows, columns, channels) of one imprint, to be set at the same places in place of its heights.

    Returns:
        Heights (or companions) and cover: float32 (rows, columns[, channels]) and (rows, columns).
    """
    channels = () if companion is None else companion.shape[2:]
    heights = np.zeros((grid.rows, grid.columns, *channels), np.float32)
    tallest = np.full((grid.rows, grid.columns), -np.inf, np.float32)
    covered = np.zeros((grid.rows, grid.columns), np.float32)
    width, height = grid.spacing
    for place in places:
        half = 0.5 * place.size * math.hypot(*small.footprint.sides)
        middle_x, middle_y = place.x * grid.footprint.width, place.y * grid.footprint.height
        columns = np.arange(math.floor((middle_x - half) / width), math.ceil((middle_x + half) / width) + 1)
        rows = np.arange(math.floor((middle_y - half) / height), math.ceil((middle_y + half) / height) + 1)
        columns = columns[: grid.columns] if wraps[0] else columns[(columns >= 0) & (columns < grid.columns)]
        rows = rows[: grid.rows] if wraps[1] else rows[(rows >= 0) & (rows < grid.rows)]
        if not len(columns) or not len(rows):
            continue
        # from a texel of the window to one of the small relief
        scale_x = small.samples.shape[1] / small.footprint.width / place.size
        scale_y = small.samples.shape[0] / small.footprint.height / place.size
        cosine, sine = math.cos(place.turn), math.sin(place.turn)
        x = ((columns + 0.5) * width - middle_x)[None, :]
        y = ((rows + 0.5) * height - middle_y)[:, None]
        map_x = ((cosine * x + sine * y) * scale_x + small.samples.shape[1] / 2 - 0.5).astype(np.float32)
        map_y = ((cosine * y - sine * x) * scale_y + small.samples.shape[0] / 2 - 0.5).astype(np.float32)
        shrink = max(width * scale_x, height * scale_y)
        heights_here = _sampled(small.samples, map_x, map_y, shrink, cv2.BORDER_REPLICATE)
        alpha = _sampled(small.alpha, map_x, map_y, shrink, cv2.BORDER_CONSTANT)
        window = np.ix_(rows % grid.rows, columns % grid.columns)
        # a thin rim of one imprint does not hide the next
        wins = (alpha > 0) & (heights_here * alpha > tallest[window])
        value = heights_here if companion is None else _sampled(companion, map_x, map_y, shrink, cv2.BORDER_REPLICATE)
        heights[window] = np.where(wins if not channels else wins[..., None], value, heights[window])
        tallest[window] = np.where(wins, heights_here * alpha, tallest[window])
        covered[window] = np.maximum(covered[window], alpha)
    return heights, covered


def _sampled(samples: np.ndarray, map_x: np.ndarray, map_y: np.ndarray, shrink: float, border: int) -> np.ndarray:
    """Samples at places, averaged beforehand when many fall into one."""
    samples = np.asarray(samples, np.float32)
    if shrink > 1.5:
        rows, columns = samples.shape[:2]
        few = max(1, round(columns / shrink)), max(1, round(rows / shrink))
        samples = cv2.resize(samples, few, interpolation=cv2.INTER_AREA)
        map_x = (map_x + 0.5) * np.float32(few[0] / columns) - 0.5
        map_y = (map_y + 0.5) * np.float32(few[1] / rows) - 0.5
    return cv2.remap(samples, map_x.astype(np.float32), map_y.astype(np.float32), cv2.INTER_LINEAR, borderMode=border)

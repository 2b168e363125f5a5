"""Imprints: a small relief pressed in at chosen places, scattered, or along a line."""

from __future__ import annotations

import math
from typing import Any, ClassVar, Literal

import numpy as np

from relief.compose.pressing import TILE, Press, count_windows
from relief.content import Content
from relief.cost import Cost
from relief.generate import GENERATORS
from relief.generate.generator import Grid
from relief.height import Edges, Footprint, HeightField
from relief.kernels import serial_kernel
from relief.parameters import Surroundings, choice, drawn_value, number
from relief.treat.edge_fade import cover

SHAPES = {"picture": "The picture", "rosette": "Rosette", "rings": "Rings", "pyramids": "Pyramid", "dome": "Dome"}
STAMP = 256
"""Texels on a side of a shape that is drawn."""

MOST_ON_LINE, MANY_REPEATS = 20_000, 100
"""Imprints on a line, and windows of one imprint, from which on these are what is too much."""

IN_A_TILE = 10
"""Texels that might be looked at while it is asked whether an imprint shows in a tile."""

OVER_EACH_OTHER = 400
"""How many imprints are looked at in a texel, however many lie there (measured: rings 350, domes 9)."""

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
        "dome", SHAPES, label="Shape", help="The shape that is pressed in."
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
        help="How gradually an imprint fades at its edge, so that it leaves no square plateau.",
    )  # fmt: skip
    places: tuple[Place, ...] = drawn_value(
        (), shown="places", label="Places", help="Click on the stage to place an imprint.", max_length=2000
    )
    count: int = number(
        0, 0, 2000, label="Scattered", step=1, slider=(0, 200), help="How many imprints are scattered at random."
    )
    spacing: float = number(
        50,
        0,
        100_000_000,
        label="Minimum spacing",
        unit="mm",
        step=1,
        slider=(0, 400),
        help="Scattered imprints keep at least this distance from each other.",
    )
    line: tuple[Place, ...] = drawn_value(
        (), shown="line", label="Line", help="Draw a line on the stage to set them along it.", max_length=500
    )
    along: float = number(
        60, 0.1, 100_000_000, label="Spacing on the line", unit="mm", step=1, slider=(5, 400), logarithmic=True,
        help="From one imprint to the next on the line.",
    )  # fmt: skip
    angle: float = number(0, -180, 180, label="Rotation", unit="°", step=5, help="Rotates all imprints.")
    turn: float = number(
        0, 0, 180, label="Rotation jitter", unit="°", step=5, help="How far each imprint is rotated at random."
    )
    vary: float = number(0, 0, 0.9, label="Size jitter", step=0.01, help="How much their sizes differ.")
    seed: int = number(
        1,
        0,
        999_999,
        label="Seed",
        step=1,
        slider=(0, 100),
        help="Random seed: another number scatters them differently.",
    )

    def unused(self, around: Surroundings) -> set[str]:
        return set() if self.shape == "picture" else {"source"}


INK = 0.08
"""Part of a picture's range by which its border may vary before it is called inked."""


def touches_edge(picture: HeightField) -> bool:
    """Whether something is drawn up to the edge of a picture, so that it would be cut off in a straight line."""
    seen = picture.samples if picture.alpha is None else picture.alpha
    border = np.concatenate([seen[0], seen[-1], seen[:, 0], seen[:, -1]])
    return bool(np.ptp(border) > INK * max(float(np.ptp(seen)), 1e-9))


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
    kept = np.zeros((count, 2))
    found = _keep_apart(rng.random((count * TRIES, 2)), np.array(footprint.sides), np.array(wraps), spacing, kept)
    return [(float(x), float(y)) for x, y in kept[:found]]


@serial_kernel
def _keep_apart(thrown, sides, wraps, spacing, kept):
    """Keeps those that lie far enough from all that were kept before; says how many."""
    found = 0
    for place in range(len(thrown)):
        if found == len(kept):
            break
        free = True
        for other in range(found):
            square = 0.0
            for axis in range(2):
                apart = abs(kept[other, axis] - thrown[place, axis])
                if wraps[axis]:
                    apart = min(apart, 1 - apart)
                square += (apart * sides[axis]) ** 2
            if square < spacing * spacing:
                free = False
                break
        if free:
            kept[found] = thrown[place]
            found += 1
    return found


def _on_line(line: tuple[Place, ...], step: float, footprint: Footprint) -> list[Place]:
    """Places along a line, `step` mm apart."""
    if not line:
        return []
    points = np.array(line) * footprint.sides
    lengths = _lengths_along(points)
    stops = np.arange(0, lengths[-1] + 1e-9, step)
    across, down = (np.interp(stops, lengths, points[:, axis]) / footprint.sides[axis] for axis in (0, 1))
    return [(float(x), float(y)) for x, y in zip(across, down, strict=True)]


def _lengths_along(points: np.ndarray) -> np.ndarray:
    """How far along a line its points (count, 2) lie, mm."""
    return np.concatenate([[0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))]) if len(points) > 1 else np.zeros(1)


def cost_of_presses(imprints: Imprints, grid: Grid, small: HeightField) -> Cost:
    """About what pressing them in costs, told without setting their places."""
    on_line = 0.0
    if imprints.line:
        on_line = _lengths_along(np.array(imprints.line) * grid.footprint.sides)[-1] / imprints.along + 1
    count = len(imprints.places) + imprints.count + on_line
    windows, texels = count_windows(np.ones(1), small, grid)
    if on_line > MOST_ON_LINE:
        change = "Set “Spacing on the line” larger, or draw a shorter line."
    elif windows > MANY_REPEATS:
        change = "Set “Size” smaller: one imprint covers the tile many times over."
    else:
        change = "Take fewer imprints, or set “Size” smaller."
    # each reaches into some tiles of the field; of those over each other a few are looked at in every texel
    reached = count * (texels / TILE**2 + windows) * IN_A_TILE
    return Cost(int(reached + min(count * texels, OVER_EACH_OTHER * grid.rows * grid.columns)), change)


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

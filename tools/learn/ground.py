"""Made-up grounds: square pieces of relief of many families, each with parameters drawn at random.

They are what a photo may show in little: none of them is one of the surfaces on which what was learned is measured.
Lengths are texels; every ground is `SIDE` texels wide and as high.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import cv2
import numpy as np
from scipy.interpolate import LinearNDInterpolator

SIDE = 208
"""Texels on the side of a ground."""

LETTERS = "ABCDEFGHKMNPRSTUVXYZ0123456789&@%#"


class Ground(NamedTuple):
    """A relief before its depth is chosen.

    Attributes:
        height: float32 (SIDE, SIDE).
        parts: the number of the part that each texel belongs to, int (SIDE, SIDE); none where there are no parts.
        rim: 0 at the rims of parts to 1 within, float32 (SIDE, SIDE); none where there are no parts.
        marks: what may be seen as colour without being relief, such as the grain of wood: 0 to 1, float32 (SIDE, SIDE).
    """

    height: np.ndarray
    parts: np.ndarray | None = None
    rim: np.ndarray | None = None
    marks: np.ndarray | None = None


Family = Callable[[np.random.Generator], Ground]


def make_ground(rng: np.random.Generator) -> Ground:
    """A ground of one family, or of two: added, or the higher of both; warped, worn and roughened now and then."""
    first = _pick(rng)
    height = _to_unit(first.height)
    if rng.random() < 0.5:
        other = _to_unit(_pick(rng).height) * rng.uniform(0.05, 0.8)
        height = np.maximum(height, other + rng.uniform(-1, 0.5)) if rng.random() < 0.3 else height + other
    parts, rim, marks = first.parts, first.rim, first.marks
    if rng.random() < 0.35:
        along, down = (soft_noise(rng) * np.float32(rng.uniform(0.5, 5)) for _ in range(2))
        height = _move(height, along, down)
        if parts is not None and rim is not None:
            parts = _move(parts.astype(np.float32), along, down, cv2.INTER_NEAREST).astype(int)
            rim = _move(rim, along, down)
        marks = None if marks is None else _move(marks, along, down)
    if rng.random() < 0.2:  # worn down: what stands out most is flattened
        top = np.percentile(height, rng.uniform(55, 95))
        height = np.minimum(height, top + (height - top) * rng.uniform(0, 0.4))
    if rng.random() < 0.5:
        height = height + np.float32(rng.uniform(0.02, 0.2)) * _to_unit(blur(white(rng), rng.uniform(0.6, 1.8)))
    return Ground(blur(height, rng.uniform(0.4, 1.6) if rng.random() < 0.8 else rng.uniform(1.6, 4)), parts, rim, marks)


def _pick(rng: np.random.Generator) -> Ground:
    names = list(FAMILIES)
    return FAMILIES[names[int(rng.integers(len(names)))]](rng)


# what grounds are made with


def white(rng: np.random.Generator) -> np.ndarray:
    """Noise without any scale."""
    return rng.standard_normal((SIDE, SIDE), np.float32)


def blur(field: np.ndarray, width: float) -> np.ndarray:
    """Softened by a Gaussian of a width in texels."""
    return cv2.GaussianBlur(field, (0, 0), max(width, 0.1), borderType=cv2.BORDER_REFLECT)


def soft_noise(rng: np.random.Generator, stretched: bool | None = None) -> np.ndarray:
    """Noise whose power falls with its frequency, of mean 0 and deviation 1; stretched one way now and then."""
    down, across = np.fft.fftfreq(SIDE)[:, None], np.fft.rfftfreq(SIDE)[None]
    turn = rng.uniform(0, np.pi)
    stretched = rng.random() < 0.4 if stretched is None else stretched
    times = rng.uniform(1.5, 8) if stretched else 1.0
    one, other = across * np.cos(turn) + down * np.sin(turn), (down * np.cos(turn) - across * np.sin(turn)) * times
    frequency = np.hypot(one, other) + 1e-6
    power = 1 / np.maximum(frequency, 1 / rng.uniform(12, SIDE)) ** rng.uniform(1.2, 3)
    if rng.random() < 0.6:
        power *= np.exp(-((frequency * rng.uniform(2, 9)) ** 2))
    power[0, 0] = 0
    return _to_unit(np.fft.irfft2(np.fft.rfft2(white(rng)) * power, (SIDE, SIDE)).astype(np.float32))


def _to_unit(field: np.ndarray) -> np.ndarray:
    """A field of mean 0 and deviation 1."""
    field = field - field.mean()
    return np.asarray(field / (field.std() + 1e-6), np.float32)


def _move(field: np.ndarray, across: np.ndarray, down: np.ndarray, way: int = cv2.INTER_LINEAR) -> np.ndarray:
    y, x = np.mgrid[:SIDE, :SIDE].astype(np.float32)
    return cv2.remap(np.asarray(field, np.float32), x + across, y + down, way, borderMode=cv2.BORDER_REFLECT)


def _places(rng: np.random.Generator, straight: float = 0.6) -> tuple[np.ndarray, np.ndarray]:
    """Coordinates that are turned, mostly by a right angle or not at all, and begin anywhere."""
    turn = rng.choice([0, np.pi / 2]) if rng.random() < straight else rng.uniform(0, np.pi)
    y, x = np.mgrid[:SIDE, :SIDE].astype(np.float32) + rng.uniform(0, 1000)
    return x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)


def _length(rng: np.random.Generator, least: float, most: float) -> float:
    """A length for which each share of itself is as likely, so that small and large ones are shown alike."""
    return float(np.exp(rng.uniform(np.log(least), np.log(most))))


def _step(field: np.ndarray, soft: bool) -> np.ndarray:
    """0 to 1 of a field clipped to that, by a smooth step where that is asked for."""
    field = np.clip(field, 0, 1)
    return field * field * (3 - 2 * field) if soft else field


def _arch(place: np.ndarray) -> np.ndarray:
    """A half circle over each whole number."""
    return np.sqrt(np.clip(1 - (2 * (place % 1) - 1) ** 2, 0, 1))


# the families


def noise(rng: np.random.Generator) -> Ground:
    """Nothing but noise."""
    return Ground(soft_noise(rng))


def ridges(rng: np.random.Generator) -> Ground:
    """Noise folded at its middle: crests, or cracks."""
    folded = np.abs(soft_noise(rng)) ** np.float32(rng.uniform(0.5, 1.5))
    return Ground(folded if rng.random() < 0.4 else -folded)


def bark(rng: np.random.Generator) -> Ground:
    """Long ridges with deep furrows between them."""
    long = soft_noise(rng, stretched=True)
    return Ground(-np.exp(-np.abs(long) * np.float32(rng.uniform(2, 7))) + np.float32(0.3) * soft_noise(rng, True))


def strata(rng: np.random.Generator) -> Ground:
    """Layers that stand out as steps."""
    place = soft_noise(rng) * np.float32(rng.uniform(1, 4))
    step = np.floor(place)
    return Ground(step + np.clip((place - step - 0.5) * np.float32(rng.uniform(2, 9)) + 0.5, 0, 1))


def cells(rng: np.random.Generator) -> Ground:
    """Pebbles, cobbles, flagstones, cracked mud, leather: what grows around scattered seeds."""
    count = int(rng.integers(10, 260))
    seeds = rng.uniform(-12, SIDE + 12, (count, 2)).astype(np.float32)
    x, y = _places(rng, 0.3)
    x, y = x - x.min(), y - y.min()
    scale = SIDE / max(float(x.max()), float(y.max()), 1)
    times = rng.uniform(1, 2.6) if rng.random() < 0.3 else 1.0
    x, y = x * scale, y * scale * times
    first = np.full((SIDE, SIDE), np.inf, np.float32)
    second, parts = first.copy(), np.zeros((SIDE, SIDE), int)
    for number, (across, down) in enumerate(seeds):
        square = (x - across) ** 2 + (y - down * times) ** 2
        nearer = square < first
        second = np.where(nearer, first, np.minimum(second, square))
        parts = np.where(nearer, number, parts)
        first = np.minimum(first, square)
    apart = SIDE / np.sqrt(count)
    near, next_ = np.sqrt(first) / apart, np.sqrt(second) / apart
    rim = np.clip((next_ - near) / np.float32(rng.uniform(0.15, 0.9)), 0, 1)
    if rng.random() < 0.6:
        height = 1 - (1 - rim) ** np.float32(rng.uniform(1, 3))
    else:
        height = np.sqrt(np.clip(1 - (near / np.float32(rng.uniform(0.5, 0.9))) ** 2, 0, 1))
    tilts = rng.uniform(-0.8, 0.8, (count, 2))
    tilted = (tilts[parts, 0] * (x - seeds[parts, 0]) + tilts[parts, 1] * (y / times - seeds[parts, 1])) / apart
    height = height * (1 + rng.uniform(0, 0.6) * rng.random(count)[parts])
    if rng.random() < 0.35:
        height = height + rng.uniform(0.1, 0.8) * tilted * rim
    return Ground(np.asarray(height if rng.random() < 0.85 else -height, np.float32), parts, rim)


def courses(rng: np.random.Generator) -> Ground:
    """Bricks, tiles, blocks, boards: rows of rectangles with joints."""
    x, y = _places(rng)
    wide, high = _length(rng, 10, 110), _length(rng, 6, 70)
    row = np.floor(y / high)
    x = x + rng.choice([0, 0.5, 0.33]) * wide * row
    column = np.floor(x / wide)
    within_x, within_y = x % wide, y % high
    joint, bevel = rng.uniform(0.3, 3), rng.uniform(0.5, 6)
    edge = np.minimum(np.minimum(within_x, wide - within_x), np.minimum(within_y, high - within_y))
    rim = _step((edge - joint) / bevel, rng.random() < 0.5)
    parts = (np.abs(row * 131 + column * 17)).astype(int) % 997
    drawn = rng.standard_normal((997, 3))
    height = rim * (1 + rng.uniform(0, 0.3) * drawn[parts, 0])
    slant = drawn[parts, 1] * (within_x / wide - 0.5) + drawn[parts, 2] * (within_y / high - 0.5)
    if rng.random() < 0.35:
        height = height + rim * rng.uniform(0, 0.35) * slant
    return Ground(np.asarray(height, np.float32), parts, rim.astype(np.float32))


def boards(rng: np.random.Generator) -> Ground:
    """Planks with a grain that runs along them and bends around knots."""
    x, y = _places(rng)
    high = _length(rng, 12, 120)
    board = np.floor(y / high)
    within = y % high
    rim = _step((np.minimum(within, high - within) - rng.uniform(0.2, 1.5)) / rng.uniform(0.6, 3), True)
    bend = np.zeros_like(x)
    for _ in range(int(rng.integers(0, 5))):
        across, down, size = rng.uniform(x.min(), x.max()), rng.uniform(y.min(), y.max()), rng.uniform(4, 16)
        bend += rng.choice([-1, 1]) * size * np.exp(-(((x - across) / (3 * size)) ** 2) - ((y - down) / size) ** 2)
    rings = (y + bend) / rng.uniform(2.5, 9) + 0.3 * soft_noise(rng, True) + board * 1.7
    grain = np.sin(2 * np.pi * rings) * 0.5 + 0.5
    grain = grain ** rng.uniform(0.6, 3)
    if rng.random() < 0.4:  # boards that lie over each other
        rim = rim * (0.4 + 0.6 * within / high)
    parts = board.astype(int) % 997
    deep = rng.uniform(0.02, 0.4) if rng.random() < 0.6 else 0.0
    height = np.asarray(rim + deep * grain * rim, np.float32)
    return Ground(height, parts, rim.astype(np.float32), grain.astype(np.float32))


def ripples(rng: np.random.Generator) -> Ground:
    """Waves of several profiles, as of sand, corrugated sheet, ribs, flutes and slats."""
    x, _ = _places(rng, 0.4)
    place = x / _length(rng, 6, 110) + rng.uniform(0, 0.4) * soft_noise(rng)
    match rng.integers(6):
        case 0:
            height = np.sin(2 * np.pi * place)
        case 1:
            height = np.abs(np.sin(np.pi * place))
        case 2:
            height = place % 1
        case 3:
            height = -np.abs(np.sin(np.pi * place))
        case 4:  # one side steeper than the other, as the wind leaves sand
            crest, share = rng.uniform(0.55, 0.9), place % 1
            height = _step(np.where(share < crest, share / crest, (1 - share) / (1 - crest)), True)
        case _:
            height = _step((np.abs(2 * (place % 1) - 1) - rng.uniform(0.1, 0.5)) * rng.uniform(2, 8), True)
    return Ground(blur(np.asarray(height, np.float32), rng.uniform(0.5, 1.5)))


def weave(rng: np.random.Generator) -> Ground:
    """Threads over and under each other: plain, twill, basket."""
    x, y = _places(rng, 0.5)
    wide = _length(rng, 5, 56)
    u, v = x / wide, y / (wide * rng.uniform(0.4, 2.2))
    shift = int(rng.integers(2, 5))
    over = ((np.floor(u) + np.floor(v) * rng.choice([1, 1, 2])) % shift < shift / 2) * 2.0 - 1
    lift = rng.uniform(0.3, 1.2)
    warp = _arch(u) + lift * over * np.sin(np.pi * (v % 1))
    weft = _arch(v) - lift * over * np.sin(np.pi * (u % 1))
    if rng.random() < 0.5:
        twist = np.sin(2 * np.pi * (u + v) * rng.uniform(1, 4)) * rng.uniform(0, 0.12)
    else:  # ribs along each thread, as of cane
        ribs = int(rng.integers(2, 6))
        twist = np.cos(2 * np.pi * ribs * np.where(warp > weft, u, v)) * rng.uniform(0, 0.2)
    parts = (np.where(warp > weft, np.floor(u) % 31, 31 + np.floor(v) % 31)).astype(int)
    return Ground(np.asarray(np.maximum(warp, weft) + twist, np.float32), parts, _step(_arch(u) * _arch(v) * 2, True))


def knit(rng: np.random.Generator) -> Ground:
    """Columns of loops that lean left and right in turn, and ropes of strands."""
    x, y = _places(rng, 0.5)
    wide = _length(rng, 6, 56)
    u, v = x / wide, y / (wide * rng.uniform(0.5, 1.4))
    lean = np.where(np.floor(u) % 2 < 1, 1.0, -1.0) if rng.random() < 0.7 else 1.0
    strand = v + lean * (u % 1) * rng.uniform(0.5, 1.5)
    height = _arch(u) * rng.uniform(0.5, 1) + _arch(strand) * rng.uniform(0.3, 0.9)
    return Ground(np.asarray(height, np.float32), (np.floor(u) % 64).astype(int), _arch(u).astype(np.float32))


def stamped(rng: np.random.Generator) -> Ground:
    """Domes, studs, rings, pyramids and dents, in rows or scattered; hammered metal where they are many."""
    out = np.zeros((SIDE, SIDE), np.float32)
    y, x = np.mgrid[:SIDE, :SIDE].astype(np.float32)
    size, kind, ordered = _length(rng, 4, 50), rng.integers(6), rng.random() < 0.5
    sharp = rng.uniform(1.5, 6)
    if ordered:
        apart = size * rng.uniform(2.05, 3.2)
        rows = [
            (column * apart + (row % 2) * apart / 2, row * apart * 0.9)
            for row in range(int(SIDE / apart / 0.9) + 2)
            for column in range(int(SIDE / apart) + 2)
        ]
    else:
        rows = [tuple(place) for place in rng.uniform(0, SIDE, (int(rng.integers(8, 150)), 2))]
    for across, down in rows[:300]:
        here = size * (1 if ordered else rng.uniform(0.4, 1.3))
        squeeze, turn = (1.0, 0.0) if ordered else (rng.uniform(0.5, 1), rng.uniform(0, np.pi))
        left, right = max(0, int(across - 2 * here)), min(SIDE, int(across + 2 * here) + 1)
        top, bottom = max(0, int(down - 2 * here)), min(SIDE, int(down + 2 * here) + 1)
        if left >= right or top >= bottom:
            continue
        dx, dy = x[top:bottom, left:right] - across, y[top:bottom, left:right] - down
        u, v = dx * np.cos(turn) + dy * np.sin(turn), (dy * np.cos(turn) - dx * np.sin(turn)) / squeeze
        apart_ = np.hypot(u, v) / here
        match kind:
            case 0:
                one = np.sqrt(np.clip(1 - apart_**2, 0, 1))
            case 1:
                one = np.exp(-((1.6 * apart_) ** 2))
            case 2:
                one = np.clip((1 - apart_) * sharp, 0, 1)
            case 3:
                one = np.exp(-(((apart_ - 0.7) / 0.18) ** 2))
            case 4:
                one = np.clip(1 - np.maximum(np.abs(u), np.abs(v)) / here, 0, 1)
            case _:
                one = np.clip((1 - np.maximum(np.abs(u), np.abs(v)) / here) * sharp, 0, 1)
        out[top:bottom, left:right] = np.maximum(out[top:bottom, left:right], one)
    return Ground(out if rng.random() < 0.6 else -out, (out > 0.1).astype(int), np.clip(3 * out, 0, 1))


def scales(rng: np.random.Generator) -> Ground:
    """Scales, shingles, shells and slates: rows that lie over the row below them."""
    x, y = _places(rng, 0.6)
    wide, high = _length(rng, 12, 80), _length(rng, 9, 64)
    bow, ribs = rng.uniform(0, 0.9), rng.uniform(0, 0.25)
    height = np.full(x.shape, -np.inf)
    parts, rim = np.zeros(x.shape, int), np.zeros(x.shape)
    first = np.floor(y / high)
    for back in range(3):
        row = first - back
        shifted = x / wide + 0.5 * (row % 2)
        aside = 2 * (shifted % 1) - 1
        along = y / high - row + bow * (aside**2 - 0.5)  # 0 where the scale begins
        inside = (along >= 0) & (along < 1.6)
        one = 1 - along * rng.uniform(0.9, 1.1) + 0.2 * (1 - aside**2) + ribs * np.cos(aside * np.pi * 4)
        one = np.where(inside, one, -np.inf)
        better = one > height
        height, parts = np.where(better, one, height), np.where(better, (row * 31 + np.floor(shifted)) % 997, parts)
        rim = np.where(better, np.clip(along * 4, 0, 1), rim)
    height = np.where(np.isfinite(height), height, 0)
    return Ground(np.asarray(height, np.float32), parts.astype(int), rim.astype(np.float32))


def strokes(rng: np.random.Generator) -> Ground:
    """Plaster or paint laid on with a tool: arcs with a raised edge and fine grooves."""
    out = np.zeros((SIDE, SIDE), np.float32)
    y, x = np.mgrid[:SIDE, :SIDE].astype(np.float32)
    groove = rng.uniform(2, 7)
    for number in range(int(rng.integers(6, 26))):
        across, down = rng.uniform(-40, SIDE + 40, 2)
        radius, wide = rng.uniform(30, 160), rng.uniform(6, 30)
        place = (np.hypot(x - across, y - down) - radius) / wide
        turn = np.arctan2(y - down, x - across)
        begin = rng.uniform(-np.pi, np.pi)
        share = ((turn - begin) % (2 * np.pi)) / rng.uniform(0.5, 2)
        here = (np.abs(place) < 1) & (share < 1)
        profile = 0.3 * number / 20 + 0.4 * place**4 + 0.05 * np.sin(place * wide * 2 * np.pi / groove)
        out = np.where(here, profile.astype(np.float32), out)
    return Ground(blur(out, rng.uniform(0.6, 1.6)))


def carved(rng: np.random.Generator) -> Ground:
    """Letters, lines and outlines cut into a ground or standing on it."""
    drawn = np.zeros((SIDE, SIDE), np.uint8)
    for _ in range(int(rng.integers(2, 14))):
        at = tuple(int(side) for side in rng.integers(0, SIDE, 2))
        thick = int(rng.integers(2, 9))
        match rng.integers(4):
            case 0 | 1:
                text = "".join(rng.choice(list(LETTERS), int(rng.integers(1, 6))))
                cv2.putText(drawn, text, at, int(rng.integers(0, 8)), rng.uniform(0.8, 3.5), 255, thick, cv2.LINE_AA)
            case 2:
                cv2.ellipse(drawn, at, tuple(int(s) for s in rng.integers(8, 60, 2)), rng.uniform(0, 180), 0,
                            rng.uniform(90, 360), 255, thick, cv2.LINE_AA)  # fmt: skip
            case _:
                cv2.line(drawn, at, tuple(int(side) for side in rng.integers(0, SIDE, 2)), 255, thick, cv2.LINE_AA)
    away = cv2.distanceTransform((drawn > 127).astype(np.uint8), cv2.DIST_L2, 3)
    rim = _step(away / rng.uniform(1, 6), rng.random() < 0.5).astype(np.float32)
    return Ground(rim if rng.random() < 0.5 else -rim, (drawn > 127).astype(int), rim)


def ornament(rng: np.random.Generator) -> Ground:
    """Rosettes, fans and wheels about a middle."""
    y, x = np.mgrid[:SIDE, :SIDE].astype(np.float32)
    across, down = rng.uniform(0.2, 0.8, 2) * SIDE
    apart, turn = np.hypot(x - across, y - down), np.arctan2(y - down, x - across)
    petals, ring = int(rng.integers(3, 24)), rng.uniform(20, 90)
    petal = np.abs(np.cos(turn * petals / 2 + rng.uniform(0, 3)))
    height = petal ** rng.uniform(0.4, 2) * np.sin(np.pi * (apart / ring % 1)) + 0.3 * np.cos(
        2 * np.pi * apart / ring * rng.integers(1, 4)
    )
    return Ground(np.asarray(height, np.float32), (apart / ring).astype(int), petal.astype(np.float32))


def torn(rng: np.random.Generator) -> Ground:
    """Flakes and sheets that lie over each other with ragged edges: peeling paint, torn paper, slate."""
    height = np.zeros((SIDE, SIDE), np.float32)
    parts = np.zeros((SIDE, SIDE), int)
    for number in range(1, int(rng.integers(2, 7))):
        sheet = soft_noise(rng) + np.float32(rng.uniform(-0.6, 0.6))
        inside = sheet > 0
        curl = np.exp(-np.abs(sheet) * np.float32(rng.uniform(2, 12))) * np.float32(rng.uniform(0, 0.8))
        height = np.where(inside, height + np.float32(rng.uniform(0.3, 1)) + curl, height)
        parts = np.where(inside, number, parts)
    return Ground(height, parts, None)


def pits(rng: np.random.Generator) -> Ground:
    """Coarse grains or holes of all sizes: sand, sponge, cast metal, roughcast."""
    grain = blur(white(rng), rng.uniform(0.7, 3))
    limit = np.percentile(grain, rng.uniform(40, 93))
    height = np.maximum(grain - limit, 0) ** np.float32(rng.uniform(0.4, 1))
    return Ground(np.asarray(height if rng.random() < 0.6 else -height, np.float32))


def facets(rng: np.random.Generator) -> Ground:
    """Flat faces that meet at edges, as of broken rock and crumpled paper."""
    count = int(rng.integers(12, 260))
    points = rng.uniform(-60, SIDE + 60, (count * 2, 2))
    y, x = np.mgrid[:SIDE, :SIDE].astype(np.float32)
    heights = rng.standard_normal(count * 2) if rng.random() < 0.5 else rng.random(count * 2) ** 3
    across, turn = rng.uniform(1, 2.5), rng.uniform(0, np.pi)
    u, v = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
    laid = np.column_stack([points @ [np.cos(turn), np.sin(turn)], points @ [-np.sin(turn), np.cos(turn)]])
    height = LinearNDInterpolator(laid * [1, across], heights, 0.0)(u, v * across)
    return Ground(height.astype(np.float32))


def rubble(rng: np.random.Generator) -> Ground:
    """Broken stones with flat faces, which lie over each other or stand out of a bed."""
    y, x = np.mgrid[:SIDE, :SIDE].astype(np.float32)
    height = np.full((SIDE, SIDE), np.float32(0))
    parts = np.zeros((SIDE, SIDE), int)
    size = _length(rng, 8, 50)
    count = int(min(160, rng.uniform(0.3, 1.6) * (SIDE / size) ** 2)) + 2
    round_, bed = rng.uniform(0, 1), rng.uniform(-0.2, 0.3)
    for number, (across, down) in enumerate(rng.uniform(-10, SIDE + 10, (count, 2)), 1):
        here = size * rng.uniform(0.5, 1.3)
        top, bottom = max(0, int(down - 2 * here)), min(SIDE, int(down + 2 * here) + 1)
        left, right = max(0, int(across - 2 * here)), min(SIDE, int(across + 2 * here) + 1)
        if left >= right or top >= bottom:
            continue
        dx, dy = (x[top:bottom, left:right] - across) / here, (y[top:bottom, left:right] - down) / here
        stone = rng.uniform(0.4, 1) + rng.uniform(-0.5, 0.5) * dx + rng.uniform(-0.5, 0.5) * dy
        for turn in np.linspace(0, 2 * np.pi, int(rng.integers(4, 9)))[1:] + rng.uniform(0, 6):
            away = dx * np.cos(turn) + dy * np.sin(turn)
            stone = np.minimum(stone, (rng.uniform(0.5, 1.1) - away) * rng.uniform(0.6, 3))
        dome = np.sqrt(np.clip(1 - dx * dx - dy * dy, 0, 1))
        stone = np.where(dome > 0, stone * (1 - round_) + dome * round_, np.minimum(stone, 0) - 0.01)
        area = height[top:bottom, left:right]
        parts[top:bottom, left:right] = np.where(stone > area + bed, number, parts[top:bottom, left:right])
        height[top:bottom, left:right] = np.maximum(area, stone - bed)
    rim = (parts == blur(parts.astype(np.float32), 1)).astype(np.float32)
    return Ground(height, parts, blur(rim, 1.5))


FAMILIES: dict[str, Family] = {
    family.__name__: family
    for family in (
        noise, ridges, bark, strata, cells, courses, boards, ripples, weave, knit, stamped, scales, strokes, carved,
        ornament, torn, pits, facets, rubble,
    )
}  # fmt: skip
"""The families by their names; each is as likely as the others."""

"""What a single photo tells when networks read it that were taught on made-up grounds (`tools/learn`): its relief, how
sure that is, the light on each place, and where the light stood.

The network of the relief is given the photo and the slopes that the linear method (`shading.py`) reads, which add up
over whole photos where the network sees a part of them; it tells what is to be added to a share of these. A photo is
turned so that its light comes from the right, read, and turned back with its slopes; and, where it is small, once more
mirrored about the light, which tells the same surface in another way. The mean of both is nearer to the truth than
either. It is read at several sizes, each half of the one before: the small ones tell coarse relief better, the large
ones fine relief, and each gives the waves that it tells best (Burt & Adelson 1983, A multiresolution spline, ACM
Transactions on Graphics 2). Large pictures go through the network in tiles that overlap.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

import cv2
import numpy as np
import scipy

from relief.depth import networks
from relief.depth.light import Light
from relief.depth.networks import Levels, features
from relief.depth.shading import find_axis, make_waves, part_paint, read_slopes, slopes_of_waves
from relief.filters.resample import shrink
from relief.progress import Part, Progress

UNIT = 32
"""Rows and columns that go through the network are a multiple of this."""

COARSEST = 384
"""Texels on the long side of the smallest size that a photo is read at, at most."""

JOINED_AT = 4.0
"""Texels of the smaller of two sizes: the width of the Gaussian that parts what each of them gives."""

TILE, OVERLAP = 1024, 96
"""Texels on the side of a tile at most, and those that it shares with the next."""

MIRRORED = 768
"""Texels on the long side of a photo up to which it is read mirrored too; beyond, fine relief is read once, in half the
time."""

TOLD = 4
"""Channels of a texel: two slopes, the logarithm of the variance of their angle, that of the light."""

LINEAR_SHARE = 0.4
"""How much of the linear method's slopes those of the network are added to."""

STEEPEST = 8.0
"""Slopes beyond this were not taught."""

WRAPPED, WRAPPED_SHARE = 64, 1 / 8
"""Texels of the other side that are looked at where a photo wraps, and the part of its long side that they are at most:
while a sun is dragged a small picture is read, and its borders would take as long as the rest.
"""

DOUBTED = 20.0
"""Degrees off at which a place is trusted little."""

LAMP_SEEN_AT = (512, 256)
"""Texels on the long side at which a photo is looked at for where its light stood."""

LAMP_UNIT = 16
"""Rows and columns that go through the network of the light are a multiple of this."""

SECTORS = 24
"""Parts of the circle, of each of which the network of the light tells how likely the light stood there: the middle of
the first is to the right, and they run counter-clockwise."""

TRIED, TRIED_AT = 12, 384
"""Lights that a photo is read with to find its own, and the texels on its long side then."""

WAVES = 3
"""Waves around the circle that are kept of how far the network expects to be wrong."""

AZIMUTHS = 180
"""Directions of which it is told how likely the light stood there."""

SHARPNESS = 14.0
"""How much likelier a light is the less the network expects to be wrong, in logarithms of each. So the light is as
often within 20 degrees as is said, in the mean; what is said of a single photo tells little."""

ON_AXIS, NEAR = 7.0, 45.0
"""How much likelier a light is on the line along which alone brightness changes than across it, in logarithms, and the
degrees from where the network expects it within which that counts: a line tells nothing of the side."""

EVEN_BELOW, EVEN_POWER = 0.003, 3.0
"""The first wave of what the network expects to be wrong, a Fourier coefficient of logarithms, at which a photo was lit
evenly as likely as from a side; and the power of that wave by which the odds change."""

LAMP_MIDDLE, LAMP_WIDTH = 45.0, 15.0
"""The elevation that is told as 0, and the degrees that are told as 1."""

STEEPER = 0.01
"""By which part slopes are made steeper for each degree that they are said to be off: what is unsure comes out as the
mean of what it may be, which is too gentle. Photos that were held aside are 13.3 degrees off without it, 13.1 with it.
"""

CALIBRATED = (1.25, -0.02)
"""Times and offset that bring the logarithm of the variance to what was found on photos that were held aside."""


class Told(NamedTuple):
    """What the network tells of a photo.

    Attributes:
        slopes: to the right and up, float32 (rows, columns, 2).
        variance: of the angle by which their normals are off, square radians, float32 (rows, columns).
        light: the logarithm of the light that falls on each texel, with the photo's exposure, float32 (rows, columns).
    """

    slopes: np.ndarray
    variance: np.ndarray
    light: np.ndarray

    @property
    def normals(self) -> np.ndarray:
        """Unit vectors, float32 (rows, columns, 3): x right, y up, z out of the surface."""
        across, up = self.slopes[..., 0], self.slopes[..., 1]
        length = np.sqrt(1 + across * across + up * up)
        return np.dstack([-across / length, -up / length, 1 / length])

    @property
    def off(self) -> np.ndarray:
        """Degrees that the normals are off, as the network says, float32 (rows, columns)."""
        return np.degrees(np.sqrt(self.variance))


def read_photo(
    photo: np.ndarray,
    light: Light,
    wraps: tuple[bool, bool] = (False, False),
    progress: Progress | None = None,
    mirrored: bool = True,
    linear: np.ndarray | None = None,
) -> Told:
    """What the network tells of a photo whose light is known.

    Args:
        photo: linear light, float32 (rows, columns, 3), 0 to 1.
        light: where its light stood.
        wraps: whether the photo wraps (across, down).
        progress: told how far it is.
        mirrored: whether it is read mirrored too where it is small, which takes twice as long.
        linear: the slopes that the linear method reads, where they are known: float32 (rows, columns, 2).

    Raises:
        ReliefError: the network is missing or damaged.
        Cancelled: that was asked for.
    """
    progress = progress or Progress()
    photo = np.asarray(photo, np.float32)
    sizes = list(_sizes(_Shown(photo, read_slopes(photo, light, wraps) if linear is None else linear)))
    whole, done, told = sum(each.photo.size for each in sizes), 0, None
    for size in reversed(sizes):
        part = Part(progress, done / whole, (done + size.photo.size) / whole)
        finer = _read_wrapped(size, light, wraps, mirrored and max(size.photo.shape[:2]) <= MIRRORED, part)
        told = finer if told is None else _join(finer, told)
        done += size.photo.size
    assert told is not None
    times, offset = CALIBRATED
    variance = np.exp(np.clip(times * told[..., 2] + np.float32(offset), -8, 2))
    steeper = 1 + np.float32(STEEPER) * np.degrees(np.sqrt(variance))
    slopes = np.clip(told[..., :2] * steeper[..., None], -STEEPEST, STEEPEST)
    slopes = slopes - slopes.mean(axis=(0, 1))  # what is photographed lies level
    return Told(slopes, variance, told[..., 3])


def trust(told: Told) -> np.ndarray:
    """How far the relief of each place can be trusted: 1 where it is said to be right, 0.37 where to be `DOUBTED`
    degrees off, float32 (rows, columns).
    """
    return np.asarray(np.exp(-told.off / np.float32(DOUBTED)), np.float32)


class Azimuths(NamedTuple):
    """From which side the light of a photo came.

    Attributes:
        likely: how likely it stood in each of `AZIMUTHS` directions, the first to the right and on counter-clockwise:
            float64 (AZIMUTHS,), 1 in all.
        even: how likely it is that the photo was lit evenly, from no side, 0 to 1.
    """

    likely: np.ndarray
    even: float


def weigh_azimuths(photo: np.ndarray, elevation: float, progress: Progress | None = None) -> Azimuths:
    """From which side the light of a photo came.

    The photo is read with lights all round. The network says each time how far it expects to be wrong, and that is
    least with the light which explains the photo: it knows how surfaces look, so that it tells hills from hollows too.
    Of the curve over the circle the first waves are kept: what changes four times on the way round tells how a picture
    is blurred when it is turned. The line along which brightness changes most is counted in too: it tells nothing of
    the side that the light came from, but its direction rather exactly. Where the network expects to be wrong alike
    with light from either side, the photo was lit evenly.

    Args:
        photo: linear light, float32 (rows, columns, 3), 0 to 1.
        elevation: of the light, degrees; it need not be near.
        progress: told how far it is.

    Raises:
        ReliefError: the network is missing or damaged.
        Cancelled: that was asked for.
    """
    progress, small = progress or Progress(), shrink(photo, TRIED_AT)
    waves, doubts = make_waves(part_paint(small), (1, 1), (False, False)), []
    for number in range(TRIED):
        progress.step(number / TRIED, "Looking for the light")
        light = Light(360 * number / TRIED, elevation)
        told = read_photo(small, light, mirrored=False, linear=slopes_of_waves(waves, light))
        doubts.append(float(np.log(told.variance).mean()))
    around = np.fft.rfft(doubts)[1 : WAVES + 1] / TRIED
    azimuths = 2 * np.pi * np.arange(AZIMUTHS) / AZIMUTHS
    doubt = 2 * (np.exp(1j * np.outer(azimuths, np.arange(1, WAVES + 1))) @ around).real
    axis, strength = find_axis(waves)
    on_axis = ON_AXIS * strength * np.cos(azimuths - np.radians(axis)) ** 2
    on_axis[np.cos(azimuths - azimuths[doubt.argmin()]) < np.cos(np.radians(NEAR))] = 0
    even = 1 / (1 + (abs(around[0]) / EVEN_BELOW) ** EVEN_POWER)
    return Azimuths(np.asarray(scipy.special.softmax(on_axis - SHARPNESS * doubt)), float(even))


def read_elevation(photo: np.ndarray) -> float:
    """How high the light of a photo stood, degrees, 5 to 85.

    It is looked at turned by quarters, and mirrored, and at two sizes, in the mean. The network tells more, by which it
    was taught: sectors for the azimuth, which are right on a fifth of all photos, and whether the light was even, which
    it did not learn.

    Args:
        photo: linear light, float32 (rows, columns, 3), 0 to 1.

    Raises:
        ReliefError: the network is missing or damaged.
    """
    told = np.array([each for longest in LAMP_SEEN_AT for each in _lamp_at(photo, longest)], float)
    weights = np.exp(-np.clip(told[:, SECTORS + 1], -4, 2))
    elevation = float((weights * told[:, SECTORS]).sum() / weights.sum()) * LAMP_WIDTH + LAMP_MIDDLE
    return float(np.clip(elevation, 5, 85))


def _lamp_at(photo: np.ndarray, longest: int) -> Iterator[np.ndarray]:
    """What the network tells of the light at one size, of each turn."""
    small = shrink(photo, longest)
    rows, columns = (max(LAMP_UNIT, side // LAMP_UNIT * LAMP_UNIT) for side in small.shape[:2])
    wide = [(0, max(0, size - side)) for size, side in zip((rows, columns), small.shape[:2], strict=True)]
    small = np.pad(small, (*wide, (0, 0)), "symmetric")[:rows, :columns]
    for turns in range(4):
        for side in (1, -1):
            laid = np.rot90(small, turns)[::side]
            yield networks.run(networks.LIGHT, features(np.ascontiguousarray(laid), LAMP_MIDDLE)[None]).ravel()


class _Shown(NamedTuple):
    """What is read at one size: a photo, and the slopes that the linear method reads there, to the right and up."""

    photo: np.ndarray
    linear: np.ndarray

    def each(self, change: Callable[[np.ndarray], np.ndarray]) -> _Shown:
        """Both changed in the same way."""
        return _Shown(*(change(field) for field in self))


def _sizes(shown: _Shown) -> Iterator[_Shown]:
    """The photo, and each half as large as the one before, until one is small."""
    yield shown
    while max(shown.photo.shape[:2]) > COARSEST:
        rows, columns = (max(1, (side + 1) // 2) for side in shown.photo.shape[:2])
        shown = shown.each(partial(cv2.resize, dsize=(columns, rows), interpolation=cv2.INTER_AREA))
        yield shown


def _join(fine: np.ndarray, coarse: np.ndarray) -> np.ndarray:
    """What was told at one size, with the slow changes of what was told at half of it."""
    rows, columns = coarse.shape[:2]
    apart = coarse - cv2.resize(fine, (columns, rows), interpolation=cv2.INTER_AREA)
    apart = cv2.GaussianBlur(apart, (0, 0), JOINED_AT, borderType=cv2.BORDER_REFLECT)
    return fine + cv2.resize(apart, fine.shape[1::-1], interpolation=cv2.INTER_LINEAR)


def _read_wrapped(
    shown: _Shown, light: Light, wraps: tuple[bool, bool], mirrored: bool, progress: Progress
) -> np.ndarray:
    """What is told of a photo at one size, which sees its other side where it wraps."""
    if not any(wraps):
        return _read_one(shown, light, mirrored, progress)
    rows, columns = shown.photo.shape[:2]
    most = min(WRAPPED, int(max(rows, columns) * WRAPPED_SHARE))
    across, down = (most if wrapping else 0 for wrapping in wraps)
    wide = shown.each(partial(np.pad, pad_width=((down, down), (across, across), (0, 0)), mode="wrap"))
    return _read_one(wide, light, mirrored, progress)[down : down + rows, across : across + columns]


class _Tile(NamedTuple):
    """A part of a photo that is turned.

    Attributes:
        there: from places of the photo to those of the tile, (2, 3).
        turn: how far the photo is turned clockwise, radians.
        side: 1, or -1 where it is mirrored about the light.
        wide, high: its size in texels.
        open: whether the photo goes on beyond it: left, right, above, below.
    """

    there: np.ndarray
    turn: float
    side: int
    wide: int
    high: int
    open: tuple[bool, bool, bool, bool]


def _read_one(shown: _Shown, light: Light, mirrored: bool, progress: Progress) -> np.ndarray:
    """What is told of a photo at one size, in the mean with its mirror image about the light where that is wanted:
    float32 (rows, columns, TOLD).
    """
    levels = Levels.of(shown.photo)
    turn = np.radians(light.azimuth)
    rows, columns = shown.photo.shape[:2]
    tiles = [tile for side in ((1, -1) if mirrored else (1,)) for tile in _tiles(rows, columns, turn, side)]
    out = np.zeros((rows, columns, TOLD), np.float32)
    counted = np.zeros((rows, columns), np.float32)
    for number, tile in enumerate(tiles):
        progress.step(number / len(tiles), "Reading the relief")
        told = _read_tile(shown, tile, light.elevation, levels)
        told[..., :2] = _turn(told[..., :2] * [1, tile.side], turn)
        _lay_back(told, tile, out, counted)
    return out / np.maximum(counted, 1e-6)[..., None]


def _tiles(rows: int, columns: int, turn: float, side: int) -> Iterator[_Tile]:
    """Tiles that cover a photo which is turned clockwise; those that would show nothing of it are left out."""
    cos, sin = np.cos(turn), np.sin(turn)
    wide, high = abs(columns * cos) + abs(rows * sin), abs(columns * sin) + abs(rows * cos)
    there = np.array([[cos, -sin, 0], [side * sin, side * cos, 0]])  # y points down
    there[:, 2] = np.array([wide - 1, high - 1]) / 2 - there[:, :2] @ (np.array([columns - 1, rows - 1]) / 2)
    corners = np.array([[-0.5, -0.5], [columns - 0.5, -0.5], [columns - 0.5, rows - 0.5], [-0.5, rows - 0.5]])
    photo = (corners @ there[:, :2].T + there[:, 2]).astype(np.float32)
    for top, tall, above, below in _cuts(high):
        for left, broad, before, behind in _cuts(wide):
            ends = [[left, top], [left + broad, top], [left + broad, top + tall], [left, top + tall]]
            if cv2.intersectConvexConvex(photo, np.array(ends, np.float32))[0] > 0:
                yield _Tile(
                    there - [[0, 0, left], [0, 0, top]], turn, side, broad, tall, (before, behind, above, below)
                )


def _cuts(length: float) -> Iterator[tuple[int, int, bool, bool]]:
    """Where tiles begin along a side, how long they are, and whether something lies before and behind."""
    count = max(1, int(np.ceil((length - OVERLAP) / (TILE - OVERLAP))))
    each = UNIT * max(2, int(np.ceil((length + (count - 1) * OVERLAP) / count / UNIT - 1e-6)))
    for number in range(count):
        yield number * (each - OVERLAP), each, number > 0, number < count - 1


def _turn(slopes: np.ndarray, turn: float) -> np.ndarray:
    """Slopes (rows, columns, 2) turned counter-clockwise by radians."""
    cos, sin = np.cos(turn), np.sin(turn)
    along, aside = slopes[..., 0], slopes[..., 1]
    return np.asarray(np.dstack([along * cos - aside * sin, along * sin + aside * cos]), np.float32)


def _read_tile(shown: _Shown, tile: _Tile, elevation: float, levels: Levels) -> np.ndarray:
    """What the network tells of a tile: float32 (high, wide, TOLD), slopes along its own sides."""
    lay = partial(cv2.warpAffine, M=tile.there, dsize=(tile.wide, tile.high), borderMode=cv2.BORDER_REFLECT)
    photo, linear = lay(shown.photo, flags=cv2.INTER_CUBIC), lay(shown.linear, flags=cv2.INTER_LINEAR)
    linear = np.clip(_turn(linear, -tile.turn) * [1, tile.side], -STEEPEST, STEEPEST).astype(np.float32)
    given = np.concatenate([features(np.clip(photo, 0, 1), elevation, levels), linear.transpose(2, 0, 1)])
    quarters = networks.run(networks.RELIEF, given[None])[0]
    _, rows, columns = quarters.shape
    parts = quarters.reshape(2, 2, TOLD, rows, columns).transpose(3, 0, 4, 1, 2)
    told = np.ascontiguousarray(parts.reshape(2 * rows, 2 * columns, TOLD))
    told[..., :2] += np.float32(LINEAR_SHARE) * linear
    return told


def _lay_back(told: np.ndarray, tile: _Tile, out: np.ndarray, counted: np.ndarray) -> None:
    """Adds what is told of a tile to the rest, turned back; it counts less towards where the next tile goes on."""
    back = np.linalg.inv(tile.there[:, :2])
    ends = np.array([[0, 0], [tile.wide, 0], [tile.wide, tile.high], [0, tile.high]]) - tile.there[:, 2]
    ends = ends @ back.T
    left, top = (max(0, int(np.floor(least)) - 1) for least in ends.min(axis=0))
    right, bottom = np.minimum(out.shape[1::-1], np.ceil(ends.max(axis=0)).astype(int) + 2).tolist()
    if left >= right or top >= bottom:
        return
    weights = np.outer(_ramp(tile.high, *tile.open[2:]), _ramp(tile.wide, *tile.open[:2]))
    there = tile.there.copy()
    there[:, 2] += there[:, :2] @ [left, top]
    size = (right - left, bottom - top)
    laid = [
        cv2.warpAffine(field, there, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        for field in (told * weights[..., None], weights)
    ]
    out[top:bottom, left:right] += laid[0]
    counted[top:bottom, left:right] += laid[1]


def _ramp(length: int, before: bool, behind: bool) -> np.ndarray:
    """How much each texel along a tile counts: those at its ends nothing where another tile tells of them."""
    out = np.ones(length, np.float32)
    ramp = np.clip((np.arange(OVERLAP, dtype=np.float32) - OVERLAP / 4) / (OVERLAP / 2), 0, 1)
    if before:
        out[:OVERLAP] = ramp
    if behind:
        out[-OVERLAP:] = ramp[::-1]
    return out

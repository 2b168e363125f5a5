"""A stand-in for a rig: it photographs a made-up surface with a mirrored ball beside it, the lamp stepping round."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from scipy.ndimage import gaussian_filter, shift

from relief.deliver.files import Made
from relief.depth.stereo import FEWEST, MOST
from relief.errors import ReliefError
from relief.formats.writing import picture_file
from relief.sources.colour import eight_bits, srgb_from_linear
from relief.synthetic.rendering import how_open, light_vector, photograph, photograph_ball
from relief.synthetic.surfaces import GRAIN, Known, find_surface

SKY = 0.25
"""Share of the light that comes from everywhere in the room."""

SHAKE = 1.5
"""Deviation in texels by which the camera is shaken."""

BLUR = 1.2
"""Deviation in texels of a photo that was blurred."""

ELEVATIONS = 38.0, 52.0
"""Of the lamp over the surface, in turn, degrees."""

SMALLEST, LARGEST = 64, 2048
"""Pixels on the longer side of a photo."""


def lights_around(photos: int) -> list[tuple[float, float]]:
    """Where the lamp steps to: azimuths and elevations, degrees."""
    return [(360 * number / photos + 11, ELEVATIONS[number % 2]) for number in range(photos)]


def ball_beside(rows: int, columns: int) -> tuple[float, float, float]:
    """The ball in the lower right of photos of a size: x, y and radius in pixels."""
    radius = min(rows, columns) / 12
    return columns - 1.3 * radius, rows - 1.3 * radius, radius


def photograph_surface(key: str, photos: int, size: int, seed: int, shaken: bool) -> Iterator[Made]:
    """The photos of a made-up surface as PNG files, one after the other.

    Args:
        key: of the surface.
        photos: how many.
        size: pixels on their longer side.
        seed: of the camera's grain, and of the shakes and the blur.
        shaken: whether the camera is shaken, and blurs now and then.

    Raises:
        ReliefError: there is no such surface, or the rig takes no such number, or no such size.
    """
    known = find_surface(key)
    if not FEWEST <= photos <= MOST or not SMALLEST <= size <= LARGEST:
        raise ReliefError(f"A rig takes {FEWEST} to {MOST} photos of {SMALLEST} to {LARGEST} pixels.")
    return _files(key, known, photos, size, seed, shaken)


def _files(key: str, known: Known, photos: int, size: int, seed: int, shaken: bool) -> Iterator[Made]:
    surface = known.make(size)
    brightest = float(np.percentile(surface.paint, 99.5))
    lights, ball, rng = lights_around(photos), ball_beside(*surface.height.shape), np.random.default_rng((seed, photos))
    shots = take_series(surface.height, surface.texel, surface.paint, lights, ball, seed if shaken else None)
    for number, shot in enumerate(shots, 1):
        light = 0.8 / brightest * shot + rng.normal(0, GRAIN, shot.shape)
        shown = eight_bits(srgb_from_linear(np.clip(light, 0, 1)))
        yield Made(f"{key}-{number}.png", picture_file(shown, "png"))


def take_series(
    height: np.ndarray,
    texel: float,
    paint: np.ndarray,
    lights: Sequence[tuple[float, float]],
    ball: tuple[float, float, float],
    seed: int | None = None,
    farthest: int = 40,
    openness: np.ndarray | None = None,
) -> Iterator[np.ndarray]:
    """One photo after the other: linear light, float32 (rows, columns, 3).

    Args:
        height: mm, (rows, columns).
        texel: its size, mm.
        paint: the surface's colours in linear light, (rows, columns, 3).
        lights: azimuth and elevation of the lamp, degrees.
        ball: x, y and radius of the ball in texels.
        farthest: texels that shadows may be long.
        openness: how much of the sky each place sees; found where it is not given.
        seed: of the shakes and the blur that sometimes spoil a photo; none for a steady rig.
    """
    rows, columns = height.shape
    down, across = np.ogrid[:rows, :columns]
    inside = ((across + 0.5 - ball[0]) ** 2 + (down + 0.5 - ball[1]) ** 2 <= ball[2] ** 2)[..., None]
    openness = how_open(height, texel) if openness is None else openness
    rng = np.random.default_rng(seed)
    for number, (azimuth, elevation) in enumerate(lights):
        photo = photograph(height, texel, azimuth, elevation, paint, SKY, farthest, openness)
        mirrored = photograph_ball(rows, columns, ball, light_vector(azimuth, elevation))
        photo = np.where(inside, mirrored[..., None], photo)
        if seed is not None and number:
            moved = (*rng.normal(0, SHAKE, 2), 0)
            photo = shift(photo, moved, order=1, mode="nearest")
            if rng.random() < 0.25:
                photo = gaussian_filter(photo, (BLUR, BLUR, 0))
        yield photo.astype(np.float32)

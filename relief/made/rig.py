"""A stand-in for a rig: it photographs a made-up surface with a mirrored ball beside it, the lamp stepping round."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from scipy.ndimage import gaussian_filter, shift

from relief.made.rendering import how_open, light_vector, photograph, photograph_ball

SKY = 0.25
"""Share of the light that comes from everywhere in the room."""

SHAKE = 1.5
"""Deviation in texels by which the camera is shaken."""

BLUR = 1.2
"""Deviation in texels of a photo that was blurred."""


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

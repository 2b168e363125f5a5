"""A lit series: photos of one surface from one place, the light moved between them, made ready and solved."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from typing import Any

import cv2
import numpy as np

from relief.depth.light import Ball, Light, light_of_ball
from relief.depth.stereo import Solution, colours_of_series, solve_series
from relief.errors import ReliefError
from relief.maps.height_from_normals import height_from_slopes
from relief.progress import Progress
from relief.sources.colour import linear_light, luminance
from relief.sources.picture import Picture

LOOKED_AT = 768
"""Texels on the long side that shifts are measured at."""

FARTHEST = 0.02
"""Of the long side: a shift larger than this is no shake of a camera."""

BETTER = 0.8
"""How much less two photos must differ after a shift, so that it is taken for one."""

ALIGNED_AT_ONCE = 2
"""Photos that are laid on the first at the same time."""

STEEPEST = 20.0
"""Slopes beyond this are taken for this."""


@dataclass(frozen=True)
class Measured:
    """What came of a lit series.

    Attributes:
        solution: normals, and how they were found.
        colours: of the surface without any light in them, linear, float32 (rows, columns, 3), brightest about 1.
        height: mm, of mean 0, float32 (rows, columns).
        lights: where the lights stood.
        shifts: texels that each photo was moved by (across, down) to lie on the first.
    """

    solution: Solution
    colours: np.ndarray
    height: np.ndarray
    lights: tuple[Light, ...]
    shifts: tuple[tuple[float, float], ...]


def photos_of(pictures: Sequence[Picture]) -> list[np.ndarray]:
    """The photos in linear light, each float32 (rows, columns, 3).

    Raises:
        ReliefError: they are not of one size.
    """
    sizes = {(picture.rows, picture.columns) for picture in pictures}
    if len(sizes) > 1:
        told = ", ".join(f"{columns} x {rows}" for rows, columns in sorted(sizes))
        raise ReliefError(f"The photos of a lit series have one size; these have {told} pixels.")
    photos = []
    for picture in pictures:
        light = linear_light(picture)
        photos.append(light if light.ndim == 3 else np.dstack([light] * 3))
    return photos


def lights_of(photos: Sequence[np.ndarray], ball: Ball) -> tuple[Light, ...]:
    """Where the lights stood, read from a mirrored ball that is in every photo. Raises as `light_of_ball` does."""
    return tuple(light_of_ball(luminance(photo, encoded=False), ball) for photo in photos)


def measure_shift(first: np.ndarray, other: np.ndarray) -> tuple[float, float]:
    """How far a photo lies to the right of and below the first, in texels; nothing where that cannot be told.

    By the enhanced correlation coefficient (Evangelidis & Psarakis 2008, IEEE Trans. PAMI 30), on how strongly each
    place differs from its surroundings: which side of it is lit changes with the light.

    Args:
        first, other: linear light, float32 (rows, columns).
    """
    scale = min(1.0, LOOKED_AT / max(first.shape))
    one, two = (_outlines(each, scale) for each in (first, other))
    moved: Any = np.eye(2, 3, dtype=np.float32)
    ends = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 1e-3)
    find: Any = cv2.findTransformECC
    try:
        alike, moved = find(one, two, moved, cv2.MOTION_TRANSLATION, ends, None, 5)
    except cv2.error:  # it does not settle
        return 0.0, 0.0
    across, down = float(moved[0, 2]) / scale, float(moved[1, 2]) / scale
    # where the light alone differs a shift brings little
    before = cv2.computeECC(one, two)
    if 1 - alike > BETTER * (1 - before) or max(abs(across), abs(down)) > FARTHEST * max(first.shape):
        return 0.0, 0.0
    return across, down


def _outlines(grey: np.ndarray, scale: float) -> np.ndarray:
    """How strongly each place differs from its surroundings, whichever way: float32."""
    small = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else grey
    logarithm = np.log(np.maximum(small, 1e-3))
    across, down = (cv2.Scharr(logarithm, cv2.CV_32F, *way) for way in ((1, 0), (0, 1)))
    return cv2.GaussianBlur(np.sqrt(across**2 + down**2), (0, 0), 1.5)


def move_back(photo: np.ndarray, shift: tuple[float, float]) -> np.ndarray:
    """A photo moved so that it lies on the first."""
    if shift == (0, 0):
        return photo
    matrix = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float32)
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    moved = cv2.warpAffine(photo, matrix, photo.shape[1::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.maximum(moved, 0)


def even_out(greys: Sequence[np.ndarray]) -> list[np.ndarray]:
    """How much brighter than in the mean each place of each photo is lit: float32 (rows, columns), to divide by.

    A near light is brighter where it is near. A plane of brightness is fitted to each photo over the mean of all, by
    least squares over a grid of blocks, so that single shadows do not count.
    """
    mean = np.mean(greys, axis=0)
    rows, columns = mean.shape
    blocks = 24, 24
    down, across = map(_centres, blocks)
    sides = np.stack([np.ones(blocks), *np.meshgrid(across, down)], axis=-1).reshape(-1, 3)
    whole = cv2.resize(mean, blocks, interpolation=cv2.INTER_AREA)
    found = []
    for grey in greys:
        part = cv2.resize(grey, blocks, interpolation=cv2.INTER_AREA) / np.maximum(whole, 1e-6)
        level, right, below = np.linalg.lstsq(sides, part.ravel(), rcond=None)[0]
        plane = 1 + (right * _centres(columns)[None, :] + below * _centres(rows)[:, None]) / level
        found.append(np.clip(plane, 0.25, 4).astype(np.float32))
    return found


def _centres(count: int) -> np.ndarray:
    """The middles of so many equal parts of the way from -1 to 1."""
    return (np.arange(count) + 0.5) / count * 2 - 1


def measure_series(
    photos: list[np.ndarray],
    lights: Sequence[Light],
    spacing: tuple[float, float],
    *,
    near: bool = False,
    progress: Progress | None = None,
) -> Measured:
    """Normals, colours and height of a surface from its lit series.

    Args:
        photos: as `photos_of` gives them. They are moved onto the first in place.
        lights: where the light of each stood.
        spacing: width and height of a texel, mm.
        near: whether the lights were near, so that their brightness is evened out.
        progress: told of each step; may cancel between two.

    Raises:
        ReliefError: too few photos, as many lights as there are not, or lights that tell nothing.
    """
    if len(photos) != len(lights):
        raise ReliefError(f"There are {len(photos)} photos and {len(lights)} lights. Each photo has one.")
    progress = progress or Progress()
    greys = [luminance(photo, encoded=False) for photo in photos]
    progress.step(0, "Laying the photos on each other")
    with ThreadPoolExecutor(ALIGNED_AT_ONCE) as pool:
        shifts = [(0.0, 0.0), *pool.map(partial(measure_shift, greys[0]), greys[1:])]
    for number, shift in enumerate(shifts):
        photos[number], greys[number] = move_back(photos[number], shift), move_back(greys[number], shift)
    if near:
        for number, plane in enumerate(even_out(greys)):
            greys[number] = greys[number] / plane
            photos[number] = photos[number] / plane[..., None]
    directions = np.array([light.direction for light in lights])
    solution = solve_series(np.stack(greys), directions, progress)
    colours = colours_of_series(photos, directions, solution)
    normals = solution.normals
    across, up = (np.clip(-normals[..., side] / normals[..., 2], -STEEPEST, STEEPEST) for side in (0, 1))
    height = height_from_slopes(across, up, spacing, (False, False))
    brightest = float(np.percentile(colours, 99.5))
    return Measured(solution, colours / max(brightest, 1e-6), height, tuple(lights), tuple(shifts))

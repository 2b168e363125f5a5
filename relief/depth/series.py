"""A lit series: photos of one surface from one place, the light moved between them, made ready and solved."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import cv2
import numpy as np

from relief.depth.heights import height_of
from relief.depth.lamps import Lamps
from relief.depth.light import Ball, Light, light_of_ball
from relief.depth.near import Distance, find_distance
from relief.depth.stereo import (
    FEWEST,
    MOST,
    Solution,
    colours_of_series,
    measure_residual,
    solve_series,
    thin_out,
    thinning,
)
from relief.depth.strengths import find_strengths
from relief.errors import ReliefError
from relief.progress import Part, Progress
from relief.sources.colour import eight_bits, in_three_channels, linear_light, luminance, srgb_from_linear
from relief.sources.picture import Picture

LOOKED_AT = (128, 128, 256, 256, 256, 512)
"""Texels on the long side that shifts are measured at, one after the other."""

FARTHEST = 0.02
"""Of the long side: a shift larger than this is no shake of a camera."""

TURNS = 4
"""Times that lights are read from the ball, each time with the shifts that the lights before tell."""

LOWEST = 5.0
"""Degrees over the surface at least while that goes on."""

STILL = 0.1
"""Texels: shifts that change by less are not measured at the same size again."""

LEAST = 0.25
"""Texels, of the size that is looked at: what is less is left as it is, as moving a photo softens it."""

SHAKEN = 0.9
"""Photos are taken to be shaken where what is left unexplained is less than this part of what it was: on made-up
surfaces it was 0.95 or more of photos that were not, and 0.9 or less of those that were."""

FEW_COUNT = 0.2
"""Share of a photo that must lie neither in shadow nor in shine, so that it can be laid on."""

ALIGNED_AT_ONCE = 2
"""Photos that are laid on the first at the same time."""


@dataclass(frozen=True)
class Measured:
    """What came of a lit series.

    Attributes:
        solution: normals, and how they were found.
        colours: of the surface without any light in them, linear, float32 (rows, columns, 3), brightest about 1.
        height: mm, of mean 0, float32 (rows, columns).
        lights: where the lights stood.
        shifts: texels that each photo was moved by (across, down) to lie on the first.
        strengths: how strongly each photo was exposed, 1 in the mean.
        distance: of the lamps.
    """

    solution: Solution
    colours: np.ndarray
    height: np.ndarray
    lights: tuple[Light, ...]
    shifts: tuple[tuple[float, float], ...]
    strengths: tuple[float, ...]
    distance: Distance

    @property
    def low(self) -> float:
        """The lowest height, mm."""
        return float(self.height.min())

    @property
    def amplitude(self) -> float:
        """mm from the lowest to the highest place."""
        return float(np.ptp(self.height))

    def encode(self) -> dict[str, np.ndarray]:
        """The maps as they are written: normal uint16 RGB, green up; colour uint8 sRGB; height uint16 in its range."""
        return {
            "normal": np.rint((self.solution.normals * 0.5 + 0.5) * 65535).astype(np.uint16),
            "colour": eight_bits(np.clip(srgb_from_linear(self.colours), 0, 1)),
            "height": np.rint((self.height - self.low) / max(self.amplitude, 1e-9) * 65535).astype(np.uint16),
        }


def photos_of(pictures: Sequence[Picture]) -> list[np.ndarray]:
    """The photos in linear light, each float32 (rows, columns, 3).

    Raises:
        ReliefError: they are not of one size.
    """
    sizes = {(picture.rows, picture.columns) for picture in pictures}
    if len(sizes) > 1:
        raise unlike_sizes(sizes)
    return [in_three_channels(linear_light(picture)) for picture in pictures]


def unlike_sizes(sizes: set[tuple[int, int]]) -> ReliefError:
    """The error that says which sizes, rows and columns, the photos of a series have."""
    told = ", ".join(f"{columns} x {rows}" for rows, columns in sorted(sizes))
    return ReliefError(f"The photos of a lit series must have the same size; these have {told} pixels.")


def lights_of(photos: Sequence[np.ndarray], ball: Ball) -> tuple[Light, ...]:
    """Where the lights stood, read from a mirrored ball that is in every photo.

    Where the camera was shaken the ball lies elsewhere in each photo, and a highlight beside its place in the outline
    tells another light. So lights and shifts are found in turns, and whether it was shaken is judged when they are.

    Args:
        photos: as `photos_of` gives them.
        ball: its outline in the first photo.

    Raises:
        ReliefError: as `light_of_ball`; or a light lay below the surface.
    """
    greys = [luminance(photo, encoded=False) for photo in photos]
    steady = lights = _read_all(greys, [ball] * len(greys))
    shifts = unmoved = [(0.0, 0.0)] * len(greys)
    for _ in range(TURNS - 1 if FEWEST <= len(greys) <= MOST else 0):
        raised = [Light(light.azimuth, max(light.elevation, LOWEST)) for light in lights]
        found = measure_shifts(greys, Lamps.of_lights(raised))
        again = _read_all(greys, [Ball(ball.x + x, ball.y + y, ball.radius) for x, y in found])
        if min(light.elevation for light in again) <= min(0, *(light.elevation for light in lights)):
            break  # shifts that move a highlight behind the ball are none
        if again == lights:
            break  # the next turn would be the same
        lights, shifts = again, found
    if shifts != unmoved and _left(greys, Lamps.of_lights(lights), shifts) > SHAKEN * _left(
        greys, Lamps.of_lights(steady), unmoved
    ):
        lights = steady
    for number, light in enumerate(lights, 1):
        if light.elevation <= 0:
            raise ReliefError(
                f"The highlight of photo {number} lies at the rim of the ball, as if its light stood below the "
                "surface. Is the outline right?"
            )
    return tuple(lights)


def _read_all(greys: Sequence[np.ndarray], balls: Sequence[Ball]) -> list[Light]:
    """The light of each photo, from the highlight on its ball."""
    return [light_of_ball(grey, ball) for grey, ball in zip(greys, balls, strict=True)]


def measure_shifts(greys: Sequence[np.ndarray], lamps: Lamps) -> list[tuple[float, float]]:
    """How far each photo lies to the right of and below the first, in texels; nothing where that cannot be told.

    Photos with the light elsewhere cannot be laid on each other: edges and their shadows look moved where only the
    light was. So each is laid on what the surface as it is known so far looks like under its own light, by the enhanced
    correlation coefficient (Evangelidis & Psarakis 2008, IEEE Trans. PAMI 30), shadows and shine left out; and again
    with the surface that comes of it.

    Args:
        greys: linear light, float32 (rows, columns) each.
        lamps: of each photo.
    """
    shape = greys[0].shape
    shifts = np.zeros((len(greys), 2))
    settled = 0
    for longest in LOOKED_AT:
        if longest == settled:
            continue
        scale = min(1.0, longest / max(shape))
        small = [cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) for grey in greys]
        moved = [move_back(grey, (x, y)) for grey, (x, y) in zip(small, shifts * scale, strict=True)]
        seen = lamps.scale_texels(1 / scale)
        known = solve_series(np.stack(moved), seen, roughly=True)
        with ThreadPoolExecutor(ALIGNED_AT_ONCE) as pool:
            more = np.array(list(pool.map(partial(_shift_left, known, seen, moved), range(len(moved)))))
        settled = longest if np.abs(more).max() < STILL else 0
        shifts += more / scale
        shifts -= shifts[0]
    shifts[np.abs(shifts).max(axis=1) > FARTHEST * max(shape)] = 0
    shifts[np.abs(shifts).max(axis=1) < LEAST * max(1.0, max(shape) / LOOKED_AT[-1])] = 0
    return [(float(x), float(y)) for x, y in shifts]


def _left(greys: Sequence[np.ndarray], lamps: Lamps, shifts: Sequence[tuple[float, float]]) -> float:
    """What is left unexplained of photos when they are moved back by some shifts."""
    moved = [move_back(grey, shift) for grey, shift in zip(greys, shifts, strict=True)]
    return measure_residual(thin_out(moved), lamps.thin_out(thinning(moved)))


def _shift_left(known: Solution, lamps: Lamps, photos: Sequence[np.ndarray], number: int) -> tuple[float, float]:
    """How far a photo still lies off what is known of the surface under its light, in texels."""
    expected = cv2.GaussianBlur(known.under(lamps, number), (0, 0), 1)
    counts = np.ascontiguousarray((known.weights[number] > 127).astype(np.uint8))
    if counts.mean() < FEW_COUNT:
        return 0.0, 0.0
    found: Any = np.eye(2, 3, dtype=np.float32)
    ends = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 30, 1e-4)
    find: Any = cv2.findTransformECC
    try:
        _, found = find(expected, photos[number], found, cv2.MOTION_TRANSLATION, ends, counts, 5)
    except cv2.error:  # it does not settle
        return 0.0, 0.0
    return float(found[0, 2]), float(found[1, 2])


def move_back(photo: np.ndarray, shift: tuple[float, float]) -> np.ndarray:
    """A photo moved so that it lies on the first."""
    if shift == (0, 0):
        return photo
    matrix = np.array([[1, 0, shift[0]], [0, 1, shift[1]]], np.float32)
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    moved = cv2.warpAffine(photo, matrix, photo.shape[1::-1], flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.maximum(moved, 0)


def measure_series(
    photos: list[np.ndarray],
    lights: Sequence[Light],
    spacing: tuple[float, float],
    *,
    distance: float | None = None,
    seen_from: tuple[float, float] = (0.0, 0.0),
    progress: Progress | None = None,
) -> Measured:
    """Normals, colours and height of a surface from its lit series.

    Args:
        photos: as `photos_of` gives them. They are moved onto the first in place.
        lights: where the light of each stood.
        spacing: width and height of a texel, mm.
        distance: of the lamps from the middle of the picture, mm; infinite for lamps far away; found where not given.
        seen_from: the place where the lights have these directions, mm to the right of and above the middle.
        progress: told of each step; may cancel between two.

    Raises:
        ReliefError: too few photos, as many lights as there are not, or lights that tell nothing.
    """
    if len(photos) != len(lights):
        raise ReliefError(f"There are {len(photos)} photos and {len(lights)} lights; each photo needs one light.")
    progress = progress or Progress()
    greys = [luminance(photo, encoded=False) for photo in photos]
    lamps_at = partial(_lamps_at, Lamps.of_lights(lights, spacing), seen_from)
    progress.step(0, "Finding the distance of the lamps")
    away = find_distance(greys, lamps_at) if distance is None else Distance(distance, distance, distance, 1.0)
    progress.step(0.1, "Aligning the photos")
    lamps = lamps_at(away.best)
    shifts = measure_shifts(greys, lamps)
    unmoved = [(0.0, 0.0)] * len(greys)
    if shifts != unmoved and _left(greys, lamps, shifts) > SHAKEN * _left(greys, lamps, unmoved):
        shifts = unmoved
    for number, shift in enumerate(shifts):
        photos[number], greys[number] = move_back(photos[number], shift), move_back(greys[number], shift)
    strengths = find_strengths(greys, lamps)
    for number, strength in enumerate(strengths.astype(np.float32)):
        if strength != 1:
            photos[number], greys[number] = photos[number] / strength, greys[number] / strength
    if distance is None and (shifts != unmoved or strengths.min() < 1):
        away = find_distance(greys, lamps_at)
        lamps = lamps_at(away.best)
    stacked = np.stack(greys)
    solution = solve_series(stacked, lamps, Part(progress, 0.1, 0.6 if lamps.nearness else 1))
    height = height_of(solution, spacing)
    if lamps.nearness:  # what stands higher is nearer to the lamps
        lamps = replace(lamps, heights=height)
        solution = solve_series(stacked, lamps, Part(progress, 0.6, 1))
        height = height_of(solution, spacing)
    colours = colours_of_series(photos, lamps, solution)
    brightest = float(np.percentile(colours, 99.5))
    return Measured(
        solution, colours / max(brightest, 1e-6), height, tuple(lights), tuple(shifts), tuple(strengths.tolist()), away
    )


def _lamps_at(far: Lamps, seen_from: tuple[float, float], distance: float) -> Lamps:
    return far if np.isinf(distance) else far.at_distance(distance, seen_from)

"""Lit series from the files of their photos, at full size or at a size that fits into memory.

Each function can be called in a process of its own: what it takes and gives can be pickled.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from relief.depth.lamps import Lamps
from relief.depth.light import Ball, Light
from relief.depth.near import check_distance
from relief.depth.series import lights_of, measure_series, photos_of, unlike_sizes
from relief.depth.stereo import solve_series
from relief.depth.unknown import Estimate, estimate_lights
from relief.progress import Part, Progress
from relief.sources.colour import eight_bits, luminance, srgb_from_linear
from relief.sources.decode import decode

BYTES = 40
"""That measuring takes for each pixel of each photo (measured: 32 for twelve photos of 2048 x 2048)."""

SHOWN = 320
"""Texels on the long side of the picture of an answer."""

LIT_FROM = Light(135, 40)
"""Where the light of such a picture stands."""

AMBIENT = 0.2
"""The part of it that comes from everywhere."""

READ = 0.3
"""How far the work is, as it goes by time, when all photos are read."""


@dataclass(frozen=True)
class PhotoFiles:
    """The photos of a series as files.

    Attributes:
        named: of each its hash and its file name.
        read: gives the bytes of a hash.
        memory: bytes that may be taken.
    """

    named: tuple[tuple[str, str], ...]
    read: Callable[[str], bytes]
    memory: int

    def load(self, progress: Progress) -> tuple[list[np.ndarray], float]:
        """The photos in linear light, and how many times smaller they are than their files, 1 for not at all.

        Raises:
            ReliefError: a photo cannot be read, or they are not of one size.
            Cancelled: through `progress`.
        """
        photos: list[np.ndarray] = []
        times, size = 1.0, (0, 0)
        for number, (digest, name) in enumerate(self.named):
            progress.step(number / len(self.named), f"Reading photo {number + 1} of {len(self.named)}")
            picture = decode(self.read(digest), name)
            if not photos:
                size = picture.rows, picture.columns
                times = max(1.0, math.sqrt(BYTES * len(self.named) * size[0] * size[1] / self.memory))
            elif (picture.rows, picture.columns) != size:
                raise unlike_sizes({size, (picture.rows, picture.columns)})
            photos.append(_shrink(photos_of([picture])[0], times))
        return photos, times


def _shrink(photo: np.ndarray, times: float) -> np.ndarray:
    """A photo (rows, columns, channels) on so many times fewer texels a side, each the mean of what it covers."""
    if times == 1:
        return photo
    size = [max(1, round(side / times)) for side in photo.shape[1::-1]]
    return cv2.resize(photo, size, interpolation=cv2.INTER_AREA)


def say_size(photos: Sequence[np.ndarray], times: float) -> str:
    """In words, at which size a series was worked on, where that is not its own."""
    if times == 1:
        return ""
    rows, columns = photos[0].shape[:2]
    return f"Computed at {columns} x {rows} texels, because more does not fit into the memory of this machine."


def measure_files(
    photos: PhotoFiles,
    lights: Sequence[Light],
    width: float,
    distance: float | None,
    seen_from: Ball | None,
    progress: Progress,
) -> tuple[dict[str, np.ndarray], float, str]:
    """The encoded maps of a series, the amplitude of its height in mm, and remarks on its size and its lamps.

    Raises as `PhotoFiles.load` and `measure_series` do.

    Args:
        photos: its files.
        lights: where the light of each stood.
        width: of what they show, mm.
        distance: of the lamps, as `measure_series` takes it.
        seen_from: the ball, in pixels of the first file, where the lights have these directions; none for the middle.
        progress: told of each step; may cancel between two.
    """
    loaded, times = photos.load(Part(progress, 0, READ))
    said = say_size(loaded, times)
    rows, columns = loaded[0].shape[:2]
    texel = width / columns
    check_distance(distance, width, texel * rows)
    place = _shrunk(seen_from, times).place(rows, columns, (texel, texel)) if seen_from else (0.0, 0.0)
    found = measure_series(
        loaded, lights, (texel, texel), distance=distance, seen_from=place, progress=Part(progress, READ, 1)
    )
    return found.encode(), found.amplitude, " ".join(filter(None, (said, found.distance.remark)))


def read_lights_of_files(photos: PhotoFiles, ball: Ball, progress: Progress) -> tuple[Light, ...]:
    """Where the lights stood, read from a ball whose outline is in pixels of the first file. Raises as `lights_of`."""
    loaded, times = photos.load(Part(progress, 0, READ))
    progress.step(READ, "Reading the lights from the ball")
    return lights_of(loaded, _shrunk(ball, times))


def _shrunk(ball: Ball, times: float) -> Ball:
    return Ball(ball.x / times, ball.y / times, ball.radius / times)


def estimate_lights_of_files(photos: PhotoFiles, progress: Progress) -> tuple[Estimate, list[np.ndarray]]:
    """Where the lights stood, estimated from the photos alone; and a small lit picture of each of both answers.

    The pictures are uint8 (rows, columns), sRGB.

    Raises as `estimate_lights` does.
    """
    loaded, _ = photos.load(Part(progress, 0, READ))
    progress.step(READ, "Estimating the lights")
    greys = [luminance(photo, encoded=False) for photo in loaded]
    found = estimate_lights(greys)
    progress.step(0.9, "Drawing both solutions")
    small = [_shrink(grey, max(1.0, max(grey.shape) / SHOWN)) for grey in greys]
    solution = solve_series(np.stack(small), Lamps.of_lights(found.lights))
    return found, [_draw(answer.normals) for answer in (solution, solution.turned)]


def _draw(normals: np.ndarray) -> np.ndarray:
    """What a surface looks like without its colours, lit from the upper left."""
    lit = AMBIENT + (1 - AMBIENT) * np.clip(normals @ LIT_FROM.direction.astype(np.float32), 0, 1)
    return eight_bits(srgb_from_linear(lit))

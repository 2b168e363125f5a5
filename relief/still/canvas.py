"""What a still has gathered so far, and which of its pixels come next."""

from __future__ import annotations

import numpy as np

from relief.still.tracing import Seen

COARSE = 4
"""Every so many pixels across and down are drawn first, which gives a first picture at a sixteenth of the work."""

Region = tuple[int, int, int, int]
"""Left, top, width, height in pixels of the whole picture."""


class Canvas:
    """Sums over the paths of each pixel of a part of a picture.

    Attributes:
        taken: how many paths each pixel has, uint16 (pixels,), row after row.
    """

    def __init__(self, drawn: Region, samples: int) -> None:
        self.drawn, self.samples = drawn, samples
        _, _, width, height = drawn
        self.shape = height, width
        count = width * height
        self.taken = np.zeros(count, np.uint16)
        self._radiance = np.zeros((count, 3), np.float32)
        self._squared = np.zeros(count, np.float32)
        self._albedo, self._normal = np.zeros((2, count, 3), np.float32)
        self._distance = np.full(count, np.inf, np.float32)

    def choose_pixels(self, most: int, first: Region | None = None) -> np.ndarray:
        """Pixels that have the fewest paths of all that lack some; empty when every pixel has all of its paths.

        Args:
            most: how many at most.
            first: what goes before the rest, as long as it lacks paths.
        """
        if first is not None and len(chosen := self._fewest(self._inside(first))):
            return chosen[:most]
        if not self.taken.any():
            return self._coarse()[:most]
        return self._fewest(None)[:most]

    def _fewest(self, among: np.ndarray | None) -> np.ndarray:
        taken = self.taken if among is None else self.taken[among]
        if not len(taken) or (fewest := taken.min()) >= self.samples:
            return np.zeros(0, np.int64)
        here = np.flatnonzero(taken == fewest)
        return here if among is None else among[here]

    def _inside(self, first: Region) -> np.ndarray:
        left, top, width, height = first
        rows, columns = self.shape
        down = np.arange(max(top - self.drawn[1], 0), min(top - self.drawn[1] + height, rows))
        across = np.arange(max(left - self.drawn[0], 0), min(left - self.drawn[0] + width, columns))
        return (down[:, None] * columns + across).ravel()

    def _coarse(self) -> np.ndarray:
        rows, columns = self.shape
        return (np.arange(0, rows, COARSE)[:, None] * columns + np.arange(0, columns, COARSE)).ravel()

    def places(self, pixels: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """How far to the right and down pixels lie in the whole picture."""
        down, across = np.divmod(pixels, self.shape[1])
        return across + self.drawn[0], down + self.drawn[1]

    def add(self, pixels: np.ndarray, seen: Seen) -> None:
        """Adds a path to each of some pixels, none of them twice."""
        self._radiance[pixels] += seen.radiance
        self._squared[pixels] += seen.radiance.mean(axis=1) ** 2
        self._albedo[pixels] += seen.albedo
        self._normal[pixels] += seen.normal
        self._distance[pixels] = np.minimum(self._distance[pixels], seen.distance)
        self.taken[pixels] += 1

    @property
    def share(self) -> float:
        """How much of it is done."""
        return float(self.taken.mean(dtype=np.float64)) / self.samples

    def picture(self) -> np.ndarray:
        """Radiance so far, float32 (rows, columns, 3); what has no path yet looks like its nearest pixel that has."""
        mean = (self._radiance / np.maximum(self.taken, 1)[:, None]).reshape(*self.shape, 3)
        missing = (self.taken == 0).reshape(self.shape)
        if missing.any():
            rows, columns = self.shape
            coarse = mean[::COARSE, ::COARSE].repeat(COARSE, 0).repeat(COARSE, 1)[:rows, :columns]
            mean[missing] = coarse[missing]
        return mean

    def spread(self) -> np.ndarray:
        """Standard error of the mean brightness of each pixel, float32 (rows, columns); 0 with fewer than two paths."""
        paths = np.maximum(self.taken, 1).astype(np.float32)
        grey = self._radiance.mean(axis=1) / paths
        variance = np.maximum(self._squared / paths - grey * grey, 0)
        return np.sqrt(variance / np.maximum(paths - 1, 1)).reshape(self.shape)

    def noise(self) -> float:
        """The standard error as a part of the brightness, in the mean of all pixels that show something."""
        seen = np.isfinite(self._distance)
        if not seen.any():
            return 0.0
        grey = self._radiance.mean(axis=1) / np.maximum(self.taken, 1)
        return float((self.spread().ravel()[seen] / np.maximum(grey[seen], 1e-3)).mean())

    def guides(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Mean albedo and normals (rows, columns, 3), and the distance (rows, columns) of what is met first."""
        paths = np.maximum(self.taken, 1)[:, None].astype(np.float32)
        albedo, normal = (each / paths for each in (self._albedo, self._normal))
        return albedo.reshape(*self.shape, 3), normal.reshape(*self.shape, 3), self._distance.reshape(self.shape)

"""Where the lamps of a lit series stand: far away, or so near that each texel is lit from another side.

A small lamp at P lights a texel at x by I = a n . (P - x) / |P - x|^3: the direction turns over the picture, and the
light falls off with the square of the distance (Clark 1992, Active photometric stereo, CVPR).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from relief.depth.light import Light


def from_middle(shape: tuple[int, ...], steps: Sequence[float] | np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How far texels lie to the right of and above the middle of a picture: float32 (1, columns) and (rows, 1).

    Args:
        shape: rows and columns.
        steps: width and height of a texel, in any unit.
    """
    rows, columns = shape
    right = (np.arange(columns, dtype=np.float32) + np.float32(0.5 - 0.5 * columns)) * np.float32(steps[0])
    above = (np.float32(0.5 * rows - 0.5) - np.arange(rows, dtype=np.float32)) * np.float32(steps[1])
    return right[None, :], above[:, None]


@dataclass(frozen=True)
class Lamps:
    """The lamps of a series.

    Attributes:
        directions: unit vectors from the middle of the picture towards each lamp, float64 (photos, 3).
        spacing: width and height of a texel, mm.
        nearness: 1 over the distance of the lamps from the middle of the picture, 1/mm; 0 where they are far away.
        heights: mm over the middle's level, float32 (rows, columns), by which places lie nearer to the lamps; none for
            a level surface.
    """

    directions: np.ndarray
    spacing: tuple[float, float] = (1.0, 1.0)
    nearness: float = 0.0
    heights: np.ndarray | None = None

    @classmethod
    def of_lights(cls, lights: Sequence[Light], spacing: tuple[float, float] = (1.0, 1.0)) -> Lamps:
        """Lamps far away in the directions of some lights."""
        return cls(np.array([light.direction for light in lights]), spacing)

    @property
    def steps(self) -> np.ndarray:
        """Width and height of a texel as parts of the lamps' distance, float32 (2,)."""
        return np.array(self.spacing, np.float32) * np.float32(self.nearness)

    def rise(self, rows: int, columns: int) -> np.ndarray:
        """By how much each place lies over the middle's level as a part of the lamps' distance, float32."""
        if self.heights is None or not self.nearness:
            return np.zeros((rows, columns), np.float32)
        return np.asarray(self.heights * np.float32(self.nearness))

    def scale_texels(self, times: float) -> Lamps:
        """The same lamps over the same picture, which is taken to be level, with texels so many times larger."""
        return replace(self, spacing=(self.spacing[0] * times, self.spacing[1] * times), heights=None)

    def thin_out(self, step: int) -> Lamps:
        """The same lamps over a picture of which every texel so many apart is left."""
        heights = None if self.heights is None else np.ascontiguousarray(self.heights[::step, ::step])
        return replace(self.scale_texels(step), heights=heights)

    def at_distance(self, distance: float, seen_from: tuple[float, float] = (0.0, 0.0)) -> Lamps:
        """Lamps at a distance from the middle of the picture, mm, whose directions were seen from another place.

        Args:
            distance: mm; more than that of the place.
            seen_from: where the directions hold, mm to the right of and above the middle.
        """
        place = np.array([*seen_from, 0.0])
        along = self.directions @ place
        way = np.sqrt(np.maximum(along**2 + distance**2 - place @ place, 0)) - along
        towards = place + way[:, None] * self.directions
        towards /= np.linalg.norm(towards, axis=1, keepdims=True)
        return replace(self, directions=towards, nearness=1 / distance)

    def over(self, number: int, rows: int, columns: int) -> tuple[np.ndarray, np.ndarray]:
        """How a lamp lights each texel of a picture.

        Returns:
            Unit vectors towards it, float32 (rows, columns, 3); and the square of its distance as a part of that from
            the middle, float32 (rows, columns), by which its light is weaker.
        """
        right, above = from_middle((rows, columns), self.steps)
        x, y, z = self.directions[number].astype(np.float32)
        if self.heights is not None:
            z = z - self.rise(rows, columns)
        towards = np.stack(np.broadcast_arrays(x - right, y - above, z), axis=-1)
        square = (towards * towards).sum(axis=2)
        return towards / np.sqrt(square)[..., None], square

"""Where a brush presses that was drawn along a line: distances to the line, on tiles that wrap too.

Work is done near each piece of the line only, so a stroke costs what it covers, however large the field is.
"""

from __future__ import annotations

import numba
import numpy as np

from relief.height import HeightField

FARTHEST = 1.0
"""A pointer that leaves the stage by more than this part of a side is taken to be there."""


class Brush:
    """A brush over the samples of one field.

    `press` measures where a stroke presses; one of the others then works on samples there.
    """

    def __init__(self, field: HeightField) -> None:
        self.field = field
        self._far = np.full(field.samples.shape, np.inf, np.float32)
        self._pressure = np.zeros(field.samples.shape, np.float32)

    def press(self, points: np.ndarray, radius: float, falloff: float) -> None:
        """Lays the brush on.

        Args:
            points: (count, 3): x and y, (0, 0) upper left to (1, 1) lower right, and the pressure there, 0 to 1.
            radius: mm.
            falloff: part of the radius over which it presses less and less; 0 a hard edge, 1 all slope.
        """
        field = self.field
        sides, wraps = field.footprint.sides, field.edges.wraps
        line = np.array(points, np.float64)
        line[:, :2] = np.clip(line[:, :2], -FARTHEST, 1 + FARTHEST) * sides
        begin, end = (line[:-1], line[1:]) if len(line) > 1 else (line, line)
        spans = []
        for axis in (1, 0):
            count, step = field.samples.shape[1 - axis], field.spacing[axis]
            # from farther than a tile the same texels are reached again
            reach = min(radius, sides[axis]) if wraps[axis] else radius
            low, high = (
                np.minimum(begin[:, axis], end[:, axis]) - reach,
                np.maximum(begin[:, axis], end[:, axis]) + reach,
            )
            first, last = np.floor(low / step).astype(np.int64), np.ceil(high / step).astype(np.int64)
            if not wraps[axis]:
                first, last = np.clip(first, 0, count), np.clip(last, 0, count)
            spans += [first, last]
        self._boxes = np.column_stack(spans)
        self._edge = radius, max(falloff, 1e-3)
        _measure(begin, end, self._boxes, radius, *field.spacing, self._far, self._pressure)

    @property
    def window(self) -> tuple[int, int, int, int]:
        """Its rows from the first to before the second, its columns likewise; they go on over an edge that wraps."""
        low, high = self._boxes.min(axis=0), self._boxes.max(axis=0)
        return int(low[0]), int(high[1]), int(low[2]), int(high[3])

    def add(self, samples: np.ndarray, height: float) -> None:
        """Adds a height where the brush presses in full, less where it presses less."""
        _add(self._boxes, self._far, self._pressure, *self._edge, np.float32(height), samples)

    def blend(self, samples: np.ndarray, target: np.ndarray, part: float) -> None:
        """Brings samples towards a target.

        Args:
            samples: of the field's shape.
            target: (1, 1) for one height, else the heights over `window`.
            part: how far they go where the brush presses in full, 0 to 1.
        """
        top, _, left, _ = self.window
        _blend(self._boxes, self._far, self._pressure, *self._edge, target, top, left, np.float32(part), samples)

    def cover(self, samples: np.ndarray) -> None:
        """Raises samples to as much as the brush presses."""
        _cover(self._boxes, self._far, self._pressure, *self._edge, samples)

    def mean(self, samples: np.ndarray) -> np.float32 | None:
        """The mean of samples under the brush, weighed by how hard it presses; none where it reaches no texel."""
        weight, total = _sums(self._boxes, self._far, self._pressure, *self._edge, samples)
        return np.float32(total / weight) if weight > 0 else None


@numba.njit(cache=True, nogil=True)
def _measure(begin, end, boxes, radius, width, height, far, pressure):
    rows, columns = far.shape
    for piece in range(len(boxes)):
        x, y, here = begin[piece]
        dx, dy, change = end[piece, 0] - x, end[piece, 1] - y, end[piece, 2] - here
        square = dx * dx + dy * dy
        first_row, last_row, first_column, last_column = boxes[piece]
        for row in range(first_row, last_row):
            down = (row + 0.5) * height - y
            far_here, pressure_here = far[row % rows], pressure[row % rows]
            place = first_column % columns - 1
            for column in range(first_column, last_column):
                place = place + 1 if place + 1 < columns else 0
                across = (column + 0.5) * width - x
                along = 0.0
                if square > 0:
                    along = min(max((across * dx + down * dy) / square, 0.0), 1.0)
                away_x, away_y = across - along * dx, down - along * dy
                distance = away_x * away_x + away_y * away_y
                if distance <= radius * radius:
                    distance = np.sqrt(distance)
                    if distance < far_here[place]:
                        far_here[place] = distance
                        pressure_here[place] = here + along * change


@numba.njit(inline="always")
def _taken(far, pressure, row, column, radius, falloff):
    """How hard the brush presses on a texel; it is lifted from it, so that each is worked on once."""
    part = min((1 - far[row, column] / radius) / falloff, 1.0)
    far[row, column] = np.inf
    if part <= 0:
        return np.float32(0)
    return np.float32(part * part * (3 - 2 * part) * pressure[row, column])


@numba.njit(cache=True, nogil=True)
def _add(boxes, far, pressure, radius, falloff, height, samples):
    rows, columns = far.shape
    for first_row, last_row, first_column, last_column in boxes:
        for row in range(first_row, last_row):
            here = row % rows
            place = first_column % columns - 1
            for _ in range(first_column, last_column):
                place = place + 1 if place + 1 < columns else 0
                if far[here, place] < np.inf:
                    samples[here, place] += height * _taken(far, pressure, here, place, radius, falloff)


@numba.njit(cache=True, nogil=True)
def _blend(boxes, far, pressure, radius, falloff, target, top, left, part, samples):
    rows, columns = far.shape
    high, wide = target.shape
    for first_row, last_row, first_column, last_column in boxes:
        for row in range(first_row, last_row):
            here = row % rows
            place = first_column % columns - 1
            for column in range(first_column, last_column):
                place = place + 1 if place + 1 < columns else 0
                if far[here, place] < np.inf:
                    wanted = target[(row - top) % high, (column - left) % wide]
                    press = _taken(far, pressure, here, place, radius, falloff)
                    samples[here, place] += part * press * (wanted - samples[here, place])


@numba.njit(cache=True, nogil=True)
def _cover(boxes, far, pressure, radius, falloff, samples):
    rows, columns = far.shape
    for first_row, last_row, first_column, last_column in boxes:
        for row in range(first_row, last_row):
            here = row % rows
            place = first_column % columns - 1
            for _ in range(first_column, last_column):
                place = place + 1 if place + 1 < columns else 0
                if far[here, place] < np.inf:
                    press = _taken(far, pressure, here, place, radius, falloff)
                    samples[here, place] = max(samples[here, place], press)


@numba.njit(cache=True, nogil=True)
def _sums(boxes, far, pressure, radius, falloff, samples):
    rows, columns = far.shape
    weight, total = 0.0, 0.0
    for first_row, last_row, first_column, last_column in boxes:
        for row in range(first_row, last_row):
            here = row % rows
            place = first_column % columns - 1
            for _ in range(first_column, last_column):
                place = place + 1 if place + 1 < columns else 0
                if far[here, place] < np.inf:
                    press = _taken(far, pressure, here, place, radius, falloff)
                    weight += press
                    total += press * samples[here, place]
    return weight, total

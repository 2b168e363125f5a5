"""Where a brush presses that was drawn along a line: distances to the line, on tiles that wrap too.

Work is done near each piece of the line only, so a stroke costs what it covers, however large the field is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.height import HeightField
from relief.kernels import serial_kernel

FARTHEST = 1.0
"""A pointer that leaves the stage by more than this part of a side is taken to be there."""


@dataclass(frozen=True)
class Pressed:
    """The texels that a stroke presses on, each once.

    Attributes:
        rows, columns: their numbers, int32 (texels,).
        press: how hard, float32 (texels,), 0 to 1.
        top, left, bottom, right: the window around the stroke; on a side that wraps it goes on over the edge.
    """

    rows: np.ndarray
    columns: np.ndarray
    press: np.ndarray
    top: int
    left: int
    bottom: int
    right: int


class Brush:
    """A brush over the texels of one field; what it needs is made once for all of its strokes."""

    def __init__(self, field: HeightField) -> None:
        self.field = field
        self._far = np.full(field.samples.shape, np.inf, np.float32)
        self._pressure = np.zeros(field.samples.shape, np.float32)

    def press(self, points: np.ndarray, radius: float, falloff: float) -> Pressed:
        """Where a stroke presses.

        Args:
            points: (count, 3): x and y, (0, 0) upper left to (1, 1) lower right, and the pressure there, 0 to 1.
            radius: mm.
            falloff: part of the radius over which it presses less and less; 0 a hard edge, 1 all slope.
        """
        begin, end = pieces_of(self.field, points)
        boxes = boxes_around(self.field, begin, end, radius)
        count = _measure(begin, end, boxes, radius, *self.field.spacing, self._far, self._pressure)
        rows, columns, press = np.empty(count, np.int32), np.empty(count, np.int32), np.empty(count, np.float32)
        _lift(boxes, radius, max(falloff, 1e-3), self._far, self._pressure, rows, columns, press)
        (top, _, left, _), (_, bottom, _, right) = boxes.min(axis=0), boxes.max(axis=0)
        return Pressed(rows, columns, press, int(top), int(left), int(bottom), int(right))


def pieces_of(field: HeightField, points: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The ends of each piece of a line (x, y as parts of the footprint, pressure): x and y in mm, pressure."""
    line = np.array(points, np.float64)
    line[:, :2] = np.clip(line[:, :2], -FARTHEST, 1 + FARTHEST) * field.footprint.sides
    return (line[:-1], line[1:]) if len(line) > 1 else (line, line)


def boxes_around(field: HeightField, begin: np.ndarray, end: np.ndarray, radius: float) -> np.ndarray:
    """The texels that may lie within a radius of each piece of a line.

    Args:
        field: gives shape, footprint and edges.
        begin, end: (pieces, 2 or more), x and y of both ends of each piece, mm.
        radius: mm.

    Returns:
        int64 (pieces, 4): rows from and up to, columns from and up to; on a side that wraps they go on over the edge.
    """
    spans = []
    for axis in (1, 0):
        count, step, side = field.samples.shape[1 - axis], field.spacing[axis], field.footprint.sides[axis]
        # from farther than a tile the same texels are reached again
        reach = min(radius, side) if field.edges.wraps[axis] else radius
        low = np.minimum(begin[:, axis], end[:, axis]) - reach
        high = np.maximum(begin[:, axis], end[:, axis]) + reach
        first, last = np.floor(low / step).astype(np.int64), np.ceil(high / step).astype(np.int64)
        if not field.edges.wraps[axis]:
            first, last = np.clip(first, 0, count), np.clip(last, 0, count)
        spans += [first, last]
    return np.column_stack(spans)


@serial_kernel
def _measure(begin, end, boxes, radius, width, height, far, pressure):
    """Writes the distance to the nearest piece, and the pressure there; says how many texels are within the radius."""
    rows, columns = far.shape
    count = 0
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
                        count += far_here[place] == np.inf
                        far_here[place] = distance
                        pressure_here[place] = here + along * change
    return count


@serial_kernel
def _lift(boxes, radius, falloff, far, pressure, out_rows, out_columns, press):
    """Lists the texels that were reached, and leaves the distances as they were before the stroke."""
    rows, columns = far.shape
    count = 0
    for first_row, last_row, first_column, last_column in boxes:
        for row in range(first_row, last_row):
            here = row % rows
            place = first_column % columns - 1
            for _ in range(first_column, last_column):
                place = place + 1 if place + 1 < columns else 0
                if far[here, place] < np.inf:
                    part = min(max((1 - far[here, place] / radius) / falloff, 0.0), 1.0)
                    far[here, place] = np.inf
                    out_rows[count], out_columns[count] = here, place
                    press[count] = part * part * (3 - 2 * part) * pressure[here, place]
                    count += 1

"""Where a brush presses that was drawn along a line: distances to the line, on tiles that wrap too.

Work is done near each piece of the line only, so a stroke costs what it covers, however large the field is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.height import HeightField
from relief.kernels import serial_kernel, vector_kernel

FARTHEST = 1.0
"""A pointer that leaves the stage by more than this part of a side is taken to be there."""


@dataclass(frozen=True)
class Pressed:
    """The texels that a stroke presses on, each once.

    Attributes:
        texels: their numbers, row after row, int64 (texels,).
        press: how hard, float32 (texels,), 0 to 1.
        top, left, bottom, right: the window around the stroke; on a side that wraps it goes on over the edge.
    """

    texels: np.ndarray
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
        self._steps = np.arange(field.samples.shape[1], dtype=np.float32) * np.float32(field.spacing[0])
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
        _measure(begin, end, boxes, *self.field.spacing, self._steps, self._far, self._pressure)
        most = min(_count_new(boxes), self._far.size)
        texels, press = np.empty(most, np.int64), np.empty(most, np.float32)
        count = _lift(boxes, float(radius), float(max(falloff, 1e-3)), self._far, self._pressure, texels, press)
        (top, _, left, _), (_, bottom, _, right) = boxes.min(axis=0), boxes.max(axis=0)
        return Pressed(texels[:count], press[:count], int(top), int(left), int(bottom), int(right))


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


@vector_kernel
def _measure(begin, end, boxes, width, height, steps, far, pressure):
    """Writes the squared distance to the nearest piece, and the pressure there.

    No turn of the innermost loop asks anything, so that the processor takes eight texels at once.
    """
    rows, columns = far.shape
    for piece in range(len(boxes)):
        x, y, pressed = begin[piece]
        dx, dy, change = end[piece, 0] - x, end[piece, 1] - y, end[piece, 2] - pressed
        square = dx * dx + dy * dy
        # a piece that is shorter than a millionth of a mm is a point
        per_square = 1 / square if square > 1e-12 else 0.0
        per_step = np.float32(dx * per_square)
        side, rise, press, gain = np.float32(dx), np.float32(dy), np.float32(pressed), np.float32(change)
        first_row, last_row, first_column, last_column = boxes[piece]
        here, first_place = first_row % rows - 1, first_column % columns
        for row in range(first_row, last_row):
            here = here + 1 if here + 1 < rows else 0
            down = (row + 0.5) * height - y
            far_here, pressure_here = far[here], pressure[here]
            column, place = first_column, first_place
            while column < last_column:  # a run up to the edge, and on from the other one
                run = min(last_column - column, columns - place)
                across = (column + 0.5) * width - x
                from_left, from_top = np.float32(across), np.float32(down)
                along_left = np.float32((across * dx + down * dy) * per_square)
                far_run, pressure_run = far_here[place : place + run], pressure_here[place : place + run]
                for texel in range(run):
                    along = min(max(along_left + steps[texel] * per_step, np.float32(0)), np.float32(1))
                    away_x = from_left + steps[texel] - along * side
                    away_y = from_top - along * rise
                    distance = away_x * away_x + away_y * away_y
                    nearer = distance < far_run[texel]
                    far_run[texel] = distance if nearer else far_run[texel]
                    pressure_run[texel] = press + along * gain if nearer else pressure_run[texel]
                column, place = column + run, 0


@serial_kernel
def _count_new(boxes):
    """How many texels lie in some boxes, those not counted that lie in the one before."""
    count = 0
    for piece in range(len(boxes)):
        top, bottom, left, right = boxes[piece]
        count += (bottom - top) * (right - left)
        if piece:
            above, below, first, last = boxes[piece - 1]
            count -= max(min(bottom, below) - max(top, above), 0) * max(min(right, last) - max(left, first), 0)
    return count


@vector_kernel
def _lift(boxes, radius, falloff, far, pressure, texels, press):
    """Lists the texels within the radius, and leaves the distances as they were before the stroke; says how many."""
    rows, columns = far.shape
    farthest, per_radius, per_falloff = np.float32(radius * radius), np.float32(1 / radius), np.float32(1 / falloff)
    none, one, three = np.float32(0), np.float32(1), np.float32(3)
    count = 0
    for piece in range(len(boxes)):
        top, bottom, left, right = boxes[piece]
        above, below, first, last = boxes[max(piece - 1, 0)]
        if piece == 0:
            below = above
        first, last = min(max(first, left), right), max(min(last, right), left)
        here, left_place, last_place = top % rows - 1, left % columns, last % columns
        for row in range(top, bottom):
            here = here + 1 if here + 1 < rows else 0
            far_here, pressure_here, number = far[here], pressure[here], here * columns
            # what lies in the box before has been listed with it
            listed = above <= row < below
            place, run = left_place, (first if listed else right) - left
            for _ in range(2 if listed else 1):
                for _ in range(run):
                    distance = far_here[place]
                    far_here[place] = np.inf
                    if distance <= farthest:
                        part = min(max((one - np.sqrt(distance) * per_radius) * per_falloff, none), one)
                        texels[count] = number + place
                        press[count] = part * part * (three - (part + part)) * pressure_here[place]
                        count += 1
                    place = place + 1 if place + 1 < columns else 0
                place, run = last_place, right - last
    return count

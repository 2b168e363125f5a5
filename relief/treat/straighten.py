"""Straighten: a quadrangle of a photo taken at an angle becomes a rectangle."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import field_validator

from relief.filters.warp import perspective, warp
from relief.height import Edges, Footprint
from relief.parameters import drawn_value, number
from relief.treat.treatment import Family, Placement

Corner = tuple[float, float]
WHOLE: tuple[Corner, ...] = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
SMALLEST = 0.01


def straighten(samples: np.ndarray, corners: np.ndarray, rows: int, columns: int) -> np.ndarray:
    """The quadrangle with four corners stretched over a rectangle by the perspective that maps one to the other.

    Args:
        samples: float32 or uint8 (old rows, old columns[, channels]).
        corners: (4, 2), upper left, upper right, lower right, lower left; (0, 0) to (1, 1) over the picture.
        rows, columns: size of the result.
    """
    old_rows, old_columns = samples.shape[:2]
    # corners are places on the picture's area; a texel's centre lies half a texel inside
    source = np.array(corners) * (old_columns, old_rows) - 0.5
    target = np.array([(0, 0), (columns, 0), (columns, rows), (0, rows)]) - 0.5
    return warp(samples, perspective(target, source), rows, columns)


class Straighten(Placement):
    """Stretches four corners, dragged on the stage, to a rectangle: for a photo taken at an angle."""

    title: ClassVar[str] = "Straighten"
    family: ClassVar[Family] = "place"
    tools: ClassVar[tuple[str, ...]] = ("corners",)
    kind: Literal["straighten"] = "straighten"
    corners: tuple[Corner, Corner, Corner, Corner] = drawn_value(
        WHOLE, label="Corners", help="Drag the four corners to those of something that is a rectangle in reality."
    )
    ratio: float = number(
        0, 0, 20, label="Ratio", step=0.05, slider=(0, 4),
        help="Width over height of the rectangle in reality; 1 for a square. 0 takes it from the picture.",
    )  # fmt: skip

    @field_validator("corners")
    @classmethod
    def _convex(cls, corners: tuple[Corner, ...]) -> tuple[Corner, ...]:
        if not all(-0.5 <= part <= 1.5 for corner in corners for part in corner):
            raise ValueError("A corner lies too far outside the picture.")
        points = np.array(corners)
        before, after = points - np.roll(points, 1, 0), np.roll(points, -1, 0) - points
        turns = before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0]
        if (turns < SMALLEST**2).any():
            raise ValueError("The four corners must go round, upper left first, without a dent.")
        return corners

    def move(self, samples: np.ndarray, footprint: Footprint, edges: Edges) -> np.ndarray:
        rows, columns = samples.shape[:2]
        after = self.footprint_after(footprint, edges)
        new_columns = max(1, round(after.width * columns / footprint.width))
        new_rows = max(1, round(after.height * rows / footprint.height))
        return straighten(samples, np.array(self.corners), new_rows, new_columns)

    def footprint_after(self, footprint: Footprint, edges: Edges) -> Footprint:
        """The mean lengths of opposite sides; the height follows the width when the ratio is known."""
        points = np.array(self.corners) * (footprint.width, footprint.height)
        sides = np.linalg.norm(np.roll(points, -1, 0) - points, axis=1)
        width, height = (sides[0] + sides[2]) / 2, (sides[1] + sides[3]) / 2
        return footprint.resize(width, width / self.ratio if self.ratio > 0 else height)

    def edges_after(self, edges: Edges) -> Edges:
        return edges if self.corners == WHOLE else Edges()

"""Turn: by quarters, and by a few degrees to level a picture that was taken askew."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np

from relief.filters.warp import warp
from relief.height import Edges, Footprint
from relief.parameters import choice, number
from relief.treat.treatment import Family, Placement

QUARTERS = {0: "None", 1: "90° left", 2: "180°", 3: "90° right"}


def find_kept_part(width: float, height: float, angle: float) -> float:
    """The size of the largest rectangle of the same shape inside one that was turned by `angle` radians."""
    cosine, sine = math.cos(angle), abs(math.sin(angle))
    return min(width / (width * cosine + height * sine), height / (width * sine + height * cosine))


class Turn(Placement):
    """Rotates the picture, and crops what a small rotation leaves empty."""

    title: ClassVar[str] = "Turn"
    family: ClassVar[Family] = "place"
    kind: Literal["turn"] = "turn"
    quarters: Literal[0, 1, 2, 3] = choice(
        0, QUARTERS, label="Quarters", help="Rotates by right angles, which loses nothing."
    )
    angle: float = number(
        0, -45, 45, label="Angle", unit="°", step=0.1, slider=(-15, 15),
        help="A small rotation, counter-clockwise when positive. The picture is cropped to what it still covers.",
    )  # fmt: skip

    def move(self, samples: np.ndarray, footprint: Footprint, edges: Edges) -> np.ndarray:
        upright = np.ascontiguousarray(np.rot90(samples, self.quarters))
        if self.angle == 0:
            return upright
        footprint = self._after_quarters(footprint)
        rows, columns = upright.shape[:2]
        part = find_kept_part(footprint.width, footprint.height, math.radians(self.angle))
        new_rows, new_columns = max(1, round(rows * part)), max(1, round(columns * part))
        width, height = footprint.width / columns, footprint.height / rows  # texels may be wider than high
        # whole texels make up the part that is kept, so they are a little larger or smaller than before
        new_width, new_height = footprint.width * part / new_columns, footprint.height * part / new_rows
        cosine, sine = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        # from a place of the result to a place of the picture, both seen from their middles, rows downwards
        matrix = np.array(
            [
                [cosine * new_width / width, -sine * new_height / width],
                [sine * new_width / height, cosine * new_height / height],
            ]
        )
        middle = np.array([(columns - 1) / 2, (rows - 1) / 2])
        shift = middle - matrix @ np.array([(new_columns - 1) / 2, (new_rows - 1) / 2])
        affine = np.vstack([np.column_stack([matrix, shift]), (0, 0, 1)])
        return warp(upright, affine, new_rows, new_columns)

    def turn_vectors(self, vectors: np.ndarray) -> np.ndarray:
        angle = math.radians(90 * self.quarters + self.angle)
        cosine, sine = math.cos(angle), math.sin(angle)
        around = np.array([[cosine, -sine, 0], [sine, cosine, 0], [0, 0, 1]], np.float32)
        return vectors @ around.T

    def _after_quarters(self, footprint: Footprint) -> Footprint:
        return footprint.resize(footprint.height, footprint.width) if self.quarters % 2 else footprint

    def footprint_after(self, footprint: Footprint, edges: Edges) -> Footprint:
        footprint = self._after_quarters(footprint)
        part = find_kept_part(footprint.width, footprint.height, math.radians(self.angle))
        return footprint.resize(footprint.width * part, footprint.height * part)

    def edges_after(self, edges: Edges) -> Edges:
        if self.angle:
            return Edges()
        return Edges(across=edges.down, down=edges.across) if self.quarters % 2 else edges

"""Heal: marked places are filled from what lies around them.

Reference:
    A. Telea 2004, An image inpainting technique based on the fast marching method, J. Graphics Tools 9 (OpenCV
    `inpaint`).
"""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import Field

from relief.filters.brush import Brush
from relief.height import HeightField
from relief.parameters import Parameters, drawn_value
from relief.treat.treatment import Family, Treatment

Point = tuple[float, float]
LOOKED_AT = 4.0
"""Texels around a place that it is filled from."""

NEAR = 8
"""Texels around a mark that are handed to the filling."""


class Mark(Parameters):
    """One stroke of the brush."""

    points: tuple[Point, ...] = Field(min_length=1, max_length=2000)
    """(0, 0) upper left to (1, 1) lower right."""
    radius: float = Field(gt=0, le=10_000)
    """Half the width of the stroke in mm."""


def paint(field: HeightField, marks: tuple[Mark, ...], soft: float = 0) -> np.ndarray:
    """Where marks lie; over an edge that wraps they go on at the other side.

    Args:
        field: gives shape, footprint and edges.
        marks: where the brush went.
        soft: part of the brush's radius over which a mark runs out, half of it on either side.

    Returns:
        float32 (rows, columns), 1 in a mark and 0 beyond.
    """
    cover, brush = np.zeros(field.samples.shape, np.float32), Brush(field)
    flat = cover.reshape(-1)
    # a brush narrower than a texel still marks the one it is on
    narrowest = math.hypot(*field.spacing) / 2
    for mark in marks:
        # half of the passage lies beyond the brush
        radius, passage = max(mark.radius, narrowest) * (1 + soft / 2), soft / (1 + soft / 2)
        here = brush.press(np.column_stack([mark.points, np.ones(len(mark.points))]), radius, passage)
        flat[here.texels] = np.maximum(flat[here.texels], here.press)
    return cover


def heal_marks(field: HeightField, marks: tuple[Mark, ...]) -> np.ndarray:
    """The samples with the marked places filled from around."""
    if min(field.samples.shape) < 3:
        return field.samples
    mask = (paint(field, marks) > 0).astype(np.uint8) * 255
    if mask.all() or not mask.any():
        return field.samples
    beyond = tuple(min(NEAR * 4, side - 1) for side in field.samples.shape[::-1])
    wide, wide_mask = field.pad(beyond), field.pad(beyond, mask)
    out = wide.copy()
    count, _, boxes, _ = cv2.connectedComponentsWithStats(wide_mask)
    for left, top, width, height, _ in boxes[1:count]:
        near = slice(max(0, top - NEAR), top + height + NEAR), slice(max(0, left - NEAR), left + width + NEAR)
        part, part_mask = np.ascontiguousarray(wide[near]), np.ascontiguousarray(wide_mask[near])
        if not part_mask.all():
            out[near] = np.where(part_mask > 0, _fill(part, part_mask), out[near])
    rows, columns = field.samples.shape
    return out[beyond[1] : beyond[1] + rows, beyond[0] : beyond[0] + columns]


def _fill(part: np.ndarray, mask: np.ndarray) -> np.ndarray:
    """A part with its mask filled: in 16 bits of what lies around, since OpenCV's filling runs off in floats."""
    around = part[mask == 0]
    low, high = float(around.min()), float(around.max())
    if high - low < 1e-9:
        return np.full_like(part, low)
    whole = np.clip((part - np.float32(low)) * np.float32(65535 / (high - low)), 0, 65535).astype(np.uint16)
    filled = cv2.inpaint(whole, mask, LOOKED_AT, cv2.INPAINT_TELEA)
    return filled * np.float32((high - low) / 65535) + np.float32(low)


class Heal(Treatment):
    """Fills marked places from what lies around them: a crack, a stain, whatever gives the repeat away."""

    title: ClassVar[str] = "Heal"
    family: ClassVar[Family] = "edges"
    tools: ClassVar[tuple[str, ...]] = ("brush",)
    kind: Literal["heal"] = "heal"
    marks: tuple[Mark, ...] = drawn_value(
        (),
        shown="marks",
        label="Marks",
        help="Paint over a place on the stage; it is filled from its surroundings.",
        max_length=500,
    )

    def treat(self, field: HeightField) -> HeightField:
        return field.with_samples(heal_marks(field, self.marks)) if self.marks else field

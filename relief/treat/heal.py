"""Heal: marked places are filled from what lies around them.

Reference:
    A. Telea 2004, An image inpainting technique based on the fast marching method, J. Graphics Tools 9 (OpenCV
    `inpaint`).
"""

from __future__ import annotations

from typing import ClassVar, Literal

import cv2
import numpy as np
from pydantic import Field

from relief.height import HeightField
from relief.parameters import Parameters, drawn
from relief.treat.treatment import Family, Treatment

Point = tuple[float, float]
LOOKED_AT = 4.0
"""Texels around a place that it is filled from."""

FRACTION_BITS = 4
"""Marks are drawn to a sixteenth of a texel."""

NEAR = 8
"""Texels around a mark that are handed to the filling."""


class Mark(Parameters):
    """One stroke of the brush."""

    points: tuple[Point, ...] = Field(min_length=1, max_length=2000)
    """(0, 0) upper left to (1, 1) lower right."""
    radius: float = Field(gt=0, le=10_000)
    """Half the width of the stroke in mm."""


def mask_of(field: HeightField, marks: tuple[Mark, ...]) -> np.ndarray:
    """uint8 (rows, columns), 255 where a mark lies; over an edge that wraps it goes on at the other side."""
    rows, columns = field.samples.shape
    width, height = field.spacing
    mask = np.zeros((rows, columns), np.uint8)
    scale = 1 << FRACTION_BITS
    across = (-1, 0, 1) if field.edges.wraps[0] else (0,)
    down = (-1, 0, 1) if field.edges.wraps[1] else (0,)
    for mark in marks:
        radius = max(0.5, mark.radius / min(width, height))
        for right in across:
            for below in down:
                places = np.add(mark.points, (right, below)) * (columns, rows) - 0.5
                fixed = np.rint(places * scale).astype(np.int32)
                for place in fixed:
                    cv2.circle(mask, place.tolist(), round(radius * scale), 255, -1, shift=FRACTION_BITS)
                if len(fixed) > 1:
                    thick = min(max(1, round(radius * 2)), 32_767)
                    cv2.polylines(mask, [fixed], False, 255, thick, shift=FRACTION_BITS)
    return mask


def healed(field: HeightField, marks: tuple[Mark, ...]) -> np.ndarray:
    """The samples with the marked places filled from around."""
    if min(field.samples.shape) < 3:
        return field.samples
    mask = mask_of(field, marks)
    if mask.all() or not mask.any():
        return field.samples
    beyond = tuple(min(NEAR * 4, side - 1) for side in field.samples.shape[::-1])
    wide, wide_mask = field.padded(beyond), field.padded(beyond, mask)
    out = wide.copy()
    count, _, boxes, _ = cv2.connectedComponentsWithStats(wide_mask)
    for left, top, width, height, _ in boxes[1:count]:
        near = slice(max(0, top - NEAR), top + height + NEAR), slice(max(0, left - NEAR), left + width + NEAR)
        part, part_mask = np.ascontiguousarray(wide[near]), np.ascontiguousarray(wide_mask[near])
        if not part_mask.all():
            out[near] = np.where(part_mask > 0, _filled(part, part_mask), out[near])
    rows, columns = field.samples.shape
    return out[beyond[1] : beyond[1] + rows, beyond[0] : beyond[0] + columns]


def _filled(part: np.ndarray, mask: np.ndarray) -> np.ndarray:
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
    kind: Literal["heal"] = "heal"
    marks: tuple[Mark, ...] = drawn(
        (), label="Marks", help="Paint over a place on the stage; it is filled from around.", max_length=500
    )

    def treat(self, field: HeightField) -> HeightField:
        return field.with_samples(healed(field, self.marks)) if self.marks else field

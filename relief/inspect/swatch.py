"""A small lit picture of a relief, as it stands on the shelf."""

from __future__ import annotations

import numpy as np

from relief.height import HeightField
from relief.maps.slopes import slopes
from relief.maps.vectors import of_slopes

LIGHT = np.array([-0.55, 0.6, 0.58], np.float32)
"""Towards the light: from the upper left, fairly low, so that shallow relief shows."""

AMBIENT, DIRECT = 0.22, 0.74


def swatch(field: HeightField, amplitude: float) -> np.ndarray:
    """The field in matt white under one light: uint8 (rows, columns)."""
    return in_white(of_slopes(slopes(field, amplitude)))


def in_white(normals: np.ndarray) -> np.ndarray:
    """Unit normals (rows, columns, 3) in matt white under one light: uint8 (rows, columns)."""
    facing = np.clip(normals @ (LIGHT / np.linalg.norm(LIGHT)), 0, 1)
    return np.rint((AMBIENT + DIRECT * facing) * 255).astype(np.uint8)

"""A small lit picture of a relief, as it stands on the shelf."""

from __future__ import annotations

import numpy as np

from relief.height import HeightField
from relief.maps.slopes import slopes

LIGHT = np.array([-0.55, 0.6, 0.58], np.float32)
"""Towards the light: from the upper left, fairly low, so that shallow relief shows."""

AMBIENT, DIRECT = 0.22, 0.74


def swatch(field: HeightField, amplitude: float) -> np.ndarray:
    """The field in matt white under one light: uint8 (rows, columns)."""
    rise = slopes(field, amplitude)
    return shaded(rise[..., 0], rise[..., 1])


def shaded(across: np.ndarray, up: np.ndarray) -> np.ndarray:
    """Slopes dd/dx and dd/dy in matt white under one light: uint8 (rows, columns)."""
    facing = (LIGHT[2] - across * LIGHT[0] - up * LIGHT[1]) / np.sqrt(across**2 + up**2 + 1)
    shade = AMBIENT + DIRECT * np.clip(facing / np.linalg.norm(LIGHT), 0, 1)
    return np.rint(shade * 255).astype(np.uint8)

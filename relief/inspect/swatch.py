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
    facing = (LIGHT[2] - rise[..., 0] * LIGHT[0] - rise[..., 1] * LIGHT[1]) / np.sqrt((rise**2).sum(axis=-1) + 1)
    shade = AMBIENT + DIRECT * np.clip(facing / np.linalg.norm(LIGHT), 0, 1)
    return np.rint(shade * 255).astype(np.uint8)

"""WebP: colours alone, with loss."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

HOLDS = ("uint8",)
SAYS_COLOUR = False
LONGEST = 16_383
"""Pixels on a side at most."""

QUALITY = 92


def write(pixels: np.ndarray) -> bytes:
    """A WebP of uint8 pixels, (rows, columns) or (rows, columns, 3 or 4)."""
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "WEBP", quality=QUALITY, method=2)
    return data.getvalue()

"""JPEG: colours alone, with loss."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

HOLDS = ("uint8",)
SAYS_COLOUR = False
LONGEST = 65_500
"""Pixels on a side at most."""

QUALITY = 92


def write(pixels: np.ndarray) -> bytes:
    """A JPEG of uint8 pixels, (rows, columns) or (rows, columns, 3), its colours at full size."""
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "JPEG", quality=QUALITY, subsampling=0, optimize=True)
    return data.getvalue()

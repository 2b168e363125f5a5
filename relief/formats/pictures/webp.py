"""WebP: colours alone, with loss."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from relief.formats.pictures._format import PictureFormat

QUALITY = 92


def write(pixels: np.ndarray, is_colour: bool = False) -> bytes:
    """A WebP of uint8 pixels, (rows, columns) or (rows, columns, 3 or 4)."""
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "WEBP", quality=QUALITY, method=2)
    return data.getvalue()


FORMAT = PictureFormat(
    name="WebP",
    about="WebP is smaller still and loses a little.",
    holds=("uint8",),
    write=write,
    lossy=True,
    longest=16_383,
)

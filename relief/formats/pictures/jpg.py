"""JPEG: colours alone, with loss."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from relief.formats.pictures._format import PictureFormat

QUALITY = 92


def write(pixels: np.ndarray, is_colour: bool = False) -> bytes:
    """A JPEG of uint8 pixels, (rows, columns) or (rows, columns, 3), its colours at full size."""
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "JPEG", quality=QUALITY, subsampling=0, optimize=True)
    return data.getvalue()


FORMAT = PictureFormat(
    name="JPEG",
    about="JPEG is small and loses a little.",
    holds=("uint8",),
    write=write,
    lossy=True,
    longest=65_500,
)

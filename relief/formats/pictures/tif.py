"""TIFF 6.0: whole numbers or floats, packed without loss (Adobe deflate, with a predictor). Few read halves in it."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import tifffile

from relief.formats.pictures._format import PictureFormat

ROWS = 64
"""In a strip; strips are packed side by side."""

OF_WHOLE_NUMBERS, OF_FLOATS = 2, 3
"""Predictors: what samples differ by from those before (TIFF 6.0, section 14; Adobe TIFF Technical Note 3)."""


def write(pixels: np.ndarray, is_colour: bool = False) -> bytes:
    """A TIFF of (rows, columns) grey or (rows, columns, 3 or 4) red, green, blue, alpha, values as they are."""
    data = io.BytesIO()
    colours = pixels.ndim == 3
    more: dict[str, Any] = {"extrasamples": ["unassalpha"]} if colours and pixels.shape[2] == 4 else {}
    tifffile.imwrite(
        data, pixels, photometric="rgb" if colours else "minisblack", metadata=None, rowsperstrip=ROWS,
        compression="adobe_deflate", predictor=OF_FLOATS if pixels.dtype.kind == "f" else OF_WHOLE_NUMBERS,
        compressionargs={"level": 2}, software=False, **more,
    )  # fmt: skip
    return data.getvalue()


FORMAT = PictureFormat(
    name="TIFF",
    about="TIFF holds 8 and 16 bits, and floats.",
    holds=("uint8", "uint16", "float32"),
    write=write,
)

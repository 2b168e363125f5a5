"""Maps as image files: data, tagged with no transfer function and no profile.

PNG: ISO/IEC 15948. TIFF 6.0 with float samples.
"""

from __future__ import annotations

import io

import cv2
import numpy as np
import tifffile


def png(pixels: np.ndarray) -> bytes:
    """A PNG of uint8 or uint16 pixels, (rows, columns) grey or (rows, columns, 3 or 4) red, green, blue, alpha."""
    ordered = pixels if pixels.ndim == 2 else pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]
    written, data = cv2.imencode(".png", ordered, [cv2.IMWRITE_PNG_COMPRESSION, 4])
    if not written:
        raise OSError("The picture could not be written.")
    return data.tobytes()


def tiff(samples: np.ndarray) -> bytes:
    """A TIFF of float32 samples (rows, columns), values as they are."""
    data = io.BytesIO()
    tifffile.imwrite(data, samples.astype(np.float32, copy=False), photometric="minisblack", metadata=None)
    return data.getvalue()

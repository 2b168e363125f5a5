"""Pictures shown on a page, as PNG (ISO/IEC 15948)."""

from __future__ import annotations

import cv2
import numpy as np


def png(pixels: np.ndarray) -> bytes:
    """A PNG of uint8 or uint16 pixels, (rows, columns) grey or (rows, columns, 3 or 4) red, green, blue, alpha."""
    ordered = pixels if pixels.ndim == 2 else pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]
    written, data = cv2.imencode(".png", ordered, [cv2.IMWRITE_PNG_COMPRESSION, 4])
    if not written:
        raise OSError("The picture could not be written.")
    return data.tobytes()

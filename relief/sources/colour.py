"""Colour and data: the sRGB transfer, and the ways to make grey of a colour picture.

References:
    IEC 61966-2-1 (sRGB transfer), ITU-R BT.709 (luminance weights), ITU-R BT.601 (luma weights).
"""

from typing import Literal

import cv2
import numpy as np

Grey = Literal["luminance", "luma", "red", "green", "blue"]
GREY_NAMES = {
    "luminance": "Luminance (linear light)",
    "luma": "Luma (as displayed)",
    "red": "Red channel",
    "green": "Green channel",
    "blue": "Blue channel",
}
LUMINANCE_WEIGHTS = (0.2126, 0.7152, 0.0722)
LUMA_WEIGHTS = (0.299, 0.587, 0.114)


def linear_from_srgb(encoded: np.ndarray) -> np.ndarray:
    """Linear light of sRGB-encoded values, both 0 to 1."""
    encoded = np.asarray(encoded, np.float32)
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** np.float32(2.4))


def srgb_from_linear(linear: np.ndarray) -> np.ndarray:
    """sRGB encoding of linear light, both 0 to 1."""
    linear = np.asarray(linear, np.float32)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 0) ** np.float32(1 / 2.4) - 0.055)


def full_scale(samples: np.ndarray) -> np.ndarray:
    """Samples as float32: whole numbers over their largest value (/255, /65535), floats as they are."""
    if samples.dtype.kind == "f":
        return samples.astype(np.float32, copy=False)
    return samples.astype(np.float32) / np.float32(np.iinfo(samples.dtype).max)


def _linear(samples: np.ndarray) -> np.ndarray:
    """Linear light of a picture's samples; for whole numbers by a table, which is exact and quick."""
    if samples.dtype.kind == "f":
        return linear_from_srgb(samples)
    table = linear_from_srgb(full_scale(np.arange(np.iinfo(samples.dtype).max + 1).astype(samples.dtype)))
    return table[samples]


def grey_of_photo(pixels: np.ndarray, grey: Grey) -> np.ndarray:
    """One brightness for each pixel of a photo.

    Args:
        pixels: (rows, columns) or (rows, columns, 3), uint8, uint16 or float; sRGB-encoded.
        grey: luminance (BT.709 weights on linear light), luma (BT.601 weights on encoded values), or one channel as
            it is encoded.

    Returns:
        float32 (rows, columns), 0 to 1.
    """
    if pixels.ndim == 2:
        return _linear(pixels) if grey == "luminance" else full_scale(pixels)
    if grey == "luminance":
        return cv2.transform(_linear(pixels), np.array([LUMINANCE_WEIGHTS], np.float32))
    if grey == "luma":
        return cv2.transform(full_scale(pixels), np.array([LUMA_WEIGHTS], np.float32))
    return full_scale(pixels[..., ("red", "green", "blue").index(grey)])


def grey_of_data(pixels: np.ndarray) -> np.ndarray:
    """The height samples of a data picture: its first channel, read through no transfer function.

    Returns:
        float32 (rows, columns).
    """
    return full_scale(pixels if pixels.ndim == 2 else pixels[..., 0])

"""PNG (ISO/IEC 15948): whole numbers. Data has no gamma, profile or other chunk that says how to show it; colours have
the one that says sRGB (11.3.2.5).

Each row is told as what it differs by from the one above (filter type 2), and packed by libdeflate: a quarter of the
time that libpng takes for the same size.
"""

from __future__ import annotations

import struct
import zlib

import imagecodecs
import numpy as np

from relief.formats.pictures._format import PictureFormat

SIGNATURE = b"\x89PNG\r\n\x1a\n"
UP = 2
COLOUR_TYPES = {1: 0, 3: 2, 4: 6}
EFFORT = 2
PERCEPTUAL = b"\0"
"""The rendering intent that suits pictures."""


def write(pixels: np.ndarray, is_colour: bool = False) -> bytes:
    """A PNG of uint8 or uint16 pixels, (rows, columns) grey or (rows, columns, 3 or 4) red, green, blue, alpha.

    Args:
        pixels: what it holds.
        is_colour: whether they are colours in sRGB, and no data.
    """
    rows, columns = pixels.shape[:2]
    channels = pixels.shape[2] if pixels.ndim == 3 else 1
    bits = 8 * pixels.dtype.itemsize
    samples = np.ascontiguousarray(pixels, f">u{bits // 8}").view(np.uint8).reshape(rows, -1)
    told = np.empty((rows, samples.shape[1] + 1), np.uint8)
    told[:, 0] = UP
    told[0, 1:] = samples[0]
    np.subtract(samples[1:], samples[:-1], out=told[1:, 1:])
    head = struct.pack(">IIBBBBB", columns, rows, bits, COLOUR_TYPES[channels], 0, 0, 0)
    packed = bytes(imagecodecs.deflate_encode(told.tobytes(), level=EFFORT))
    space = _chunk(b"sRGB", PERCEPTUAL) if is_colour else b""
    return SIGNATURE + _chunk(b"IHDR", head) + space + _chunk(b"IDAT", packed) + _chunk(b"IEND", b"")


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(data, zlib.crc32(kind)))


FORMAT = PictureFormat(
    name="PNG",
    about="PNG holds 8 and 16 bits.",
    holds=("uint8", "uint16"),
    write=write,
)

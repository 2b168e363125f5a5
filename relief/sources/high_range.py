"""Pictures of linear light beyond white: OpenEXR, and Radiance HDR."""

from __future__ import annotations

import io
import re

import cv2
import numpy as np
import OpenEXR

from relief.errors import PictureError
from relief.sources.picture import LINEAR, MOST_PIXELS, Picture, refuse_if_too_large

SIZE_LINE = re.compile(rb"^-Y (\d{1,9}) \+X (\d{1,9})$", re.M)
LONGEST_HEADER = 65_536
MOST_SAMPLES = 4 * MOST_PIXELS
"""In all parts and channels of a file: a picture of the largest size with its alpha."""


def decode_exr(data: bytes) -> Picture:
    """OpenEXR: half, float or whole-number channels by any name; R, G, B are the picture, A is its alpha."""
    parts = OpenEXR.File(io.BytesIO(data), False, True).parts
    sizes = [_size(part.header["dataWindow"]) for part in parts]
    for size in sizes:
        refuse_if_too_large(*size)
    # all parts and channels are decoded, whichever of them is used
    samples = sum(
        columns * rows * len(part.header["channels"]) for (columns, rows), part in zip(sizes, parts, strict=True)
    )
    if samples > MOST_SAMPLES:
        raise PictureError(
            f"This OpenEXR file holds {samples // 1_000_000} million samples in all of its parts and channels. "
            f"At most {MOST_SAMPLES // 1_000_000} million can be read; leave out what is not needed."
        )
    columns, rows = sizes[0]
    file = OpenEXR.File(io.BytesIO(data), True)
    remarks: tuple[str, ...] = (f"The first of {len(file.parts)} parts is used.",) if len(file.parts) > 1 else ()
    channels = {name: channel.pixels for name, channel in file.parts[0].channels.items()}
    full = {name: pixels for name, pixels in channels.items() if pixels.shape == (rows, columns)}
    if not full:
        raise PictureError("No channel of this OpenEXR picture covers all of it.")
    bits = 16 if all(pixels.dtype == np.float16 for pixels in full.values()) else 32
    full = {name: np.ascontiguousarray(pixels, np.float32) for name, pixels in full.items()}
    alpha = full.pop("A", None)
    if {"R", "G", "B"} <= full.keys():
        pixels = np.dstack([full.pop(name) for name in "RGB"])
    elif full:
        first = "Y" if "Y" in full else next(iter(full))
        pixels = full.pop(first)
        remarks += (f"Channel “{first}” is taken as its grey.",)
    else:
        pixels = alpha
    return Picture(pixels, bits, "OpenEXR", alpha, full, transfer=LINEAR, linear=True, remarks=remarks)


def _size(window: tuple) -> tuple[int, int]:
    """Columns and rows of a data window."""
    (left, top), (right, bottom) = window
    return int(right - left + 1), int(bottom - top + 1)


def decode_hdr(data: bytes) -> Picture:
    """Radiance HDR: red, green and blue with a shared exponent."""
    size = SIZE_LINE.search(data[:LONGEST_HEADER])
    if size is None:
        raise PictureError("This Radiance picture is stored turned or mirrored, or its size line is missing.")
    rows, columns = map(int, size.groups())
    refuse_if_too_large(columns, rows)
    pixels = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if pixels is None or pixels.shape[:2] != (rows, columns):
        raise ValueError("OpenCV cannot decode it")
    return Picture(np.ascontiguousarray(pixels[..., ::-1]), 32, "Radiance HDR", transfer=LINEAR, linear=True)

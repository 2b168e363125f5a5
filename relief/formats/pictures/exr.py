"""OpenEXR: half or float samples. Whole numbers become 0 to 1: 8 bits in halves, 16 bits in floats."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from relief.formats.pictures._format import PictureFormat

CHANNELS = {1: "Y", 3: "RGB", 4: "RGBA"}


def write(pixels: np.ndarray, is_colour: bool = False) -> bytes:
    """An EXR of (rows, columns) or (rows, columns, 3 or 4), its channels Y, or R, G, B and A."""
    import OpenEXR  # loaded by who writes one only

    samples = as_floats(pixels)
    names = CHANNELS[samples.shape[2] if samples.ndim == 3 else 1]
    parts = {name: np.ascontiguousarray(samples if samples.ndim == 2 else samples[..., place])
             for place, name in enumerate(names)}  # fmt: skip
    header: dict[str, Any] = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with tempfile.TemporaryDirectory() as folder:  # its library writes to places alone
        place = Path(folder, "picture.exr")
        with OpenEXR.File(header, parts) as file:
            file.write(str(place))
        return place.read_bytes()


def as_floats(pixels: np.ndarray) -> np.ndarray:
    """Samples as they stand in the file."""
    if pixels.dtype.kind == "f":
        return pixels
    scaled = pixels / np.float32(np.iinfo(pixels.dtype).max)
    return scaled.astype(np.float16 if pixels.dtype == np.uint8 else np.float32)


FORMAT = PictureFormat(
    name="OpenEXR",
    about="OpenEXR holds floats only.",
    holds=("uint8", "uint16", "float16", "float32"),
    write=write,
    for_colours=False,
)

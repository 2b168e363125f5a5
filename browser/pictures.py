"""Pictures for the tests, made on the spot."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from PIL import Image


def waves(size: int = 256, across: int = 4) -> np.ndarray:
    """A height field of round waves that tiles: float, 0 to 1."""
    place = np.arange(size) / size * 2 * np.pi * across
    return 0.5 + 0.25 * (np.sin(place)[None, :] + np.sin(place)[:, None])


def png16(heights: np.ndarray) -> bytes:
    """Heights, 0 to 1, as a 16-bit grey PNG."""
    data = io.BytesIO()
    Image.fromarray(np.rint(heights * 65535).astype(np.uint16)).save(data, "PNG")
    return data.getvalue()


def save(folder: Path, name: str, data: bytes) -> str:
    """The path of a file with this content."""
    path = folder / name
    path.write_bytes(data)
    return str(path)

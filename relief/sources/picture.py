"""A picture as it came in: its samples in the type the file holds, and what the file says of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from relief.errors import PictureError

MOST_PIXELS = 100_000_000
MOST_ON_A_SIDE = 32_000
COLOURS = ("red", "green", "blue")
LINEAR = "linear light"
"""What is said of the transfer of pictures whose samples are light itself."""


@dataclass(frozen=True)
class Picture:
    """A decoded picture.

    Attributes:
        pixels: (rows, columns) or (rows, columns, 3); uint8, uint16, uint32 or float32. Nothing is stored back in fewer
            bits than the file holds.
        bits: bits in a sample as the file holds it.
        format: the kind of file: `PNG`, `JPEG`, `TIFF`, ...
        alpha: (rows, columns) of the same type, where the file has an alpha channel.
        extra: channels by other names (OpenEXR), each (rows, columns) float32.
        transfer: in words, what the file says of its transfer function; empty where it says nothing.
        linear: whether its colours are linear light rather than sRGB-encoded.
        remarks: sentences on what was done to read it.
    """

    pixels: np.ndarray
    bits: int
    format: str
    alpha: np.ndarray | None = None
    extra: Mapping[str, np.ndarray] = field(default_factory=dict)
    transfer: str = ""
    linear: bool = False
    remarks: tuple[str, ...] = ()

    @property
    def rows(self) -> int:
        """Texels down."""
        return self.pixels.shape[0]

    @property
    def columns(self) -> int:
        """Texels across."""
        return self.pixels.shape[1]

    @property
    def is_colour(self) -> bool:
        """Whether it has red, green and blue."""
        return self.pixels.ndim == 3

    @property
    def is_float(self) -> bool:
        """Whether its samples are floats."""
        return self.pixels.dtype.kind == "f"

    @property
    def grain(self) -> float:
        """One grey level as a part of the full range; 0 where samples are floating-point numbers."""
        return 0.0 if self.is_float else 1 / np.iinfo(self.pixels.dtype).max

    @property
    def channels(self) -> tuple[str, ...]:
        """The names of all channels, each of which may be taken as height."""
        names = COLOURS if self.is_colour else ("grey",)
        return (*names, *(("alpha",) if self.alpha is not None else ()), *self.extra)

    def channel(self, name: str) -> np.ndarray:
        """The samples (rows, columns) of one channel; with no name, of the first.

        Raises:
            PictureError: there is no such channel.
        """
        if not name:
            return self.pixels[..., 0] if self.is_colour else self.pixels
        if name not in self.channels:
            raise PictureError(f"The picture has no channel “{name}”. It has {', '.join(self.channels)}.")
        if name in COLOURS:
            return self.pixels[..., COLOURS.index(name)]
        if name == "alpha" and self.alpha is not None:
            return self.alpha
        return self.pixels if name == "grey" else self.extra[name]

    @property
    def nbytes(self) -> int:
        """Bytes of all its arrays."""
        beside = sum(channel.nbytes for channel in self.extra.values())
        return self.pixels.nbytes + beside + (0 if self.alpha is None else self.alpha.nbytes)


def refuse_if_too_large(columns: int, rows: int) -> None:
    """Raises PictureError when a picture of this size would not be decoded."""
    if columns * rows > MOST_PIXELS or max(columns, rows) > MOST_ON_A_SIDE:
        raise PictureError(
            f"The picture is {columns} x {rows} pixels. At most {MOST_PIXELS // 1_000_000} million pixels and "
            f"{MOST_ON_A_SIDE} on a side can be read; make it smaller first."
        )

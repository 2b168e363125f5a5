"""What can be said of a picture by looking at it: facts, histogram, and whether it is a photo or a height image."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

import numpy as np

from relief.height import shrunk
from relief.sources.colour import full_scale
from relief.sources.picture import Picture

Reading = Literal["photo", "height"]
READING_NAMES = {"photo": "Photo", "height": "Height image"}

SEAMLESS_BELOW = 1.5
"""A step across the edge of more than this many inner steps reads as a line (common practice, no source)."""


@dataclass(frozen=True)
class Guess:
    """What a picture seems to be, and why."""

    reading: Reading
    reason: str


@dataclass(frozen=True)
class Facts:
    """Facts of a picture; everything as JSON can hold it."""

    columns: int
    rows: int
    format: str
    bits: int
    is_float: bool
    colour: bool
    alpha: bool
    lowest: float
    highest: float
    grey_levels: int
    seam_across: float
    seam_down: float
    remarks: tuple[str, ...]
    guess: Guess

    @property
    def size(self) -> str:
        return f"{self.columns} x {self.rows}"

    @property
    def depth(self) -> str:
        return f"{self.bits}-bit float" if self.is_float else f"{self.bits} bit"

    @property
    def kind(self) -> str:
        return ("colour" if self.colour else "grey") + (" with alpha" if self.alpha else "")


def facts(picture: Picture, filename: str) -> Facts:
    """The facts of a picture that came in under a file name."""
    colour = picture.is_colour and not _channels_alike(picture.pixels)
    grey = full_scale(picture.pixels if not picture.is_colour else picture.pixels[..., 1])
    across, down = seam_ratios(grey)
    return Facts(
        columns=picture.columns,
        rows=picture.rows,
        format=picture.format,
        bits=picture.bits,
        is_float=picture.is_float,
        colour=colour,
        alpha=picture.alpha,
        lowest=float(picture.pixels.min()),
        highest=float(picture.pixels.max()),
        grey_levels=grey_levels(picture.pixels),
        seam_across=across,
        seam_down=down,
        remarks=picture.remarks,
        guess=guessed(picture, filename, colour),
    )


def guessed(picture: Picture, filename: str, colour: bool) -> Guess:
    """Photo or height image, judged by the name, then the samples."""
    name = re.search(r"(?:^|[\W_\d])(height|heightmap|disp|displacement|bump|depth|dem)(?:[\W_\d]|$)", filename, re.I)
    if name:
        return Guess("height", f"its name says “{name.group(1).lower()}”")
    if colour:
        return Guess("photo", "it has colours")
    if picture.is_float:
        return Guess("height", "its samples are floating-point numbers")
    if picture.bits > 8:
        return Guess("height", f"it is grey with {picture.bits} bits a sample")
    if picture.format == "JPEG":
        return Guess("photo", "it is a JPEG, as cameras write them")
    if picture.is_colour:
        return Guess("height", "its three channels are the same, as in a height image saved as colour")
    return Guess("photo", "it is grey with 8 bits, and photos are more common")


def grey_levels(pixels: np.ndarray) -> int:
    """How many different values the samples take; for floats the number in at most a million of them."""
    if pixels.dtype.kind == "f":
        flat = pixels.ravel()
        return int(np.unique(flat[:: max(1, flat.size // 1_000_000)]).size)
    return int(np.count_nonzero(np.bincount(pixels.ravel(), minlength=2)))


def seam_ratios(grey: np.ndarray) -> tuple[float, float]:
    """Mean step across the edge over the mean step between neighbours inside, (across, down); 1 is invisible."""
    return _seam_ratio(grey), _seam_ratio(grey.T)


def _seam_ratio(grey: np.ndarray) -> float:
    if grey.shape[1] < 2:
        return 1.0
    at_edge = float(np.abs(grey[:, 0] - grey[:, -1]).mean())
    inside = float(np.abs(np.diff(grey, axis=1)).mean())
    if inside == 0:
        return 1.0 if at_edge == 0 else 99.0
    return min(at_edge / inside, 99.0)


def _channels_alike(pixels: np.ndarray) -> bool:
    small = pixels[:: max(1, pixels.shape[0] // 512), :: max(1, pixels.shape[1] // 512)]
    return bool((small[..., 0] == small[..., 1]).all() and (small[..., 0] == small[..., 2]).all())


def histogram(grey: np.ndarray, bins: int = 128) -> tuple[np.ndarray, float, float]:
    """Counts of a grey field in equal bins, with the values at both ends; at least 0 to 1 is covered."""
    small = shrunk(grey, 1024)
    low, high = min(0.0, float(small.min())), max(1.0, float(small.max()))
    counts, _ = np.histogram(small, bins=bins, range=(low, high))
    return counts, low, high

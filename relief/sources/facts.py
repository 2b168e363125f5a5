"""What can be said of a picture by looking at it: facts, histogram, and what it seems to be."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.filters.resample import shrink
from relief.filters.statistics import draw_some, level_counts
from relief.kernels import kernel, thread_count
from relief.sources.colour import display, full_scale
from relief.sources.picture import COLOURS, Picture
from relief.sources.roles import Guess, guess_role

SEAMLESS_BELOW = 1.5
"""A step across the edge of more than this many inner steps reads as a line (common practice, no source)."""


MOST_ROWS = 1024
"""Rows that inner steps are measured in at most."""


@dataclass(frozen=True)
class Facts:
    """Facts of a picture; everything as JSON can hold it.

    Attributes:
        bits, bits_used: bits in a sample as the file holds it, and as many as its values make use of.
        transfer: in words, what the file says of its transfer function.
        lowest, highest: of the samples as the file holds them.
        clipped_low, clipped_high: share of samples at the darkest and lightest value there can be.
        grey_levels: how many different values there are.
        seam_across, seam_down: seam ratio, 1 is invisible.
        channels: names of all channels; `copies` are those that are the same as an earlier one.
        hue: the mean colour's hue in degrees and its chroma, 0 to 1.
    """

    columns: int
    rows: int
    format: str
    bits: int
    bits_used: int
    is_float: bool
    colour: bool
    alpha: bool
    transfer: str
    linear: bool
    lowest: float
    highest: float
    clipped_low: float
    clipped_high: float
    grey_levels: int
    seam_across: float
    seam_down: float
    channels: tuple[str, ...]
    copies: tuple[str, ...]
    hue: float
    chroma: float
    lightness: float
    remarks: tuple[str, ...]
    guess: Guess

    @property
    def depth(self) -> str:
        """Bits of a sample, in words."""
        return f"{self.bits}-bit float" if self.is_float else f"{self.bits} bit"

    @property
    def kind(self) -> str:
        """What the picture holds, in words."""
        return ("colour" if self.colour else "grey") + (" with alpha" if self.alpha else "")


def facts(picture: Picture, filename: str) -> Facts:
    """The facts of a picture that came in under a file name."""
    copies = find_copied_channels(picture)
    colour = has_colours(picture)
    grey = full_scale(picture.channel("green" if picture.is_colour else ""))
    across, down = seam_ratios(grey)
    counts = level_counts(picture.pixels) if picture.pixels.dtype.itemsize <= 2 else None
    low, high = measure_clipping(picture.pixels, counts)
    hue, chroma, lightness = mean_colour(picture)
    used = count_bits(picture, counts)
    remarks = picture.remarks
    if used < picture.bits and used <= 8 < picture.bits:
        remarks += (f"Its {picture.bits}-bit samples use only {used}-bit steps.",)
    return Facts(
        columns=picture.columns,
        rows=picture.rows,
        format=picture.format,
        bits=picture.bits,
        bits_used=used,
        is_float=picture.is_float,
        colour=colour,
        alpha=picture.alpha is not None,
        transfer=picture.transfer,
        linear=picture.linear,
        lowest=float(picture.pixels.min() if counts is None else np.flatnonzero(counts)[0]),
        highest=float(picture.pixels.max() if counts is None else np.flatnonzero(counts)[-1]),
        clipped_low=low,
        clipped_high=high,
        grey_levels=grey_levels(picture.pixels, counts),
        seam_across=across,
        seam_down=down,
        channels=picture.channels,
        copies=copies,
        hue=hue,
        chroma=chroma,
        lightness=lightness,
        remarks=remarks,
        guess=guess_role(picture, filename, colour),
    )


def has_colours(picture: Picture) -> bool:
    """Whether the channels of a picture differ; a grey picture saved as colour has none."""
    return picture.is_colour and len({*COLOURS} & {*find_copied_channels(picture)}) < 2


def grey_levels(pixels: np.ndarray, counts: np.ndarray | None = None) -> int:
    """How many different values the samples take; for floats and 32-bit numbers the number in a million of them."""
    if pixels.dtype.itemsize > 2:
        return int(np.unique(draw_some(pixels, 1_000_000)).size)
    return int(np.count_nonzero(level_counts(pixels) if counts is None else counts))


def count_bits(picture: Picture, counts: np.ndarray | None = None) -> int:
    """The bits that the values make use of: 16-bit samples that are all multiples of 257 or of 256 hold 8-bit steps."""
    pixels = picture.pixels
    if picture.is_float or pixels.dtype.itemsize == 1:
        return picture.bits
    values = (
        np.flatnonzero(level_counts(pixels) if counts is None else counts) if pixels.dtype.itemsize == 2 else pixels
    )
    repeated = np.iinfo(pixels.dtype).max // 255
    if not (values % repeated).any():
        return 8
    common = int(np.bitwise_or.reduce(values, axis=None))
    unused = (common & -common).bit_length() - 1 if common else 0
    return pixels.dtype.itemsize * 8 - unused


MOST_LEVELS = 1024
"""Grey levels that are called few: 10 bits."""


def few_levels(pixels: np.ndarray) -> np.ndarray | None:
    """The values from 0 to 1 that samples can take, in rising order, where they are few.

    Args:
        pixels: whole numbers or floats of any shape.

    Returns:
        float64: all levels of 8 bits, also where more bits hold no more than these; otherwise the values that are
        there, where they are at most 1024; otherwise none.
    """
    if pixels.dtype == np.uint8:
        return np.arange(256) / 255
    if pixels.dtype == np.uint16:
        values = np.flatnonzero(level_counts(pixels)) / 65535
    else:
        values = np.unique(full_scale(draw_some(pixels, 1_000_000))).astype(np.float64)
    if not 2 <= values.size <= MOST_LEVELS:
        return None
    eight_bits = np.abs(values * 255 - np.rint(values * 255)).max() < 1e-3 and values[0] >= 0 and values[-1] <= 1
    return np.arange(256) / 255 if eight_bits else values


def measure_clipping(pixels: np.ndarray, counts: np.ndarray | None = None) -> tuple[float, float]:
    """Share of samples at the lowest and at the highest value: of the type for whole numbers, of all for floats."""
    if pixels.dtype.itemsize <= 2 and pixels.dtype.kind != "f":
        counts = level_counts(pixels) if counts is None else counts
        return float(counts[0] / pixels.size), float(counts[-1] / pixels.size)
    whole = pixels.dtype.kind != "f"
    low, high = (0, np.iinfo(pixels.dtype).max) if whole else (pixels.min(), pixels.max())
    return float(np.mean(pixels == low)), float(np.mean(pixels == high))


CLIPPED_WITHIN = 3
"""Levels of 8 bits from black and white that are taken for these."""


def measure_clipped_light(pixels: np.ndarray) -> tuple[float, float]:
    """Share of pixels that are black and white as far as samples go, in all channels.

    A lossy file rings about edges, so a few levels count as one. Of floats, which go beyond white, the ends that are
    there.
    """
    flat = np.ascontiguousarray(pixels).reshape(-1, pixels.shape[2] if pixels.ndim == 3 else 1)
    if pixels.dtype.kind == "f":
        low, high = pixels.min(), pixels.max()
    else:
        most = np.iinfo(pixels.dtype).max
        low, high = CLIPPED_WITHIN * (most // 255), most - CLIPPED_WITHIN * (most // 255)
    counts = np.zeros((thread_count(), 2), np.int64)
    _count_ends(flat, low, high, counts)
    black, white = counts.sum(axis=0)
    return float(black / len(flat)), float(white / len(flat))


@kernel(rows_of="counts")
def _count_ends(begin, end, pixels, low, high, counts):
    workers, many = counts.shape[0], pixels.shape[0]
    for worker in range(begin, end):
        for place in range(many * worker // workers, many * (worker + 1) // workers):
            is_black, is_white = True, True
            for channel in range(pixels.shape[1]):
                is_black &= pixels[place, channel] <= low
                is_white &= pixels[place, channel] >= high
            counts[worker, 0] += is_black
            counts[worker, 1] += is_white


def find_copied_channels(picture: Picture) -> tuple[str, ...]:
    """Names of the channels that are the same as one before them."""
    steps = [max(1, side // 512) for side in picture.pixels.shape[:2]]
    seen: list[np.ndarray] = []
    copies = []
    for name in picture.channels:
        samples = picture.channel(name)[:: steps[0], :: steps[1]]
        if any(np.array_equal(samples, earlier) for earlier in seen):
            copies.append(name)
        seen.append(samples)
    return tuple(copies)


def mean_colour(picture: Picture) -> tuple[float, float, float]:
    """Hue in degrees, chroma and lightness (both 0 to 1) of the mean of a picture's displayed colours."""
    mean = display(picture, 64).reshape(-1, 3 if picture.is_colour else 1).mean(axis=0)
    red, green, blue = (float(part) for part in np.broadcast_to(mean, 3))
    across, up = red - (green + blue) / 2, (green - blue) * np.sqrt(3) / 2
    return float(np.degrees(np.arctan2(up, across)) % 360), float(np.hypot(across, up)), (red + green + blue) / 3


def seam_ratios(grey: np.ndarray) -> tuple[float, float]:
    """Mean step across the edge over the mean step between neighbours inside, (across, down); 1 is invisible.

    Inner steps are alike all over, so that those of some rows will do for a large picture.
    """
    rows, columns = grey.shape
    few = np.random.default_rng(1).permutation(rows)[:MOST_ROWS] if rows > MOST_ROWS else np.arange(rows)
    across = np.diff(grey[few], axis=1) if columns > 1 else None
    few = few[few < rows - 1]
    down = grey[few + 1] - grey[few] if rows > 1 else None
    return _seam_ratio(grey[:, 0] - grey[:, -1], across), _seam_ratio(grey[0] - grey[-1], down)


def _seam_ratio(at_edge: np.ndarray, inside: np.ndarray | None) -> float:
    """The mean step across an edge over that inside; 99 at most, 1 where nothing lies inside."""
    if inside is None:
        return 1.0
    step, ordinary = float(np.abs(at_edge).mean()), float(np.abs(inside).mean())
    if ordinary == 0:
        return 1.0 if step == 0 else 99.0
    return min(step / ordinary, 99.0)


def histogram(grey: np.ndarray, bins: int = 128) -> tuple[np.ndarray, float, float]:
    """Counts of a grey field in equal bins, with the values at both ends; at least 0 to 1 is covered."""
    small = shrink(grey, 1024)
    low, high = min(0.0, float(small.min())), max(1.0, float(small.max()))
    counts, _ = np.histogram(small, bins=bins, range=(low, high))
    return counts, low, high

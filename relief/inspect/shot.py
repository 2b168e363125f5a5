"""What the samples of a picture hold: how many levels, what is clipped, how evenly it is lit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.filters.resample import resample_by_area
from relief.filters.statistics import draw_some
from relief.sources.colour import full_scale, grey_of_photo
from relief.sources.facts import few_levels, measure_clipped_light
from relief.sources.picture import Picture

MANY = 4_000_000
"""Samples that are enough to tell which levels are there."""

BESIDE, GOES_ON = 0.02, 0.3
"""Part of the range beside an end, and the part of an even share that heights which go on have there at least."""

MOST_UNEVEN = 12.0
"""Times beyond which it is no light that falls off, but a bright thing before a dark one."""

BLOCKS, BEYOND_THE_MOTIF, DARK = 16, 4.0, 0.1
"""Blocks along a side, how many times the light must span what is left of them, and the part of the mean below which
they are of a dark motif."""


@dataclass(frozen=True)
class Shot:
    """What the samples of a picture hold.

    Attributes:
        black, white: share of pixels that are so in all channels.
        levels: its grey levels, 0 to 1, where they are few.
        used: those of them that are there.
        grain: the least step of its numbers, 0 to 1.
        cut: share of pixels at the lowest and at the highest level that come from heights beyond, as far as the levels
            beside them tell.
        span: from the lowest to the highest sample, 0 to 1 of what its numbers hold; 1 for floats.
        uneven: how many times brighter the brightest side is lit than the darkest, 1 where that cannot be told.
    """

    black: float
    white: float
    levels: np.ndarray | None
    used: np.ndarray
    grain: float
    cut: tuple[float, float] = (0.0, 0.0)
    span: float = 1.0
    uneven: float = 1.0

    @classmethod
    def of(cls, picture: Picture) -> Shot:
        """That of a picture."""
        samples = full_scale(picture.pixels if picture.pixels.ndim == 2 else picture.pixels[..., 0])
        span = 1.0 if picture.is_float else float(np.ptp(samples))
        ends = measure_clipped_light(picture.pixels)
        levels = few_levels(picture.pixels)
        used = np.unique(draw_some(samples, MANY)) if levels is not None else np.zeros(0)
        return cls(*ends, levels, used, picture.grain, cut_heights(samples), span, uneven_light(picture))


def cut_heights(samples: np.ndarray) -> tuple[float, float]:
    """The share of heights at the lowest and at the highest level, where they were cut off there; 0 where not.

    Plateaus that are drawn, such as bricks, have hardly anything beside their level; what was cut off goes on up to it.
    """
    low, high = float(samples.min()), float(samples.max())
    reach = BESIDE * (high - low)
    if reach <= 0:
        return 0.0, 0.0
    found = []
    beside = (samples > low) & (samples <= low + reach), (samples < high) & (samples >= high - reach)
    for end, goes_on in zip((low, high), beside, strict=True):
        found.append(float((samples == end).mean()) if goes_on.mean() > GOES_ON * BESIDE else 0.0)
    return found[0], found[1]


def uneven_light(picture: Picture) -> float:
    """How many times brighter the brightest side of a photo is lit than its darkest; 1 where the motif hides that.

    A bent plane is fitted to the logarithm of the mean brightness of blocks; it counts as light where it spans more
    than what is left of the blocks.
    """
    grey = grey_of_photo(picture, "luminance") if not picture.is_float else full_scale(picture.pixels)
    grey = grey if grey.ndim == 2 else grey.mean(axis=2)
    rows, columns = (min(side, BLOCKS) for side in grey.shape)
    means = resample_by_area(np.maximum(grey, 0), rows, columns)
    blocks = np.log(np.maximum(means, max(DARK * float(means.mean()), 1e-6)))
    down, across = np.meshgrid(np.linspace(-1, 1, rows), np.linspace(-1, 1, columns), indexing="ij")
    shapes = np.stack([np.ones_like(across), across, down, across**2, across * down, down**2], axis=-1).reshape(-1, 6)
    fit = shapes @ np.linalg.lstsq(shapes, blocks.ravel(), rcond=None)[0]
    span, left = float(np.ptp(fit)), float((blocks.ravel() - fit).std())
    times = float(np.exp(span))
    return times if span > BEYOND_THE_MOTIF * left and times < MOST_UNEVEN else 1.0

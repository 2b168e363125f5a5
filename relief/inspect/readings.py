"""Readings: measured numbers beside the work."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.filters.statistics import deviations, draw_some, percentiles
from relief.height import HeightField
from relief.inspect.wavelengths import wavelengths
from relief.maps.displacement import displacement
from relief.maps.slopes import steepness
from relief.progress import Progress
from relief.sources.facts import seam_ratios

STEEPEST_SHARE, SHARPEST_SHARE = 0.05, 0.005
DETAIL_SHARES = (0.01, 0.99)
"""The coarsest and the finest detail are the wavelengths down to which these shares of the height's variance reach."""

COUNTED = 1_000_000
"""Places that different heights are counted in at most."""


@dataclass(frozen=True)
class Readings:
    """What is measured on a relief.

    Attributes:
        lowest, highest: distance from the base surface, mm.
        mean, median: of the distance from the base surface, mm; a mean of 0 neither swells nor shrinks the whole.
        steepest: the angle, in degrees, that the steepest 5 % of the surface exceeds.
        typical: the median angle, degrees.
        sharpest: the angle that the steepest 0.5 % exceeds, thin lines too.
        coarsest, finest: wavelengths of the coarsest and the finest detail, mm; none on a flat field.
        sa, sq, sz: arithmetic and root mean square distance from the mean, and the range, mm (ISO 25178-2).
        clipped: share of the surface at its very lowest or highest.
        levels: how many different heights there are, in at most a million places drawn from all.
        seam_across, seam_down: seam ratios; 1 is invisible.
        texels: texels on a mm, across.
    """

    lowest: float
    highest: float
    mean: float
    median: float
    steepest: float
    typical: float
    sharpest: float
    coarsest: float | None
    finest: float | None
    sa: float
    sq: float
    clipped: float
    levels: int
    seam_across: float
    seam_down: float
    texels: float

    @property
    def range(self) -> float:
        """Greatest less lowest height."""
        return self.highest - self.lowest

    @property
    def sz(self) -> float:
        return self.range


def readings(field: HeightField, progress: Progress | None = None, *, amplitude: float, midlevel: float) -> Readings:
    """Measures a height field; `progress` is told how far it is and may cancel meanwhile."""
    progress = progress or Progress()
    samples, spread = field.samples, deviations(field.samples)
    progress.step(0.1, "Taking readings")
    middle = percentiles(samples, 50)[0]
    ends = displacement(np.array([spread.lowest, spread.highest, spread.mean, middle]), amplitude, midlevel)
    progress.step(0.3, "Taking readings")
    shares = (50, 100 * (1 - STEEPEST_SHARE), 100 * (1 - SHARPEST_SHARE))
    angles = steepness(field, amplitude)
    progress.step(0.6, "Taking readings")
    typical, steep, sharpest = percentiles(angles, *shares)
    progress.step(0.8, "Taking readings")
    across, down = seam_ratios(samples)
    progress.step(0.9, "Taking readings")
    coarsest, finest = wavelengths(field, *DETAIL_SHARES) or (None, None)
    return Readings(
        lowest=float(ends[0]),
        highest=float(ends[1]),
        mean=float(ends[2]),
        median=float(ends[3]),
        steepest=steep,
        typical=typical,
        sharpest=sharpest,
        coarsest=coarsest,
        finest=finest,
        sa=spread.mean_distance * amplitude,
        sq=spread.root_mean_square * amplitude,
        clipped=spread.at_ends,
        levels=int(np.unique(draw_some(samples, COUNTED)).size),
        seam_across=across,
        seam_down=down,
        texels=1 / field.spacing[0],
    )


def steepest(field: HeightField, amplitude: float) -> float:
    """The angle in degrees that the steepest 5 % of the displaced surface exceeds."""
    return percentiles(steepness(field, amplitude), 100 * (1 - STEEPEST_SHARE))[0]

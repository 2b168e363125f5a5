"""Readings: measured numbers beside the work."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.fft

from relief.height import HeightField
from relief.maps.displacement import displacement
from relief.maps.slopes import steepness

STEEPEST_SHARE = 0.05
FINEST_SHARE = 0.99
"""The finest detail is the wavelength down to which this share of the height's variance reaches."""


@dataclass(frozen=True)
class Readings:
    """What is measured on a relief.

    Attributes:
        lowest, highest: distance from the base surface, mm.
        mean: mean distance from the base surface, mm; 0 when the relief neither swells nor shrinks the whole.
        steepest: the angle, in degrees, that the steepest 5 % of the surface exceeds.
        finest: wavelength of the finest detail, mm; none on a flat field.
    """

    lowest: float
    highest: float
    mean: float
    steepest: float
    finest: float | None

    @property
    def range(self) -> float:
        return self.highest - self.lowest


def readings(field: HeightField, amplitude: float, midlevel: float) -> Readings:
    """Measures a height field."""
    ends = np.array([field.samples.min(), field.samples.max(), field.samples.mean(dtype=np.float64)])
    lowest, highest, mean = displacement(ends, amplitude, midlevel)
    return Readings(
        lowest=float(lowest),
        highest=float(highest),
        mean=float(mean),
        steepest=steepest(field, amplitude),
        finest=finest_detail(field),
    )


def steepest(field: HeightField, amplitude: float) -> float:
    """The angle in degrees that the steepest 5 % of the displaced surface exceeds."""
    angles = steepness(field, amplitude).ravel()
    return float(np.percentile(angles, 100 * (1 - STEEPEST_SHARE), overwrite_input=True))


def finest_detail(field: HeightField) -> float | None:
    """Wavelength in mm down to which 99 % of the variance lies, from the power spectrum; none on a flat field.

    A direction that does not wrap is faded out to its ends (Hann) so that the jump there is not taken for detail.
    """
    rows, columns = field.samples.shape
    wrap_across, wrap_down = field.edges.wraps
    samples = field.samples - field.samples.mean()
    if not wrap_across and columns > 2:
        samples = samples * np.hanning(columns).astype(np.float32)
    if not wrap_down and rows > 2:
        samples = samples * np.hanning(rows).astype(np.float32)[:, None]
    power = np.abs(scipy.fft.rfft2(samples, workers=-1)) ** 2
    power[:, 1 : (columns + 1) // 2] *= 2  # the half of the spectrum that a real field leaves out
    power[0, 0] = 0
    width, height = field.spacing
    frequencies = np.hypot(
        scipy.fft.rfftfreq(columns, width).astype(np.float32),
        scipy.fft.fftfreq(rows, height).astype(np.float32)[:, None],
    )
    total = float(power.sum(dtype=np.float64))
    if total <= 1e-12 * samples.size**2:
        return None
    counts, ends = np.histogram(frequencies, bins=4096, weights=power)
    reached = np.searchsorted(np.cumsum(counts), FINEST_SHARE * counts.sum())
    return float(2 / (ends[reached] + ends[min(reached + 1, 4096)]))

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

BANDS = 4096
"""Parts that the frequencies are sorted into."""


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

    A direction that wraps is taken apart by the Fourier transform; one that does not by the cosine transform, whose
    mirrored ends have no jump that could be taken for detail.
    """
    wrap_across, wrap_down = field.edges.wraps
    spectrum, across = _half_spectrum(field.samples - field.samples.mean(), wrap_across, field.spacing[0])
    if wrap_down:
        spectrum = scipy.fft.fft(spectrum, axis=0, norm="ortho", workers=-1, overwrite_x=True)
        down = np.abs(scipy.fft.fftfreq(len(spectrum), field.spacing[1]))
    else:
        spectrum = scipy.fft.dct(spectrum, axis=0, norm="ortho", workers=-1, overwrite_x=True)
        down = np.arange(len(spectrum)) / (2 * field.footprint.height)
    power = np.abs(spectrum)
    power *= power
    if wrap_across:
        power[:, 1 : (field.samples.shape[1] + 1) // 2] *= 2  # the half of the spectrum that a real field leaves out
    power[0, 0] = 0
    frequencies = np.hypot(across.astype(np.float32), down.astype(np.float32)[:, None])
    total = float(power.sum(dtype=np.float64))
    if total <= 1e-12 * power.size:
        return None
    parts = np.minimum(frequencies * np.float32(BANDS / frequencies.max()), BANDS - 1).astype(np.int32).ravel()
    in_band = np.bincount(parts, power.ravel(), BANDS)
    reached = np.searchsorted(np.cumsum(in_band), FINEST_SHARE * total)
    power *= frequencies
    return float(in_band[reached] / np.bincount(parts, power.ravel(), BANDS)[reached])


def _half_spectrum(samples: np.ndarray, wraps: bool, spacing: float) -> tuple[np.ndarray, np.ndarray]:
    """The transform of each row, and the frequencies of its columns in cycles per mm."""
    columns = samples.shape[1]
    if wraps:
        return scipy.fft.rfft(samples, norm="ortho", workers=-1), scipy.fft.rfftfreq(columns, spacing)
    return scipy.fft.dct(samples, norm="ortho", workers=-1), np.arange(columns) / (2 * columns * spacing)

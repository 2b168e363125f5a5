"""How wide the shapes of a relief are: the wavelengths that its variance is made of."""

from __future__ import annotations

import numpy as np
import scipy

from relief.filters.resample import resample_by_area
from relief.height import HeightField
from relief.kernels import kernel, thread_count

BANDS = 4096
"""Parts that the frequencies are sorted into."""

WHOLE = 2048
"""Texels on the long side up to which all of a field is transformed."""

COARSE = 1024
"""Texels on the long side that the coarse shapes of a larger one are measured at, at most."""

PART, PARTS = 512, 3
"""Texels on a side of the parts that its fine shapes are measured in, and how many of these across and down."""


def wavelengths(field: HeightField, *shares: float) -> tuple[float, ...] | None:
    """The wavelengths down to which shares (0 to 1) of the height's variance reach, mm; none on a flat field.

    A large field is measured twice: shrunk, which tells its coarse shapes, and in a few parts at full size, which tell
    what is finer. On a field of one kind all over that is what a transform of the whole says, in a tenth of the time.
    """
    rows, columns = field.samples.shape
    highest = 0.5 * float(np.hypot(1 / field.spacing[0], 1 / field.spacing[1]))
    bands = _Bands(highest)
    if max(rows, columns) <= WHOLE:
        frequencies, power = _spectrum(field.samples, field.edges.wraps, field.spacing)
        bands.add(frequencies, power / field.samples.size)
    else:
        times = -(-max(rows, columns) // COARSE)
        small = resample_by_area(field.samples, max(1, rows // times), max(1, columns // times), field.edges.wraps)
        spacing = field.footprint.width / small.shape[1], field.footprint.height / small.shape[0]
        frequencies, power = _spectrum(small, field.edges.wraps, spacing)
        limit = 0.25 / max(spacing)
        # a mean over a texel has weakened what is left by sinc, half of it at most
        across, down = frequencies
        whole = power / (np.sinc(across * spacing[0]) * np.sinc(down * spacing[1])) ** 2
        bands.add(frequencies, whole / small.size, below=limit)
        for here in spread_parts(rows, columns):
            part = field.samples[here]
            window = np.multiply.outer(*(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(side) / side) for side in part.shape))
            part = (part - part.mean()) * np.float32(window)
            frequencies, power = _spectrum(part, (True, True), field.spacing)
            bands.add(frequencies, power / (max(float(np.sum(window**2)), 1e-30) * PARTS**2), above=limit)
    return bands.wavelengths(shares, float(np.square(field.samples.max() - field.samples.min())))


class _Bands:
    """Variance sorted by frequency, cycles per mm."""

    def __init__(self, highest: float) -> None:
        self.highest = highest
        self.power = np.zeros(BANDS)
        self.weighed = np.zeros(BANDS)

    def add(
        self, frequencies: tuple[np.ndarray, np.ndarray], power: np.ndarray, below: float = np.inf, above: float = 0
    ) -> None:
        """Adds power at frequencies, (1, columns) across and (rows, 1) down, as far as they lie within limits."""
        across, down = (part.astype(np.float32).ravel() for part in frequencies)
        sums = np.zeros((thread_count(), 2, BANDS))
        power = power.astype(np.float32, copy=False)
        _sort(across, down, power, np.float32(BANDS / self.highest), np.float32(below), np.float32(above), sums)
        self.power += sums[:, 0].sum(axis=0)
        self.weighed += sums[:, 1].sum(axis=0)

    def wavelengths(self, shares: tuple[float, ...], square: float) -> tuple[float, ...] | None:
        total = float(self.power.sum())
        if total <= 1e-12 * max(square, 1e-18) or square == 0:
            return None
        reached = np.searchsorted(np.cumsum(self.power), np.array(shares) * total)
        reached = np.minimum(reached, BANDS - 1)
        return tuple(float(length) for length in self.power[reached] / self.weighed[reached])


@kernel(rows_of="sums")
def _sort(begin, end, across, down, power, scale, below, above, sums):
    workers, rows, most = sums.shape[0], down.size, sums.shape[2] - 1
    for worker in range(begin, end):
        for row in range(rows * worker // workers, rows * (worker + 1) // workers):
            for column in range(across.size):
                length = np.sqrt(across[column] * across[column] + down[row] * down[row])
                if above <= length < below:
                    band = min(int(length * scale), most)
                    sums[worker, 0, band] += power[row, column]
                    sums[worker, 1, band] += power[row, column] * length


def spread_parts(rows: int, columns: int) -> list[tuple[slice, slice]]:
    """Where the parts of a large field lie that are looked at in place of all of it: evenly spread over it."""
    firsts = [np.linspace(0, max(count - PART, 0), PARTS).astype(int) for count in (rows, columns)]
    return [(slice(top, top + PART), slice(left, left + PART)) for top in firsts[0] for left in firsts[1]]


def _spectrum(
    samples: np.ndarray, wraps: tuple[bool, bool], spacing: tuple[float, float]
) -> tuple[tuple[np.ndarray, np.ndarray], np.ndarray]:
    """Frequencies across (1, columns) and down (rows, 1) in cycles per mm, and the power; its mean is the variance.

    A direction that wraps is taken apart by the Fourier transform; one that does not by the cosine transform, whose
    mirrored ends have no jump that could be taken for detail.
    """
    rows, columns = samples.shape
    spectrum = samples - samples.mean(dtype=np.float64).astype(np.float32)
    if wraps[0]:
        spectrum = scipy.fft.rfft(spectrum, norm="ortho", workers=-1)
        across = scipy.fft.rfftfreq(columns, spacing[0])
    else:
        spectrum = scipy.fft.dct(spectrum, norm="ortho", workers=-1)
        across = np.arange(columns) / (2 * columns * spacing[0])
    if wraps[1]:
        spectrum = scipy.fft.fft(spectrum, axis=0, norm="ortho", workers=-1, overwrite_x=True)
        down = np.abs(scipy.fft.fftfreq(rows, spacing[1]))
    else:
        spectrum = scipy.fft.dct(spectrum, axis=0, norm="ortho", workers=-1, overwrite_x=True)
        down = np.arange(rows) / (2 * rows * spacing[1])
    power = np.abs(spectrum)
    power *= power
    if wraps[0]:
        power[:, 1 : (columns + 1) // 2] *= 2  # the half of the spectrum that a real field leaves out
    power[0, 0] = 0
    return (across[None, :], down[:, None]), power

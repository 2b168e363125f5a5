"""What made-up surfaces are drawn with: arrays over a unit square, smooth shapes, and noise that tiles."""

from __future__ import annotations

import numpy as np
from scipy import fft


def grid(columns: int, rows: int) -> tuple[np.ndarray, np.ndarray]:
    """x to the right and y down at the texel centres, 0 to 1 each."""
    x = (np.arange(columns) + 0.5) / columns
    y = (np.arange(rows) + 0.5) / rows
    return np.meshgrid(x, y)


def smoothstep(low: float, high: float, values: np.ndarray) -> np.ndarray:
    """0 below `low`, 1 above `high`, an even S between."""
    part = np.clip((values - low) / (high - low), 0, 1)
    return part * part * (3 - 2 * part)


def ridge(distance: np.ndarray, width: float) -> np.ndarray:
    """A rounded bead: 1 where the distance is 0, a circle's profile down to 0 at `width`."""
    return np.sqrt(np.clip(1 - (distance / width) ** 2, 0, 1))


def soft_noise(rows: int, columns: int, width: float, seed: int) -> np.ndarray:
    """Blurred noise that tiles, mean 0 and standard deviation 1; `width` in texels."""
    noise = np.random.default_rng(seed).standard_normal((rows, columns))
    blurred = fft.fft(_bell(rows, width)).real[:, None] * fft.rfft(_bell(columns, width)).real
    smooth = fft.irfft2(fft.rfft2(noise) * blurred, s=noise.shape)
    return (smooth - smooth.mean()) / smooth.std()


def _bell(size: int, width: float) -> np.ndarray:
    """Weights of a Gaussian blur around a line that closes, its middle at the first; cut off at four widths."""
    reach = int(4 * width + 0.5)
    offsets = np.arange(-reach, reach + 1)
    weights = np.exp(-0.5 * (offsets / width) ** 2)
    return np.bincount(offsets % size, weights / weights.sum(), minlength=size)

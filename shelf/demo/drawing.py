"""What the demo pictures are drawn with: arrays over a unit square, smooth shapes, and noise that tiles."""

from __future__ import annotations

import numpy as np
from scipy.ndimage import gaussian_filter


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
    smooth = gaussian_filter(noise, width, mode="wrap")
    return (smooth - smooth.mean()) / smooth.std()

"""Height fields that the tests measure on."""

from __future__ import annotations

import numpy as np

from relief.height import Edges, Footprint, HeightField

WRAP = Edges(across="wrap", down="wrap")
CLAMP = Edges()


def field(samples: np.ndarray, width: float = 100, height: float | None = None, edges: Edges = CLAMP) -> HeightField:
    """A field over a footprint; its height follows the samples' aspect when none is given."""
    rows, columns = samples.shape
    footprint = Footprint(width=width, height=height or width * rows / columns)
    return HeightField(np.ascontiguousarray(samples, np.float32), footprint, edges)


def centres(count: int) -> np.ndarray:
    """Places of the texel centres, 0 to 1."""
    return (np.arange(count) + 0.5) / count


def sinusoid(rows: int, columns: int, periods: int, amplitude: float = 0.5) -> np.ndarray:
    """A sine across, the same in all rows, about the mean 0.5."""
    wave = 0.5 + amplitude * np.sin(2 * np.pi * periods * centres(columns))
    return np.tile(wave, (rows, 1))


def rough(rows: int, columns: int, seed: int = 0) -> np.ndarray:
    """Noise with some breadth, 0 to 1."""
    from scipy.ndimage import gaussian_filter

    noise = gaussian_filter(np.random.default_rng(seed).random((rows, columns)), 2, mode="wrap")
    return (noise - noise.min()) / np.ptp(noise)

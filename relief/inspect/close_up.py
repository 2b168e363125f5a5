"""A few texels of a relief near to, which show what is between them."""

from __future__ import annotations

import numpy as np

from relief.filters.sample import Sampling, sample_heights
from relief.height import Edges, Footprint, HeightField
from relief.inspect.swatch import swatch
from relief.maps.slopes import steepness

TEXELS = 9
"""On a side of what is shown."""


def close_up(height: HeightField, amplitude: float, sampling: Sampling, size: int = 96) -> np.ndarray:
    """The texels around the steepest place as a surface that is sampled so, in one light: uint8 (size, size)."""
    rows, columns = height.samples.shape
    row, column = np.unravel_index(np.argmax(steepness(height, 1)), (rows, columns))
    within = ((np.arange(size) + 0.5) / size - 0.5) * TEXELS
    u = ((column + 0.5 + within) / columns)[None, :]
    v = (1 - (row + 0.5 + within) / rows)[:, None]
    width, tall = height.spacing
    window = Footprint(width=width * TEXELS, height=tall * TEXELS, keep_aspect=False)
    return swatch(HeightField(sample_heights(height, u, v, sampling), window, Edges()), amplitude)

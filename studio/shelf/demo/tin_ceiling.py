"""Pressed tin ceiling: painted coffers with a rosette, photographed from below in light that comes from one side."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter

from relief.sources.colour import srgb_from_linear
from relief.synthetic.drawing import grid, soft_noise
from relief.synthetic.pieces import TIN, tin

TITLE = "Pressed tin ceiling"
FILENAME = "tin-ceiling.jpg"
GUIDE = (
    "Hold “without” at Even light to see what the window did to this photo, and press H to look for the closed seam."
)
REMARK = "photo, unevenly lit"
CHANGES = {"footprint.width": 1600}
CROP = {"left": 12.5, "top": 16.7, "width": 53, "height": 70.6}
"""Two panels by two, and the band that is laid over."""

BAND = 47.5
ROWS, COLUMNS = TIN


def picture() -> bytes:
    """A colour JPEG."""
    data = io.BytesIO()
    Image.fromarray(photo()).save(data, "JPEG", quality=93, subsampling=0)
    return data.getvalue()


def photo() -> np.ndarray:
    """uint8 (rows, columns, 3): paint and grime on the pressed sheet, under a window to the upper left."""
    height = tin()
    # what lies deeper than its surroundings gets less light from the room
    hollow = sum(gaussian_filter(height, width, mode="wrap") - height for width in (4, 12, 36))
    open_sky = np.clip(1.02 - 0.85 * np.clip(hollow + 0.18, -0.2, 1), 0.08, 1.25)
    slope_y, slope_x = np.gradient(gaussian_filter(height, 1.0, mode="wrap") * 34)
    window = 1 + 0.16 * np.clip(slope_x + 0.8 * slope_y, -1.4, 1.4)
    light = open_sky * window * (0.42 + 0.60 * height)
    x, y = grid(COLUMNS, ROWS)
    uneven = 0.36 + 0.95 * np.exp(-((x - 0.18) ** 2 + (y - 0.2) ** 2) / 0.55)
    light = light * uneven + 0.008
    grime = np.clip(hollow * 1.3 + 0.25 + 0.10 * soft_noise(ROWS, COLUMNS, 16, 21), 0, 1)[..., None]
    paint = np.array([0.86, 0.82, 0.72]) * (1 - grime) + np.array([0.42, 0.33, 0.23]) * grime
    colour = srgb_from_linear(np.clip(light[..., None] * paint, 0, 1))
    grain = np.random.default_rng(22).standard_normal((ROWS, COLUMNS, 1)) * 0.011
    return np.rint(np.clip(colour + grain, 0, 1) * 255).astype(np.uint8)

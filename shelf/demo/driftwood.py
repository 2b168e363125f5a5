"""Carved driftwood panel: weathered boards with a carved rosette and waves, painted long ago, in low light."""

from __future__ import annotations

import io
from functools import cache

import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter

from relief.made.rendering import how_open, photograph
from relief.made.rig import take_series
from relief.sources.colour import srgb_from_linear
from shelf.demo.drawing import grid, ridge, smoothstep, soft_noise

TITLE = "Driftwood panel"
FILENAME = "driftwood-panel.jpg"
REMARK = "photo, by its light"
GUIDE = "Look at Paint and Certainty at step 1, then drag the sun on the picture and watch the relief follow in Lit."
READING = {"layers.0.content.reading": "light"}
WIDTH = 420.0
"""mm."""

COLUMNS, ROWS = 640, 480
AZIMUTH, ELEVATION, SKY = 142.0, 38.0, 0.3
PETALS, BOARDS = 9, 3
PHOTOS = 8
SHADOWS = 26
"""Texels that they are long at most."""
BALL = (580.0, 420.0, 42.0)
"""x, y and radius of the ball beside the panel, in pixels."""


def picture() -> bytes:
    """The panel photographed once: a colour JPEG."""
    height, texel = panel(), WIDTH / COLUMNS
    light = photograph(height, texel, AZIMUTH, ELEVATION, paint(), SKY, SHADOWS, _openness())
    return developed(light, 31)


def developed(light: np.ndarray, seed: int) -> bytes:
    """Linear light as a JPEG with a little grain."""
    grain = np.random.default_rng(seed).normal(0, 0.006, light.shape)
    pixels = np.rint(srgb_from_linear(np.clip(light * 1.5 + grain, 0, 1)) * 255).astype(np.uint8)
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "JPEG", quality=93)
    return data.getvalue()


@cache
def _openness() -> np.ndarray:
    """How much of the sky each place of the panel sees."""
    return how_open(panel(), WIDTH / COLUMNS)


def panel() -> np.ndarray:
    """Its height in mm, (rows, columns)."""
    x, y = grid(COLUMNS, ROWS)
    y = y * ROWS / COLUMNS
    far, angle = np.hypot(x - 0.5, y - 0.375), np.arctan2(y - 0.375, x - 0.5)
    petal = 0.19 * (0.72 + 0.28 * np.cos(angle * PETALS))
    rosette = 5.5 * smoothstep(0.0, 0.035, petal - far) * (0.35 + 0.65 * far / 0.2) + 6 * ridge(far, 0.035)
    ring = 3.2 * ridge(far - 0.245, 0.014)
    wave = 0.02 * np.sin(x * 2 * np.pi * 6)
    waves = 3.4 * (ridge(y - 0.065 - wave, 0.016) + ridge(y - 0.685 - wave, 0.016))
    grain = soft_noise(ROWS, COLUMNS, 18, 41) * 0.5 + np.sin(y * 300 + 2.5 * soft_noise(ROWS, COLUMNS, 40, 42)) * 0.3
    gap = -2.4 * ridge((y * BOARDS / 0.75) % 1 - 0.5, 0.018)
    return gaussian_filter(rosette + ring + waves + gap + grain, 1.2)


def paint() -> np.ndarray:
    """Its colours in linear light: bare grey wood, and blue paint that is left in broad patches."""
    left = smoothstep(-0.05, 0.15, soft_noise(ROWS, COLUMNS, 38, 43))[..., None]
    return np.array([0.42, 0.34, 0.25]) * (1 - left) + np.array([0.16, 0.30, 0.42]) * left


def series() -> dict[str, bytes]:
    """The panel photographed by the rig: eight JPEGs by name, a mirrored ball beside it, the lamp stepping round."""
    height, texel = panel(), WIDTH / COLUMNS
    lights = [(360 * number / PHOTOS + 17, 38 if number % 2 else 52) for number in range(PHOTOS)]
    shots = take_series(height, texel, paint(), lights, BALL, farthest=SHADOWS, openness=_openness())
    return {f"driftwood-series-{number}.jpg": developed(shot, number) for number, shot in enumerate(shots, 1)}

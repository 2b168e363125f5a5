"""Carved driftwood panel: weathered boards with a carved rosette and waves, painted long ago, in low light."""

from __future__ import annotations

import io
from functools import cache

import numpy as np
from PIL import Image

from relief.sources.colour import srgb_from_linear
from relief.synthetic.pieces import WOOD, driftwood, driftwood_paint
from relief.synthetic.rendering import how_open, photograph
from relief.synthetic.rig import take_series
from relief.synthetic.surfaces import SURFACES

TITLE = "Driftwood panel"
FILENAME = "driftwood-panel.jpg"
REMARK = "photo, by its light"
GUIDE = (
    "Drag the sun to the upper left, where the light of this photo stood, and watch the relief follow in Lit. Its "
    "normals are then about 10° off the carved panel; the eight photos of the Driftwood series come within 1°."
)
READING = {"layers.0.content.reading": "light"}
WIDTH = SURFACES["driftwood-panel"].width

AZIMUTH, ELEVATION, SKY = 142.0, 38.0, 0.3
PHOTOS = 8
SHADOWS = 26
"""Texels that they are long at most."""
BALL = (580.0, 420.0, 42.0)
"""x, y and radius of the ball beside the panel, in pixels."""


def picture() -> bytes:
    """The panel photographed once: a colour JPEG."""
    height, texel = driftwood(), WIDTH / WOOD[1]
    light = photograph(height, texel, AZIMUTH, ELEVATION, driftwood_paint(), SKY, SHADOWS, _openness())
    return develop(light, 31)


def develop(light: np.ndarray, seed: int) -> bytes:
    """Linear light as a JPEG with a little grain."""
    grain = np.random.default_rng(seed).normal(0, 0.006, light.shape)
    pixels = np.rint(srgb_from_linear(np.clip(light * 1.5 + grain, 0, 1)) * 255).astype(np.uint8)
    data = io.BytesIO()
    Image.fromarray(pixels).save(data, "JPEG", quality=93)
    return data.getvalue()


@cache
def _openness() -> np.ndarray:
    """How much of the sky each place of the panel sees."""
    return how_open(driftwood(), WIDTH / WOOD[1])


def series() -> dict[str, bytes]:
    """The panel photographed by the rig: eight JPEGs by name, a mirrored ball beside it, the lamp stepping round."""
    height, texel = driftwood(), WIDTH / WOOD[1]
    lights = [(360 * number / PHOTOS + 17, 38 if number % 2 else 52) for number in range(PHOTOS)]
    shots = take_series(height, texel, driftwood_paint(), lights, BALL, farthest=SHADOWS, openness=_openness())
    return {f"driftwood-series-{number}.jpg": develop(shot, number) for number, shot in enumerate(shots, 1)}

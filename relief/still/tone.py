"""From light to what is shown: one tone curve for the stage, swatches, proof sheets and stills.

The Khronos PBR Neutral Tone Mapper (Khronos Group 2024, specification of the glTF sample viewer): a material in white
light keeps its base colour, and only highlights are compressed, so whites do not burn out and hues stay.
"""

from __future__ import annotations

import numpy as np

from relief.sources.colour import srgb_from_linear

REFLECTED = 0.04
"""What a dielectric reflects of the light from straight above, which is taken off again."""

COMPRESSED_FROM = 0.8 - REFLECTED
DESATURATION = 0.15


def map_tones(radiance: np.ndarray) -> np.ndarray:
    """Linear light as linear values of a display: float32 (..., 3), from 0 to 1.

    Args:
        radiance: linear light, (..., 3); 1 is a white surface in light of 1.
    """
    light = np.maximum(np.asarray(radiance, np.float32), 0)
    least = light.min(axis=-1, keepdims=True)
    light = light - np.where(least < 2 * REFLECTED, least - least**2 / (4 * REFLECTED), np.float32(REFLECTED))
    peak = light.max(axis=-1, keepdims=True)
    room = 1 - COMPRESSED_FROM
    over = np.maximum(peak - COMPRESSED_FROM, 0)
    compressed = np.where(over > 0, 1 - room**2 / (over + room), peak)
    light = light * (compressed / np.maximum(peak, 1e-9))
    white = 1 - 1 / (DESATURATION * (peak - compressed) + 1)
    return np.asarray(light + (compressed - light) * white, np.float32)


def develop(radiance: np.ndarray) -> np.ndarray:
    """Linear light as it is shown: sRGB from 0 to 1, float32 (..., 3)."""
    return srgb_from_linear(map_tones(radiance))

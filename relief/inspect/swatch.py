"""A small lit picture of a relief, as it stands on the shelf: by the light of the stage and of stills."""

from __future__ import annotations

import numpy as np

from relief.height import HeightField
from relief.maps.slopes import slopes
from relief.maps.vectors import of_slopes
from relief.sources.colour import eight_bits
from relief.still.light import GROUND, SKY, SKYLIGHT, SUN, SUNLIGHT
from relief.still.scene import CLAY
from relief.still.tone import REFLECTED, develop

LIGHT = np.array([-0.55, 0.6, 0.58], np.float32)
"""Towards the light: from the upper left, fairly low, so that shallow relief shows."""


def swatch(field: HeightField, amplitude: float) -> np.ndarray:
    """The field in clay under one sun and a sky: uint8 (rows, columns, 3)."""
    return in_clay(of_slopes(slopes(field, amplitude)))


def in_clay(normals: np.ndarray) -> np.ndarray:
    """Unit normals (rows, columns, 3) in clay under one sun and a sky: uint8 (rows, columns, 3)."""
    return in_light(normals, np.asarray(CLAY, np.float32))


def in_light(normals: np.ndarray, albedo: np.ndarray) -> np.ndarray:
    """A dull surface under one sun and a sky, whose lower half is the ground: uint8 (rows, columns, 3).

    It reflects as much as any dielectric, all over, which the tone curve takes off again.

    Args:
        normals: unit vectors, float32 (rows, columns, 3).
        albedo: linear, (3,) or (rows, columns, 3).
    """
    facing = np.clip(normals @ (LIGHT / np.linalg.norm(LIGHT)), 0, 1)[..., None]
    up = (0.5 + 0.5 * normals[..., 2])[..., None]
    sky, ground = np.asarray(SKY, np.float32), np.asarray(GROUND, np.float32)
    light = facing * np.asarray(SUN, np.float32) * (SUNLIGHT / np.pi)
    light = light + (ground + (sky - ground) * up) * (SKYLIGHT / np.pi)
    return eight_bits(develop(light * (albedo * (1 - REFLECTED) + REFLECTED)))

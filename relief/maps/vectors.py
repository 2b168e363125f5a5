"""Normal maps as what they are: fields of unit vectors, x to the right, y up, z out of the surface.

References:
    C. Barre-Brisebois & S. Hill 2012, Blending in detail (reoriented normal mapping).
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from relief.sources.colour import full_scale
from relief.sources.roles import Green

Red = Literal["right", "left"]

LOWEST = 1e-4
"""The smallest z that a vector keeps: a surface seen from above never overhangs."""


def unit(vectors: np.ndarray) -> np.ndarray:
    """Vectors (rows, columns, 3) brought to length 1; what has no length becomes flat."""
    length = np.linalg.norm(vectors, axis=-1, keepdims=True)
    flat = np.array([0, 0, 1], np.float32)
    return np.where(length > LOWEST, vectors / np.maximum(length, LOWEST), flat).astype(np.float32)


def rebuilt_blue(across: np.ndarray, up: np.ndarray) -> np.ndarray:
    """The z of unit vectors of which x and y are known: sqrt(1 - x^2 - y^2)."""
    return np.sqrt(np.maximum(1 - across * across - up * up, 0)).astype(np.float32)


def vectors_of(pixels: np.ndarray, green: Green = "up", rebuild_blue: bool = False) -> np.ndarray:
    """The unit vectors of an encoded normal map, green turned up.

    Args:
        pixels: (rows, columns, 3), whole numbers, or floats from 0 to 1.
        green: which way its green faces.
        rebuild_blue: whether blue is made again from red and green. It always is where it says nothing.

    Returns:
        float32 (rows, columns, 3).
    """
    vectors = full_scale(pixels) * 2 - 1
    if green == "down":
        vectors[..., 1] *= -1
    if rebuild_blue or np.ptp(vectors[..., 2]) == 0:
        vectors[..., 2] = rebuilt_blue(vectors[..., 0], vectors[..., 1])
    vectors[..., 2] = np.maximum(vectors[..., 2], LOWEST)
    return unit(vectors)


def of_slopes(slopes: np.ndarray) -> np.ndarray:
    """The unit normals of slopes dd/dx and dd/dy (rows, columns, 2)."""
    return unit(np.dstack([-slopes, np.ones(slopes.shape[:2], np.float32)]))


def strengthen(vectors: np.ndarray, strength: float) -> np.ndarray:
    """Unit vectors whose slopes are `strength` times as steep; negative values invert the relief."""
    return unit(vectors * np.array([strength, strength, 1], np.float32))


def reorient(base: np.ndarray, detail: np.ndarray) -> np.ndarray:
    """Detail laid on a base: each detail normal turned by the shortest turn that brings upright to the base normal.

    Args:
        base, detail: unit vectors (rows, columns, 3). Combined with flat, each is returned as it is.

    Returns:
        float32 unit vectors of the same shape (Barre-Brisebois & Hill 2012, formula for unpacked normals).
    """
    leaning = base + np.array([0, 0, 1], np.float32)
    facing = detail * np.array([-1, -1, 1], np.float32)
    along = (leaning * facing).sum(axis=-1, keepdims=True)
    return unit(leaning * along / np.maximum(leaning[..., 2:], LOWEST) - facing)

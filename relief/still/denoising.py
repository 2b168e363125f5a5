"""Noise taken out of a still, guided by what is known without noise: normals, distances and colours."""

from __future__ import annotations

import numpy as np

TAPS = np.array([1, 4, 6, 4, 1], np.float32) / 16
ROUNDS = 4
NORMALS, DISTANCES = 0.12, 0.02
"""How far normals may be turned (as length of their difference), and distances differ in parts of themselves."""


def denoise(
    radiance: np.ndarray, albedo: np.ndarray, normal: np.ndarray, distance: np.ndarray, noise: np.ndarray
) -> np.ndarray:
    """A picture with less noise: means over neighbours on the same surface, on ever wider grids (Dammertz et al. 2010,
    Edge-avoiding a-trous wavelet transform, High Performance Graphics). What is softened is the light alone; the
    colours of the surface stay as sharp as they are.

    Args:
        radiance: float32 (rows, columns, 3).
        albedo, normal: of what each pixel shows, float32 (rows, columns, 3), 0 where it shows nothing.
        distance: to that, float32 (rows, columns).
        noise: the standard deviation of the brightness of each pixel, float32 (rows, columns).
    """
    seen = np.isfinite(distance)
    paint = np.where(seen[..., None], np.maximum(albedo, 0.02), 1)
    light, deviation = radiance / paint, noise / paint.mean(axis=2)
    far = np.where(seen, distance, 0).astype(np.float32)
    for number in range(ROUNDS):
        step = 2**number
        total, weights = np.zeros_like(light), np.zeros(seen.shape, np.float32)
        spread = np.zeros_like(deviation)
        grey = light.mean(axis=2)
        for down, first in enumerate(TAPS):
            for right, second in enumerate(TAPS):
                move = ((down - 2) * step, (right - 2) * step)
                there = [_shift(each, move) for each in (light, normal, far, seen, grey, deviation)]
                turned = ((there[1] - normal) ** 2).sum(axis=2) / NORMALS**2
                apart = (
                    (there[2] - far) / np.maximum(DISTANCES * np.hypot(*move) / 4 * np.maximum(far, 1e-9), 1e-9)
                ) ** 2
                unlike = ((there[4] - grey) / np.maximum(3 * np.hypot(deviation, there[5]), 1e-4)) ** 2
                same = (there[3] == seen) * np.exp(-turned - np.minimum(apart, 50) * any(move) - unlike)
                weight = (first * second * same).astype(np.float32)
                total += weight[..., None] * there[0]
                spread += (weight * there[5]) ** 2
                weights += weight
        light = total / np.maximum(weights, 1e-9)[..., None]
        deviation = np.sqrt(spread) / np.maximum(weights, 1e-9)
    return np.where(seen[..., None], light * paint, radiance).astype(np.float32)


def _shift(field: np.ndarray, move: tuple[int, int]) -> np.ndarray:
    """A field as seen from pixels that are moved, its borders repeated."""
    rows, columns = (np.clip(np.arange(side) + by, 0, side - 1) for side, by in zip(field.shape, move, strict=False))
    return np.asarray(field[rows[:, None], columns])

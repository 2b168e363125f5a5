"""A small renderer for made surfaces: it shares no code with what is tested.

Radiance = colour x (sky x openness + sun x max(0, n . l) x visibility), linear light; cast shadows by marching along
the light over bilinear samples, openness as the mean of cos^2 of the horizon's elevation in eight directions.
"""

from __future__ import annotations

import math

import numpy as np
from scipy.ndimage import map_coordinates


def light_vector(azimuth: float, elevation: float) -> np.ndarray:
    """Unit vector towards a light; degrees counter-clockwise from the right edge, and over the surface."""
    around, up = np.radians([azimuth, elevation])
    return np.array([np.cos(up) * np.cos(around), np.cos(up) * np.sin(around), np.sin(up)])


def true_normals(height: np.ndarray, texel: float) -> np.ndarray:
    """Normals of heights in mm by central differences, one-sided at the edges: (rows, columns, 3), y up."""
    down, across = np.gradient(height, texel)
    normals = np.dstack([-across, down, np.ones_like(height)])
    return normals / np.linalg.norm(normals, axis=2, keepdims=True)


def horizon(height: np.ndarray, texel: float, azimuth: float, farthest: int) -> np.ndarray:
    """Tangent of the elevation of the horizon towards an azimuth; 0 where nothing rises."""
    across, down = np.cos(np.radians(azimuth)), -np.sin(np.radians(azimuth))
    around = np.pad(np.asarray(height, float), farthest + 1, mode="edge")
    highest = np.zeros(height.shape)
    for step in range(1, farthest + 1):
        there = _shift(around, farthest + 1, down * step, across * step)
        highest = np.maximum(highest, (there - height) / (step * texel))
    return highest


def _shift(around: np.ndarray, border: int, down: float, across: float) -> np.ndarray:
    """What stands so many texels further down and across: bilinear samples of a field with a border around it."""
    top, left = math.floor(down), math.floor(across)
    rows, columns = (size - 2 * border for size in around.shape)

    def cut(row: int, column: int) -> np.ndarray:
        return around[border + row : border + row + rows, border + column : border + column + columns]

    below, right = down - top, across - left
    upper = (1 - right) * cut(top, left) + right * cut(top, left + 1)
    lower = (1 - right) * cut(top + 1, left) + right * cut(top + 1, left + 1)
    return (1 - below) * upper + below * lower


def how_open(height: np.ndarray, texel: float) -> np.ndarray:
    """How much of the sky each place sees, 0 to 1."""
    ways = [np.arctan(horizon(height, texel, way, 16)) for way in range(0, 360, 45)]
    return np.mean([np.cos(way) ** 2 for way in ways], axis=0)


def photograph(
    height: np.ndarray, texel: float, azimuth: float, elevation: float, colour: np.ndarray | float = 0.8,
    sky: float = 0.0, farthest: int = 40, openness: np.ndarray | None = None,
) -> np.ndarray:  # fmt: skip
    """Linear light, float32 (rows, columns, 3); `sky` is the share of the light that comes from everywhere.

    Of many photos of one surface `openness` is that of `how_open`, which is then found once.
    """
    lit = np.maximum(true_normals(height, texel) @ light_vector(azimuth, elevation), 0)
    lit = lit * (horizon(height, texel, azimuth, farthest) < np.tan(np.radians(elevation)))
    if sky:
        openness = how_open(height, texel) if openness is None else openness
        lit = (1 - sky) * lit + sky * openness
    return (np.asarray(colour) * lit[..., None] * np.ones(3)).astype(np.float32)


def photograph_ball(rows: int, columns: int, ball: tuple[float, float, float], light: np.ndarray) -> np.ndarray:
    """A mirrored ball (x, y, radius in texels) under a small lamp, seen from far above: float32 (rows, columns)."""
    x, y, radius = ball
    across = (np.arange(columns)[None, :] + 0.5 - x) / radius
    up = (y - np.arange(rows)[:, None] - 0.5) / radius
    rest = 1 - across**2 - up**2
    out = np.sqrt(np.maximum(rest, 0))
    normal = np.stack(np.broadcast_arrays(across, up, out), axis=-1)
    mirrored = 2 * out[..., None] * normal - np.array([0, 0, 1.0])
    lamp = np.exp(-((np.arccos(np.clip(mirrored @ light, -1, 1)) / np.radians(2.5)) ** 2))
    return np.where(rest > 0, 0.05 + lamp, 0.3).astype(np.float32)


def photograph_near(
    height: np.ndarray, texel: float, lamp: tuple[float, float, float], colour: np.ndarray | float = 0.8,
    sky: float = 0.0, farthest: int = 40, openness: np.ndarray | None = None,
) -> np.ndarray:  # fmt: skip
    """As `photograph`, by a small lamp at a place: mm to the right of, above and over the middle of the surface.

    Its light falls off with the square of the distance and is 1 in the middle. Shadows are as long as told at most.
    """
    rows, columns = height.shape
    down, across = np.mgrid[:rows, :columns].astype(float)
    place = np.dstack([across + 0.5 - columns / 2, rows / 2 - down - 0.5, height / texel])
    way = np.asarray(lamp) / texel - place
    distance = np.linalg.norm(way, axis=2)
    lit = np.maximum((true_normals(height, texel) * way).sum(axis=2) / distance, 0)
    lit *= (np.linalg.norm(lamp) / texel / distance) ** 2
    level = np.hypot(way[..., 0], way[..., 1])
    right, below, rise = (side / np.maximum(level, 1e-9) for side in (way[..., 0], -way[..., 1], way[..., 2] * texel))
    for step in range(1, farthest + 1):
        there = map_coordinates(height, [down + step * below, across + step * right], order=1, mode="nearest")
        lit *= (there <= height + step * rise) | (step > level)
    if sky:
        openness = how_open(height, texel) if openness is None else openness
        lit = (1 - sky) * lit + sky * openness
    return (np.asarray(colour) * lit[..., None] * np.ones(3)).astype(np.float32)

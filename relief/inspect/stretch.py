"""How a mapping stretches a relief on a surface: by area and by angle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.surface.mesh import Mesh


@dataclass(frozen=True)
class Stretch:
    """Of a whole surface, weighed by area.

    Attributes:
        smallest, largest: mm of relief on a mm of surface, by area; 1 is as measured, below it the relief is pulled
            wide. The ends of the middle 98 %.
        angle: degrees that right angles of the relief are off by, the mean over the surface.
        worst: the same, of which 99 % lie below.
    """

    smallest: float
    largest: float
    angle: float
    worst: float


def measure_stretch(mesh: Mesh, footprint: tuple[float, float]) -> tuple[Stretch, np.ndarray, np.ndarray]:
    """How places on a mesh, in repeats of a footprint (mm), are stretched.

    Each triangle maps from the surface to the relief; with s and t the factors along the two directions that stay at
    right angles (singular values of that map), area grows by s t, and the angle that is lost is 2 asin((s - t) /
    (s + t)), the largest of a linear map (Snyder 1987, USGS Professional Paper 1395, equation 4-7).

    Returns:
        The figures; for each triangle the binary logarithm of the root of its area factor, float32, which is 1 where
        the relief lies half as wide as it is; and its angle in degrees, float32.
    """
    triangles = mesh.triangles()
    points = mesh.positions[mesh.corners[triangles]].astype(np.float64)
    places = mesh.uv[mesh.uv_corners[triangles]].astype(np.float64) * footprint
    one, two = points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]
    along = np.linalg.norm(one, axis=1)
    across = np.einsum("ij,ij->i", one, two) / np.maximum(along, 1e-30)
    normal = np.cross(one, two)
    doubled = np.linalg.norm(normal, axis=1)
    up = doubled / np.maximum(along, 1e-30)
    du, dv = places[:, 1] - places[:, 0], places[:, 2] - places[:, 0]
    flat = np.maximum(along * up, 1e-30)
    # columns of the map: what a mm along the first edge, and one at right angles to it, become on the relief
    first = du / np.maximum(along, 1e-30)[:, None]
    second = (dv * along[:, None] - du * across[:, None]) / flat[:, None]
    squares = (first**2).sum(axis=1) + (second**2).sum(axis=1)
    area = np.abs(first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0])
    total, difference = np.sqrt(np.maximum(squares + 2 * area, 0)), np.sqrt(np.maximum(squares - 2 * area, 0))
    angle = 2 * np.degrees(np.arcsin(np.clip(difference / np.maximum(total, 1e-30), 0, 1)))
    factor = np.sqrt(np.maximum(area, 1e-12))
    order = np.argsort(factor)
    weights = np.cumsum(doubled[order])
    ends = np.searchsorted(weights, np.array([0.01, 0.99]) * weights[-1])
    by_angle = np.argsort(angle)
    worst = by_angle[min(np.searchsorted(np.cumsum(doubled[by_angle]), 0.99 * weights[-1]), len(angle) - 1)]
    figures = Stretch(
        smallest=float(factor[order[ends[0]]]),
        largest=float(factor[order[min(ends[1], len(order) - 1)]]),
        angle=float(np.average(angle, weights=doubled)),
        worst=float(angle[worst]),
    )
    return figures, np.log2(factor).astype(np.float32), angle.astype(np.float32)

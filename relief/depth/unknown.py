"""Unknown lights, found from the photos of a series themselves.

Brightness is normal times light, so photos of many texels are a matrix of rank three, which its singular values part.
Lights of one strength fix that but for a turn; where they are not of one strength, as a camera that exposes by itself
makes them, a paint that is even does (both Hayakawa 1994, Photometric stereo under a light source with arbitrary
motion, J. Optical Society of America A 11). A surface that lies level on the whole fixes which way is up; that normals
are those of a surface, whose slopes have no curl, fixes the turn about it, but for half a turn (Belhumeur, Kriegman &
Yuille 1999, The bas-relief ambiguity, Int. J. Computer Vision 35), which `hills.py` tells where anything does.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from relief.depth.hills import Ground, tell_hills
from relief.depth.light import Light
from relief.depth.stereo import CUT
from relief.errors import ReliefError

FEWEST_UNKNOWN = 6
"""Photos from which on lights of one strength are fixed."""

LOOKED_AT = 160
"""Texels on the long side that are looked at."""

SHADOW = 0.35
"""Of a texel's mean over all photos: what is darker lies in shadow, and its texel is left out."""

UNEVEN, LEAST_FLAT = 0.1, 0.003
"""Lights are not of one strength from this difference of their squares on, or where the ellipsoid that they lie on is
flatter than this (squares of its axes)."""

FAR_LESS = 4.0
"""So many times less even is the paint by lights of one strength where they were not of one strength."""

AGREE = 30.0
"""Degrees that the two ways to fix the lights may be apart."""

SIDES = np.array([[1, 1, 1], [-1, -1, 1]])
"""Of lights, as they are and turned around."""

STEPS = 12
"""Times that paint is fitted anew."""

FLATTEST = 0.25
"""The least part of a normal that stands out, so that it has a slope."""


def too_few_to_estimate() -> ReliefError:
    """The error that says how many photos an estimate needs."""
    return ReliefError(
        f"Estimating the lights needs {FEWEST_UNKNOWN} or more photos. Drag their suns, or photograph a ball "
        "beside the surface."
    )


@dataclass(frozen=True)
class Estimate:
    """Where the lights of a series stood, by its photos alone.

    Attributes:
        lights: the more likely of two answers.
        other: the same lights turned around, by which hills are hollows.
        ground: what tells hills from hollows; only shadows do so for certain.
        trusted: whether both ways to fix the lights worked, and agree. Where not they were up to 25 degrees off on
            made-up surfaces, where they were trusted 1 to 7.
    """

    lights: tuple[Light, ...]
    other: tuple[Light, ...]
    ground: Ground
    trusted: bool

    @property
    def doubts(self) -> str:
        """In words, what cannot be trusted; empty where everything can."""
        said = []
        if not self.trusted:
            said.append(
                "These photos fix the lights only roughly: they may be 10 to 25 degrees off. A ball beside the "
                "surface gives them exactly."
            )
        if self.ground != "shadows":
            said.append("No cast shadow tells hills from hollows. Compare both solutions and choose the right one.")
        return " ".join(said)


def reverse_lights(lights: Sequence[Light]) -> tuple[Light, ...]:
    """The lights by which hollows are hills."""
    return tuple(Light((light.azimuth + 180) % 360, light.elevation) for light in lights)


def estimate_lights(greys: Sequence[np.ndarray]) -> Estimate:
    """Where the lights of a series stood.

    Args:
        greys: linear light, float32 (rows, columns) each, that lie on each other.

    Raises:
        ReliefError: they are too few, or tell too little.
    """
    if len(greys) < FEWEST_UNKNOWN:
        raise too_few_to_estimate()
    scale = min(1.0, LOOKED_AT / max(greys[0].shape))
    small = np.stack([cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) for grey in greys])
    count, rows, columns = small.shape
    seen = small.reshape(count, -1)
    mean = seen.mean(axis=0)
    lit = (seen > SHADOW * mean).all(axis=0) & (mean > 1e-4)
    if lit.sum() < 50 * count:
        raise ReliefError(
            "Too much is in shadow to find the lights. Drag their suns, or photograph a ball beside the surface."
        )
    left, values, _ = np.linalg.svd(seen[:, lit] / mean[lit], full_matrices=False)
    lights = left[:, :3] * values[:3]
    told = np.linalg.lstsq(lights, seen[:, lit], rcond=None)[0]
    fixed = _of_one_strength(lights), _of_even_paint(told, mean[lit])
    stood = {
        number: _stand_up(lights @ each, seen, lit, (rows, columns))
        for number, each in enumerate(fixed)
        if each is not None
    }
    agree = len(stood) == 2 and _apart(*stood.values()) < AGREE
    found = tuple(Light.towards(light) for light in stood[_choose(told, *fixed)])
    return Estimate(*tell_hills(small, found, reverse_lights(found)), agree)


def _stand_up(lights: np.ndarray, seen: np.ndarray, lit: np.ndarray, shape: tuple[int, int]) -> np.ndarray:
    """Lights that are known but for a turn, turned so that the surface lies level and its slopes have no curl."""
    normals, *_ = np.linalg.lstsq(lights, seen, rcond=None)
    normals = (normals / np.maximum(np.linalg.norm(normals, axis=0), 1e-9)).T
    upright = _turn_upright(np.median(normals[lit], axis=0))
    lights, normals = lights @ upright.T, (normals @ upright.T).reshape(*shape, 3)
    mirrors = (np.eye(3), np.diag([1.0, -1.0, 1.0]))
    mirror, (_, turn) = min(
        ((each, _with_least_curl(normals @ each)) for each in mirrors), key=lambda found: found[1][0]
    )
    lights = lights @ mirror @ turn.T
    lights[:, 2] = np.maximum(lights[:, 2], 0.05)
    return np.asarray(lights / np.linalg.norm(lights, axis=1, keepdims=True))


def _apart(one: np.ndarray, other: np.ndarray) -> float:
    """The mean angle between two answers in degrees, turned around or not."""
    angles = [np.degrees(np.arccos(np.clip((one * side * other).sum(axis=1), -1, 1))).mean() for side in SIDES]
    return float(min(angles))


def _choose(told: np.ndarray, one_strength: np.ndarray | None, even_paint: np.ndarray | None) -> int:
    """Which of the two is taken, 0 or 1: lights of one strength, unless by that the paint is far less even."""
    if one_strength is None and even_paint is None:
        raise ReliefError(
            "The lights cannot be found from these photos. Drag their suns, or photograph a ball beside the surface."
        )
    if one_strength is None or even_paint is None:
        return 0 if even_paint is None else 1
    uneven = [_spread(np.linalg.norm(np.linalg.solve(whole, told), axis=0)) for whole in (one_strength, even_paint)]
    return int(uneven[0] > FAR_LESS * uneven[1])


def _spread(paint: np.ndarray) -> float:
    """How uneven the brighter half of it is."""
    low, high = np.percentile(paint[paint >= np.median(paint)], [10, 90])
    return float(high / low - 1)


def _of_one_strength(lights: np.ndarray) -> np.ndarray | None:
    """The symmetric A with which all lights A l have length 1; none where there is no such."""
    shape, off = _ellipsoid(lights)
    sizes, ways = np.linalg.eigh(shape)
    if sizes[0] < LEAST_FLAT * sizes[2] or np.abs(off).max() > UNEVEN:
        return None
    return np.asarray((ways * np.sqrt(sizes)) @ ways.T)


def _of_even_paint(normals: np.ndarray, mean: np.ndarray) -> np.ndarray | None:
    """The symmetric A with which A^-1 n has length 1 for the normals (3, texels) of one paint, if there is one.

    It is begun with the brighter half, most of which is of the brightest paint. Texels of another paint lose their
    weight step by step (Tukey's biweight, as in `stereo.py`).
    """
    weights = (mean >= np.median(mean)).astype(float)
    for _ in range(STEPS):
        shape, off = _ellipsoid(normals.T, weights)
        counted = weights > 0
        if not counted.any():
            return None
        scale = max(1.4826 * float(np.median(np.abs(off[counted]))), 1e-6)
        weights = np.clip(1 - (off / (CUT * scale)) ** 2, 0, 1)
    sizes, ways = np.linalg.eigh(shape)
    return np.asarray((ways / np.sqrt(sizes)) @ ways.T) if sizes[0] > 1e-6 * sizes[2] else None


def _ellipsoid(vectors: np.ndarray, weights: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """The symmetric B with which v B v is as near to 1 as may be, and by how much it is off; of vectors (many, 3)."""
    x, y, z = vectors.T
    quadratic = np.stack([x * x, y * y, z * z, 2 * x * y, 2 * x * z, 2 * y * z], axis=1)
    weights = np.ones(len(vectors)) if weights is None else weights
    b, *_ = np.linalg.lstsq(quadratic * weights[:, None], weights, rcond=None)
    return np.array([[b[0], b[3], b[4]], [b[3], b[1], b[5]], [b[4], b[5], b[2]]]), quadratic @ b - 1


def _turn_upright(middle: np.ndarray) -> np.ndarray:
    """The turn that brings a direction to (0, 0, 1)."""
    up = middle / np.linalg.norm(middle)
    right = np.cross([0.0, 1, 0] if abs(up[1]) < 0.9 else [1.0, 0, 0], up)
    right /= np.linalg.norm(right)
    return np.stack([right, np.cross(up, right), up])


def _with_least_curl(normals: np.ndarray) -> tuple[float, np.ndarray]:
    """How much curl the slopes have at least when they are turned about the upright, and that turn."""
    upright = np.maximum(normals[..., 2], FLATTEST)
    across, above = -normals[..., 0] / upright, -normals[..., 1] / upright
    across_down, across_right = np.gradient(across)
    above_down, above_right = np.gradient(above)
    # turned by t, curl and divergence of the slopes mix as (cos t, sin t)
    curl, spread = above_right + across_down, across_right - above_down
    # single edges count for as much as they can, no more
    both = np.clip([[curl * curl, curl * spread], [curl * spread, spread * spread]], -1, 1).mean(axis=(2, 3))
    values, ways = np.linalg.eigh(both)
    c, s = ways[:, 0]
    return float(values[0] / max(values[1], 1e-12)), np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])

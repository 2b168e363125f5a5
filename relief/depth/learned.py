"""The relief of one photo as a network reads it that was taught on made-up grounds (`tools/learn`).

A photo is turned so that its light comes from the right, read, and turned back with its slopes; and once more mirrored
about the light, which tells the same surface in another way. The mean of both is nearer to the truth than either.
"""

from __future__ import annotations

import threading
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np

from relief.depth.light import Light
from relief.errors import ReliefError

WEIGHTS = Path(__file__).with_name("one_photo.onnx")

UNIT = 32
"""Rows and columns that go through the network are a multiple of this."""

TOLD = 4
"""Channels of a texel: two slopes, the logarithm of the variance of their angle, that of the light."""

STEEPEST = 8.0
"""Slopes beyond this were not taught."""

_AT_ONCE = threading.Lock()


class Told(NamedTuple):
    """What the network tells of a photo.

    Attributes:
        slopes: to the right and up, float32 (rows, columns, 2).
        variance: of the angle by which their normals are off, square radians, float32 (rows, columns).
        light: the logarithm of the light that falls on each texel, with the photo's exposure, float32 (rows, columns).
    """

    slopes: np.ndarray
    variance: np.ndarray
    light: np.ndarray

    @property
    def certainty(self) -> np.ndarray:
        """How much each slope counts where they are integrated, 1 for the surest, float32 (rows, columns)."""
        return np.asarray(self.variance.min() / self.variance, np.float32)

    @property
    def normals(self) -> np.ndarray:
        """Unit vectors, float32 (rows, columns, 3): x right, y up, z out of the surface."""
        across, up = self.slopes[..., 0], self.slopes[..., 1]
        length = np.sqrt(1 + across * across + up * up)
        return np.dstack([-across / length, -up / length, 1 / length])


@cache
def _network() -> Any:
    try:
        return cv2.dnn.readNetFromONNX(str(WEIGHTS))
    except (OSError, cv2.error):
        raise ReliefError(
            "The network that reads photos is missing or damaged. Install the application again; until then read the "
            "photo the linear way."
        ) from None


def read_photo(photo: np.ndarray, light: Light) -> Told:
    """What the network tells of a photo whose light is known.

    Args:
        photo: linear light, float32 (rows, columns, 3), 0 to 1.
        light: where its light stood.

    Raises:
        ReliefError: the weights of the network are missing or damaged.
    """
    return _mean(_turned(photo, light), _mirrored(_turned(photo[::-1], Light(-light.azimuth % 360, light.elevation))))


def _mirrored(told: Told) -> Told:
    """What was told of a photo upside down, for the photo as it is."""
    slopes, variance, light = (field[::-1] for field in told)
    return Told(slopes * np.array([1, -1], np.float32), variance, light)


def _mean(one: Told, other: Told) -> Told:
    return Told(*((first + second) / np.float32(2) for first, second in zip(one, other, strict=True)))


def _turned(photo: np.ndarray, light: Light) -> Told:
    """What is told of a photo, turned so that its light comes from the right."""
    rows, columns = photo.shape[:2]
    turn = np.radians(light.azimuth)
    cos, sin = np.cos(turn), np.sin(turn)
    wide = _whole(abs(columns * cos) + abs(rows * sin))
    high = _whole(abs(columns * sin) + abs(rows * cos))
    # the picture is turned clockwise by the azimuth about its middle; y points down here
    there = np.array([[cos, -sin, 0], [sin, cos, 0]])
    there[:, 2] = np.array([wide - 1, high - 1]) / 2 - there[:, :2] @ (np.array([columns - 1, rows - 1]) / 2)
    laid = cv2.warpAffine(photo, there, (wide, high), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    told = _run(features(np.clip(laid, 0, 1), light.elevation))
    back = cv2.warpAffine(told, there, (columns, rows), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    along, aside = back[..., 0], back[..., 1]
    slopes = np.dstack([along * cos - aside * sin, along * sin + aside * cos])
    return Told(np.clip(slopes, -STEEPEST, STEEPEST), np.exp(np.clip(back[..., 2], -8, 2)), back[..., 3])


def _whole(length: float) -> int:
    return UNIT * max(2, int(np.ceil(length / UNIT - 1e-6)))


def features(photo: np.ndarray, elevation: float) -> np.ndarray:
    """What the network is given of a photo in linear light (rows, columns, 3): float32 (6, rows, columns).

    Brightness and its logarithm as they differ from the mean, two hues, how flat the light falls, and how much the
    brightness varies.
    """
    grey = photo @ np.array([0.2126, 0.7152, 0.0722], np.float32)
    mean, spread = float(grey.mean()), float(grey.std()) + 1e-4
    whole = photo.sum(axis=2) + np.float32(0.02)
    hues = [12 * (hue - hue.mean()) for hue in (photo[..., 0] / whole, photo[..., 2] / whole)]
    flat = 1 / np.tan(np.radians(elevation)) - 1
    everywhere = [np.full_like(grey, value) for value in (flat, 2 * spread / (mean + 0.01) - 1)]
    levels = [(grey - mean) / (2 * spread), np.log((grey + 0.01) / (mean + 0.01))]
    return np.stack([*levels, *hues, *everywhere]).astype(np.float32)


def _run(given: np.ndarray) -> np.ndarray:
    """The channels that the network gives for each texel: float32 (rows, columns, TOLD)."""
    network = _network()
    with _AT_ONCE:
        network.setInput(given[None])
        quarters = network.forward()[0].copy()
    _, rows, columns = quarters.shape
    parts = quarters.reshape(2, 2, TOLD, rows, columns).transpose(3, 0, 4, 1, 2)
    return np.ascontiguousarray(parts.reshape(2 * rows, 2 * columns, TOLD))

"""The networks that read a photo, as they are kept beside this file: loaded once, checked, and run.

What teaches them is in `tools/learn`. Each is an ONNX file that OpenCV runs; `SHA256SUMS` says what is in them, so that
a file that is cut or altered is not taken for a network.
"""

from __future__ import annotations

import hashlib
import threading
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np

from relief.errors import ReliefError
from relief.sources.colour import LUMINANCE_WEIGHTS

WEIGHTS = Path(__file__).with_name("weights")
RELIEF, LIGHT = "relief.onnx", "light.onnx"
SUMS = "SHA256SUMS"

MISSING = (
    "The networks that read photos are missing or damaged. Photos are read by the linear method until the application "
    "is installed again."
)

_AT_ONCE = threading.Lock()


def are_there() -> bool:
    """Whether both networks can be run."""
    try:
        _load(RELIEF)
        _load(LIGHT)
    except ReliefError:
        return False
    return True


@cache
def _load(name: str) -> Any:
    try:
        data = (WEIGHTS / name).read_bytes()
        expected = f"{hashlib.sha256(data).hexdigest()}  {name}"
        if expected not in (WEIGHTS / SUMS).read_text().splitlines():
            raise ValueError(name)
        return cv2.dnn.readNetFromONNX(np.frombuffer(data, np.uint8))
    except (OSError, ValueError, cv2.error):
        raise ReliefError(MISSING) from None


def run(name: str, given: np.ndarray) -> np.ndarray:
    """What a network tells.

    Args:
        name: `RELIEF` or `LIGHT`.
        given: float32 (pictures, channels, rows, columns), see `features`.

    Raises:
        ReliefError: the network is missing or damaged.
    """
    network = _load(name)
    with _AT_ONCE:  # it holds what it is given
        network.setInput(np.ascontiguousarray(given, np.float32))
        return np.asarray(network.forward().copy())


class Levels(NamedTuple):
    """What a photo is compared with: of its brightness the mean and the deviation, of two hues the means."""

    mean: float
    spread: float
    red: float
    blue: float

    @classmethod
    def of(cls, photo: np.ndarray) -> Levels:
        """Those of a photo in linear light, float32 (rows, columns, 3)."""
        grey, red, blue = _grey_and_hues(photo)
        return cls(float(grey.mean()), float(grey.std()) + 1e-4, float(red.mean()), float(blue.mean()))


def _grey_and_hues(photo: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Luminance, and the shares of red and blue, of linear light (rows, columns, 3): float32 (rows, columns) each."""
    grey = cv2.transform(photo, np.array([LUMINANCE_WEIGHTS], np.float32))
    whole = cv2.transform(photo, np.ones((1, 3), np.float32)) + np.float32(0.02)
    return grey, photo[..., 0] / whole, photo[..., 2] / whole


def features(photo: np.ndarray, elevation: float, levels: Levels | None = None) -> np.ndarray:
    """What a network is given of a photo, or of a part of one: float32 (6, rows, columns).

    Brightness and its logarithm as they differ from the mean, two hues, how flat the light falls, and how much the
    brightness varies.

    Args:
        photo: linear light, float32 (rows, columns, 3), 0 to 1.
        elevation: of its light, degrees.
        levels: those of the whole photo; without, its own.
    """
    mean, spread, *hues = levels or Levels.of(photo)
    grey, *told = _grey_and_hues(photo)
    out = np.empty((6, *grey.shape), np.float32)
    np.multiply(grey - np.float32(mean), np.float32(0.5 / spread), out=out[0])
    np.subtract(cv2.log(grey + np.float32(0.01)), np.float32(np.log(mean + 0.01)), out=out[1])
    for number, (one, hue) in enumerate(zip(told, hues, strict=True), 2):
        np.multiply(one - np.float32(hue), np.float32(12), out=out[number])
    out[4], out[5] = 1 / np.tan(np.radians(elevation)) - 1, 2 * spread / (mean + 0.01) - 1
    return out

"""By the size on the screen, from a kept camera."""

from __future__ import annotations

import math
from typing import ClassVar, Literal

import numpy as np

from relief.figures import say_number
from relief.parameters import number
from relief.surface.tessellation.tessellation import Measured, Tessellation

FIELD = 40.0
"""Degrees that the camera sees from side to side."""


def camera(default: float, label: str) -> float:
    """A coordinate of the camera."""
    made: float = number(
        default, -1e9, 1e9, label=label, unit="mm", step=10, slider=(-5000, 5000),
        help="Position of the camera from the middle of the surface.",
    )  # fmt: skip
    return made


class ScreenSize(Tessellation):
    """Keeps every edge below a number of pixels on the picture of a camera."""

    title: ClassVar[str] = "Size on screen"
    about: ClassVar[str] = "Fine near the camera"
    measure: ClassVar[str] = "pixels"
    weighs: ClassVar[bool] = False
    kind: Literal["screen"] = "screen"
    pixels: float = number(
        4, 0.1, 1000, label="Edges up to", unit="px", step=0.5, slider=(0.5, 50), logarithmic=True,
        help="The longest edge allowed on the picture, in pixels, seen from the side.",
    )  # fmt: skip
    wide: int = number(
        1280, 16, 65_536, label="Picture width", unit="px", step=1, slider=(320, 8192),
        help=f"How wide the camera's picture is. It sees {say_number(FIELD, 6)} degrees from side to side.",
    )  # fmt: skip
    camera_x: float = camera(0, "Camera, right")
    camera_y: float = camera(-1000, "Camera, up")
    camera_z: float = camera(1000, "Camera, front")

    def pieces(self, measured: Measured) -> np.ndarray:
        return np.maximum((self._shown(measured)[measured.edges].max(axis=1) / self.pixels) ** 2, 1)

    def edges_to_cut(self, measured: Measured) -> np.ndarray:
        long: np.ndarray = self._shown(measured) > self.pixels
        return long

    def coarser(self, times: float) -> tuple[str, float]:
        return "pixels", self.pixels * math.sqrt(times)

    def _shown(self, measured: Measured) -> np.ndarray:
        """How long each edge is on the picture, seen from the side, px: float (edges,)."""
        place = np.array([self.camera_x, self.camera_y, self.camera_z], np.float32)
        one, other = (measured.positions[measured.ends[:, side]] for side in (0, 1))
        along = other - one
        # the nearest point of the edge, as an edge may pass close by the camera
        share = np.einsum("ij,ij->i", place - one, along) / np.maximum(np.einsum("ij,ij->i", along, along), 1e-12)
        near = one + np.clip(share, 0, 1)[:, None] * along
        far = np.maximum(np.linalg.norm(place - near, axis=1), 1e-6)
        shown: np.ndarray = measured.lengths() / far * (self.wide / 2 / math.tan(math.radians(FIELD / 2)))
        return shown

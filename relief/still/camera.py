"""Where a still is seen from, and the rays of its pixels."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from relief.errors import ReliefError

FRAME = 36.0
"""mm that the frame behind a lens is wide (ISO 1007, 135 film), whatever the shape of the picture."""

FILLED = 0.92
"""Of the picture, by the surface, where the camera stands as nobody said otherwise."""

CENTRED = 8
"""How often the middle of what is seen is looked for."""


class Camera(NamedTuple):
    """A camera.

    Attributes:
        position, look_at: mm.
        lens: focal length, mm behind a frame of 36 mm.
        up: the axis that points up, 1 (y) or 2 (z).
        opening: its f-number, which decides how much before and behind is blurred; 0 for a pinhole, sharp everywhere.
        focus: mm to what is sharp; the distance to where it looks if 0.
    """

    position: tuple[float, float, float]
    look_at: tuple[float, float, float]
    lens: float = 50.0
    up: int = 1
    opening: float = 0.0
    focus: float = 0.0

    def axes(self) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Unit vectors to the right, up and forward.

        Raises:
            ReliefError: it looks nowhere, or its lens has no length.
        """
        if not 1 <= self.lens <= 2000:
            raise ReliefError("The lens must be between 1 and 2000 mm.")
        if self.opening and not 0.1 <= self.opening <= 100:
            raise ReliefError("The f-number must be between 0.1 and 100, or 0 for a pinhole.")
        if not 0 <= self.focus < np.inf:
            raise ReliefError("The focus must be 0 mm or more.")
        forward = np.subtract(self.look_at, self.position).astype(float)
        length = np.linalg.norm(forward)
        if not np.isfinite(length) or length < 1e-9:
            raise ReliefError("The camera stands where it looks at. Move one of the two.")
        forward /= length
        up = np.eye(3)[self.up]
        if abs(forward @ up) > 0.9999:  # straight down: the upper edge is away from the front
            up = np.eye(3)[3 - self.up] * (-1 if self.up == 1 else 1)
        right = np.cross(forward, up)
        right /= np.linalg.norm(right)
        return right, np.cross(right, forward), forward

    def rays(
        self, across: np.ndarray, down: np.ndarray, width: int, height: int, on_lens: tuple[np.ndarray, np.ndarray]
    ) -> tuple[np.ndarray, np.ndarray]:
        """Origins and directions, float32 (n, 3), of places of a picture.

        Args:
            across, down: in pixels from its upper left corner.
            width, height: of the picture in pixels.
            on_lens: two numbers from 0 to 1 for each, which choose a point of the opening of a thin lens (Cook, Porter
                & Carpenter 1984, Distributed ray tracing, SIGGRAPH).
        """
        right, up, forward = self.axes()
        step = FRAME / self.lens / width
        aside, above = (across - width / 2) * step, (height / 2 - down) * step
        directions = forward + aside[:, None] * right + above[:, None] * up
        origins = np.tile(np.asarray(self.position, float), (len(across), 1))
        if self.opening:
            focus = self.focus or float(np.linalg.norm(np.subtract(self.look_at, self.position)))
            out, turn = self.lens / self.opening / 2 * np.sqrt(on_lens[0]), 2 * np.pi * on_lens[1]
            moved = (out * np.cos(turn))[:, None] * right + (out * np.sin(turn))[:, None] * up
            origins, directions = origins + moved, directions * focus - moved
        directions /= np.linalg.norm(directions, axis=1, keepdims=True)
        return origins.astype(np.float32), directions.astype(np.float32)


def frame_all(positions: np.ndarray, towards: tuple[float, float, float], lens: float, ratio: float, up: int) -> Camera:
    """A camera in a direction from the middle of some places (n, 3), so near that they fill a picture of a
    ratio of width to height.
    """
    positions = positions.astype(float)
    middle = (positions.min(axis=0) + positions.max(axis=0)) / 2
    direction = np.asarray(towards, float) / np.linalg.norm(towards)
    right, above, forward = Camera((*direction.tolist(),), (0.0, 0.0, 0.0), lens, up).axes()
    wide = FRAME / lens / 2 * FILLED
    far = 0.0
    for _ in range(CENTRED):
        around = positions - middle
        aside, high, depth = around @ right, around @ above, around @ forward
        far = float(np.maximum(np.abs(aside) / wide - depth, np.abs(high) * ratio / wide - depth).max())
        # what is near looks larger, so the middle of the picture is not that of the surface
        seen = [axis / (far + depth) for axis in (aside, high)]
        off = [(each.min() + each.max()) / 2 * far for each in seen]
        middle = middle + right * off[0] + above * off[1]
    return Camera((*(middle + direction * far).tolist(),), (*middle.tolist(),), lens, up)

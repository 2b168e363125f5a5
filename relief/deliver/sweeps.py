"""Sweeps of a still: the sun going round, or the camera, as frames that close to a loop."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np
from PIL import Image

from relief.errors import ReliefError
from relief.progress import Part, Progress
from relief.still.camera import Camera
from relief.still.canvas import Canvas
from relief.still.scene import Scene
from relief.still.still import Still, Wanted, draw_still

SWEEPS = {"sun": "the sun goes round", "view": "the camera goes round"}

FRAMES, FEWEST_FRAMES, MOST_FRAMES = 48, 24, 120
PER_SECOND = 24
"""Frames of a sweep by default, at least and at most, and those that an animation shows in a second."""

QUALITY = 88
"""Of the WebP of an animation, out of 100."""


def sweep_frames(wanted: Wanted, sweep: str, frames: int) -> Iterator[Wanted]:
    """The stills of a sweep, the first as it is asked for, each a part of a whole turn further.

    Raises:
        ReliefError: there is no such sweep, or it has too few or too many frames.
    """
    if sweep not in SWEEPS:
        raise ReliefError(f"A sweep is {' or '.join(SWEEPS)}, not “{sweep}”.")
    if not FEWEST_FRAMES <= frames <= MOST_FRAMES:
        raise ReliefError(f"A sweep has {FEWEST_FRAMES} to {MOST_FRAMES} frames, not {frames}.")
    for number in range(frames):
        turn = 360 * number / frames
        if sweep == "sun":
            yield replace(wanted, light=wanted.light._replace(azimuth=(wanted.light.azimuth + turn) % 360))
        else:
            yield replace(wanted, camera=turn_camera(wanted.camera, turn))


def turn_camera(camera: Camera, degrees: float) -> Camera:
    """A camera carried around what it looks at, counter-clockwise as seen from above."""
    one, other = (0, 1) if camera.up == 2 else (2, 0)
    away = np.subtract(camera.position, camera.look_at).astype(float)
    cosine, sine = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    away[one], away[other] = away[one] * cosine - away[other] * sine, away[one] * sine + away[other] * cosine
    x, y, z = (np.asarray(camera.look_at) + away).tolist()
    return camera._replace(position=(x, y, z))


def draw_sweep(
    scene: Scene, wanted: Wanted, sweep: str, frames: int, progress: Progress | None = None,
    on_step: Callable[[Canvas], None] | None = None,
) -> Iterator[tuple[Wanted, Still]]:  # fmt: skip
    """Draws the stills of a sweep one after the other; the arguments are those of `draw_still` and `sweep_frames`.

    Raises:
        ReliefError, Cancelled.
    """
    for number, frame in enumerate(sweep_frames(wanted, sweep, frames)):
        part = Part(progress or Progress(), number / frames, (number + 1) / frames)
        yield frame, draw_still(scene, frame, part, on_step)


def animation(frames: Sequence[np.ndarray]) -> bytes:
    """Pictures uint8 (rows, columns, 3) as an animated WebP that begins again when it ends."""
    first, *rest = (Image.fromarray(frame) for frame in frames)
    out = io.BytesIO()
    first.save(
        out, "WEBP", save_all=True, append_images=rest, duration=round(1000 / PER_SECOND), loop=0, quality=QUALITY
    )
    return out.getvalue()

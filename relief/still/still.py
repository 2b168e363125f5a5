"""A still: how it is asked for, and its picture, path after path."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from relief.displace.forecast import final_limit
from relief.errors import ReliefError
from relief.kernels import thread_count
from relief.progress import Progress
from relief.still.air import see_through_air
from relief.still.camera import Camera
from relief.still.canvas import Canvas, Region
from relief.still.denoising import denoise
from relief.still.light import Light
from relief.still.scene import Scene
from relief.still.tracing import Draws, trace

AT_ONCE, FEWEST_AT_ONCE = 1 << 16, 1 << 12
"""Rays that one thread sends at once, at most and at least."""

FEWEST = 4
"""Paths of each pixel from which on its noise can be told."""

BACKDROP = (0.157, 0.181, 0.189)
"""Linear: the grey of the stage."""

LONGEST = 16_384
BYTES = 60
"""Pixels on a side at most, and bytes that each takes while it is drawn."""


@dataclass(frozen=True)
class Wanted:
    """A still as it is asked for.

    Attributes:
        camera: where it is seen from.
        light: what lights it.
        width, height: pixels.
        samples: paths for each pixel.
        bounces: how often light may go from surface to surface.
        region: the part that is drawn: left, top, width, height in pixels; all of it where it is not given.
        backdrop: linear colour where nothing is.
        open_air: whether there is a sky with a horizon instead, and haze before what is far.
        smooth: whether noise is removed.
        noise: relative error of the picture at which it is done before all samples are drawn; 0 draws all of them.
    """

    camera: Camera
    light: Light
    width: int = 1280
    height: int = 800
    samples: int = 16
    bounces: int = 2
    region: Region | None = None
    backdrop: tuple[float, float, float] = BACKDROP
    open_air: bool = False
    smooth: bool = True
    noise: float = 0.0

    def check(self) -> None:
        """Refuses what cannot be drawn.

        Raises:
            ReliefError: that names what is wrong.
        """
        self.camera.axes()
        if not (1 <= self.width <= LONGEST and 1 <= self.height <= LONGEST):
            raise ReliefError(f"A still is 1 to {LONGEST} pixels on a side, not {self.width} x {self.height}.")
        room = final_limit().memory // BYTES
        if self.width * self.height > room:
            side = int((room * self.width / self.height) ** 0.5)
            raise ReliefError(
                f"{self.width} x {self.height} pixels do not fit into memory; at this ratio {side} wide is the most."
            )
        if not 1 <= self.samples <= 4096 or not 0 <= self.bounces <= 16:
            raise ReliefError("A still takes 1 to 4096 samples and at most 16 bounces.")
        if not 0 <= self.noise < 1:
            raise ReliefError("The noise to stop at must be 0 or more and less than 100 %.")
        self.light.check()
        left, top, width, height = self.drawn
        if width < 1 or height < 1 or left < 0 or top < 0 or left + width > self.width or top + height > self.height:
            raise ReliefError("The region must lie within the picture.")

    @property
    def drawn(self) -> Region:
        """The part that is drawn."""
        return self.region or (0, 0, self.width, self.height)


@dataclass(frozen=True)
class Still:
    """A picture that was drawn.

    Attributes:
        radiance: linear, float32 (rows, columns, 3).
        noise: its relative error: the standard error of the mean brightness, as a part of it, in the mean of all pixels
            that show something; before noise was removed.
        seconds: that it took.
        samples: paths that each pixel has at least.
    """

    radiance: np.ndarray
    noise: float
    seconds: float
    samples: int = 0


def draw_still(
    scene: Scene,
    wanted: Wanted,
    progress: Progress | None = None,
    on_step: Callable[[Canvas], None] | None = None,
    goes_first: Callable[[], Region | None] | None = None,
) -> Still:
    """Draws a still: a coarse picture first, then path after path of each pixel.

    Args:
        scene, wanted: what is drawn, and how.
        progress: told how far it is; may cancel several times a second.
        on_step: given what there is of it several times a second.
        goes_first: asked as often for the part that is to be done before the rest.

    Raises:
        ReliefError: it cannot be drawn as it is asked for.
        Cancelled.
    """
    wanted.check()
    begun, progress = time.perf_counter(), progress or Progress()
    progress.step(0, "Preparing to trace rays")
    scene.prepare()
    canvas = Canvas(wanted.drawn, wanted.samples)
    threads = thread_count()

    def work(pixels: np.ndarray, sample: int) -> None:
        across, down = canvas.places(pixels)
        draws = Draws(down * wanted.width + across, sample, wanted.samples, wanted.bounces)
        places = across + draws.take(0), down + draws.take(1)
        rays = wanted.camera.rays(*places, wanted.width, wanted.height, (draws.take(2), draws.take(3)))
        backdrop = np.asarray(wanted.backdrop, np.float32)
        seen = trace(scene, wanted.light, *rays, draws, wanted.bounces, backdrop)
        canvas.add(pixels, see_through_air(seen, rays[1], wanted.camera.up) if wanted.open_air else seen)

    done = 0  # paths that every pixel has
    with ThreadPoolExecutor(threads) as pool:
        while len(pixels := canvas.choose_pixels(AT_ONCE * threads, goes_first() if goes_first else None)):
            sample = int(canvas.taken[pixels[0]])
            progress.step(0.98 * canvas.share, f"Path {sample + 1} of {wanted.samples} of each pixel")
            parts = np.array_split(pixels, min(threads, -(-len(pixels) // FEWEST_AT_ONCE)))
            list(pool.map(work, parts, [sample] * len(parts)))
            if on_step:
                on_step(canvas)
            if wanted.noise and done < (done := int(canvas.taken.min())) >= FEWEST and canvas.noise() <= wanted.noise:
                break
    mean, noise = canvas.picture(), canvas.noise()
    if wanted.smooth and wanted.samples > 1:
        progress.step(0.98, "Removing noise")
        mean = denoise(mean, *canvas.guides(), canvas.spread())
    return Still(mean, noise, time.perf_counter() - begun, int(canvas.taken.min()))

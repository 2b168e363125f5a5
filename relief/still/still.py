"""A still: how it is asked for, what it takes, and its picture, sample after sample."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from relief.displace.forecast import final_limit
from relief.errors import ReliefError
from relief.kernels import thread_count
from relief.progress import Progress
from relief.still.camera import Camera
from relief.still.denoising import denoise
from relief.still.light import Light
from relief.still.scene import Maps, Scene
from relief.still.tracing import Draws, trace
from relief.surface.mesh import Mesh, Part
from relief.surface.patches import quads_of_grid

AT_ONCE, FEWEST_AT_ONCE = 1 << 16, 1 << 12
"""Rays that one thread sends at once, at most and at least."""

BACKDROP = (0.157, 0.181, 0.189)
"""Linear: the grey of the stage."""

LONGEST = 16_384
BYTES = 60
"""Pixels on a side at most, and bytes that each takes while it is drawn."""

TRIED = 1 << 16
"""Pixels by which it is measured how long a still will take."""


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
        smooth: whether noise is taken out.
    """

    camera: Camera
    light: Light
    width: int = 1280
    height: int = 800
    samples: int = 16
    bounces: int = 2
    region: tuple[int, int, int, int] | None = None
    backdrop: tuple[float, float, float] = BACKDROP
    smooth: bool = True

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
        left, top, width, height = self.drawn
        if width < 1 or height < 1 or left < 0 or top < 0 or left + width > self.width or top + height > self.height:
            raise ReliefError("The region must lie within the picture.")

    @property
    def drawn(self) -> tuple[int, int, int, int]:
        """The part that is drawn."""
        return self.region or (0, 0, self.width, self.height)


@dataclass(frozen=True)
class Still:
    """A picture that was drawn.

    Attributes:
        radiance: linear, float32 (rows, columns, 3).
        noise: its relative error: the standard error of the mean brightness, as a part of it, in the mean of all pixels
            that show something; before noise was taken out.
        seconds: that it took.
    """

    radiance: np.ndarray
    noise: float
    seconds: float


def draw_still(
    scene: Scene, wanted: Wanted, progress: Progress | None = None, on_pass: Callable[[np.ndarray], None] | None = None
) -> Still:
    """Draws a still, sample after sample over the whole picture.

    Args:
        scene, wanted: what is drawn, and how.
        progress: told how far it is; may cancel between two samples.
        on_pass: given the mean of all samples so far after each.

    Raises:
        ReliefError: it cannot be drawn as it is asked for.
        Cancelled.
    """
    wanted.check()
    begun, progress = time.perf_counter(), progress or Progress()
    progress.step(0, "Preparing to trace rays")
    scene.prepare()
    left, top, width, height = wanted.drawn
    down, across = (each.ravel() for each in np.mgrid[top : top + height, left : left + width])
    count = len(across)
    total, squared = np.zeros((count, 3), np.float32), np.zeros(count, np.float32)
    albedo, normal = np.zeros((2, count, 3), np.float32)
    distance = np.full(count, np.inf, np.float32)
    backdrop = np.asarray(wanted.backdrop, np.float32)

    def work(part: slice, sample: int) -> None:
        pixels = down[part] * wanted.width + across[part]
        draws = Draws(pixels, sample, wanted.samples, wanted.bounces)
        places = across[part] + draws.take(0), down[part] + draws.take(1)
        origins, directions = wanted.camera.rays(*places, wanted.width, wanted.height)
        seen = trace(scene, wanted.light, origins, directions, draws, wanted.bounces, backdrop)
        total[part] += seen.radiance
        squared[part] += seen.radiance.mean(axis=1) ** 2
        albedo[part] += seen.albedo
        normal[part] += seen.normal
        distance[part] = np.minimum(distance[part], seen.distance)

    at_once = min(AT_ONCE, max(FEWEST_AT_ONCE, -(-count // thread_count())))  # small pictures take all threads too
    parts = [slice(first, min(first + at_once, count)) for first in range(0, count, at_once)]
    with ThreadPoolExecutor(thread_count()) as pool:
        for sample in range(wanted.samples):
            progress.step(sample / wanted.samples, f"Sample {sample + 1} of {wanted.samples}")
            for done in [pool.submit(work, part, sample) for part in parts]:
                done.result()
            if on_pass:
                on_pass((total / (sample + 1)).reshape(height, width, 3))
    mean = total / wanted.samples
    grey = mean.mean(axis=1)
    spread = np.sqrt(np.maximum(squared / wanted.samples - grey * grey, 0) / max(wanted.samples - 1, 1))
    seen = np.isfinite(distance)
    noise = float((spread[seen] / np.maximum(grey[seen], 1e-3)).mean()) if seen.any() else 0.0
    shape = (height, width)
    if wanted.smooth and wanted.samples > 1:
        progress.step(0.98, "Removing noise")
        mean = denoise(
            mean.reshape(*shape, 3), (albedo / wanted.samples).reshape(*shape, 3),
            (normal / wanted.samples).reshape(*shape, 3), distance.reshape(shape), spread.reshape(shape),
        )  # fmt: skip
    return Still(mean.reshape(*shape, 3), noise, time.perf_counter() - begun)


def time_path(scene: Scene, wanted: Wanted) -> float:
    """Seconds that a path of a still takes, from a small one of the same scene, drawn here and now."""
    scale = min(1.0, (TRIED / (wanted.width * wanted.height)) ** 0.5)
    small = replace(
        wanted, width=max(1, round(wanted.width * scale)), height=max(1, round(wanted.height * scale)),
        samples=2, region=None, smooth=False,
    )  # fmt: skip
    draw_still(scene, replace(small, samples=1))  # what is loaded once is not counted
    return draw_still(scene, small).seconds / (small.width * small.height * small.samples)


def forecast_seconds(each: float, pixels: float, samples: int, *, smooth: bool = True) -> float:
    """Seconds that a still takes where a path takes `each`."""
    return pixels * (each * samples + (SMOOTHING if smooth and samples > 1 else 0))


def forecast_still(scene: Scene, wanted: Wanted, each: float | None = None) -> float:
    """Seconds that a still will take; `each` is what `time_path` gives, where that was asked for already."""
    wanted.check()
    *_, width, height = wanted.drawn
    each = time_path(scene, wanted) if each is None else each
    return forecast_seconds(each, width * height, wanted.samples, smooth=wanted.smooth)


@cache
def time_usual_path() -> float:
    """Seconds that a path takes on this machine, measured once on rough ground that fills a small picture."""
    side = 160
    ground = np.random.default_rng(0).random((side, side)).astype(np.float32) * np.float32(0.3)
    rows, columns = np.mgrid[:side, :side].astype(np.float32)
    scene = Scene(make_grid(np.stack([columns, rows, ground], axis=-1)), (Maps(),), up=2)
    middle = (side - 1) / 2
    camera = Camera((middle, middle - 40, 90.0), (middle, middle, 0.0), 50.0, up=2)
    return time_path(scene, Wanted(camera, Light(), 256, 256))


def make_grid(places: np.ndarray) -> Mesh:
    """A mesh of quads over a grid of places (rows, columns, 3)."""
    rows, columns = places.shape[:2]
    quads = quads_of_grid(rows, columns).astype(np.int32)
    corners, faces = quads.ravel(), len(quads)
    normals = np.tile(np.array([0, 0, 1], np.float32), (rows * columns, 1))
    return Mesh(
        places.reshape(-1, 3).astype(np.float32), normals, np.zeros((rows * columns, 2), np.float32), corners, corners,
        corners, np.arange(faces + 1, dtype=np.int32) * 4, np.zeros(faces, np.uint16), np.zeros(faces, np.int32),
        (Part("ground", 1, 1),),
    )  # fmt: skip


SMOOTHING = 16e-6
"""Seconds that taking noise out takes for a pixel on the machine on which it was measured."""

"""How long a still will take: from a small one of the same scene, or from a usual one on this machine."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np

from relief.still.camera import Camera
from relief.still.light import Light
from relief.still.scene import Maps, Scene
from relief.still.still import Wanted, draw_still
from relief.surface.mesh import Mesh, Part
from relief.surface.patches import quads_of_grid

TRIED = 1 << 16
"""Pixels by which it is measured how long a still will take."""

SMOOTHING = 16e-6
"""Seconds that removing noise takes for a pixel on the machine on which it was measured."""


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

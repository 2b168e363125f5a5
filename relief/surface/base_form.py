"""A base form by hand: the surface raised or lowered softly before any relief lies on it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from pydantic import Field

from relief.parameters import Parameters, drawn_value, number
from relief.surface.mesh import Mesh
from relief.surface.normals import directions, renew_normals

WAVES = 32
"""Waves whose sum is the noise."""


class Handle(Parameters):
    """A place that was dragged.

    Attributes:
        x, y, z: where it lies on the surface, mm about its middle.
        raised: how far it was dragged outward, mm.
        falloff: how far around it the surface follows, mm.
    """

    x: float = Field(ge=-1e8, le=1e8)
    y: float = Field(ge=-1e8, le=1e8)
    z: float = Field(ge=-1e8, le=1e8)
    raised: float = Field(ge=-1e7, le=1e7)
    falloff: float = Field(gt=0, le=1e8)


class BaseForm(Parameters):
    """Soft noise, and handles that were dragged."""

    noise: float = number(
        0, 0, 10_000_000, label="Unevenness", unit="mm", step=1, slider=(0, 500),
        help="How far the surface gently rises and falls before any relief, as old floors and walls do.",
    )  # fmt: skip
    size: float = number(
        1000, 0.1, 100_000_000, label="Size of unevenness", unit="mm", step=10, slider=(10, 10_000), logarithmic=True,
        help="How wide one rise and fall is.",
    )  # fmt: skip
    seed: int = number(
        1, 0, 999_999, label="Seed", step=1, slider=(0, 100), help="Random seed: another number gives another form."
    )
    handles: tuple[Handle, ...] = drawn_value(
        (), label="Raised by hand", shown="help", max_length=200,
        help="Drag the surface up or down with the Raise tool; its surroundings follow softly.",
    )  # fmt: skip

    @property
    def heading(self) -> str:
        return "Base form"


def raise_softly(mesh: Mesh, form: BaseForm) -> Mesh:
    """The mesh moved along its directions by soft noise and by handles, with new normals.

    The noise is a sum of plane waves with random directions and phases (spectral method, Shinozuka & Jan 1972, Journal
    of Sound and Vibration 25; from memory), from half of its size to twice as long; it depends on the place alone, so
    that seams stay closed. A handle moves the surface by (1 - r^2)^2 with r its distance over its falloff.
    """
    if not form.noise and not form.handles:
        return mesh
    points = mesh.positions.astype(np.float64)
    moved = np.zeros(len(points))
    if form.noise:
        moved += form.noise * soft_noise(points / form.size, form.seed)
    for handle in form.handles:
        far = np.linalg.norm(points - (handle.x, handle.y, handle.z), axis=1) / handle.falloff
        moved += handle.raised * np.clip(1 - far**2, 0, None) ** 2
    positions = mesh.positions + directions(mesh) * moved[:, None].astype(np.float32)
    return renew_normals(replace(mesh, positions=positions))


def soft_noise(points: np.ndarray, seed: int) -> np.ndarray:
    """Noise at points, float64 (count, 3) in units of its size: about -1 to 1, float64 (count,)."""
    rng = np.random.default_rng(seed)
    towards = rng.normal(size=(WAVES, 3))
    towards /= np.linalg.norm(towards, axis=1, keepdims=True)
    waves = towards * (2 * np.pi * rng.uniform(0.5, 1, (WAVES, 1)))
    phases = rng.uniform(0, 2 * np.pi, WAVES)
    total = np.zeros(len(points))
    for wave, phase in zip(waves, phases, strict=True):
        total += np.cos(points @ wave + phase)
    return total / np.sqrt(2 * WAVES)

"""Teaches the network, from a checkpoint on where there is one, for as long as it may."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import jax
import jax.numpy as jnp
import numpy as np
import optax

from tools.learn.network import Numbers, begin, linear, normals, run, show

BATCH = 10
"""Examples that are shown at once."""

HELD = 256
"""Examples that are kept aside to see how well it does on what it was not taught."""

RATE = 2e-3
"""The learning rate at its highest."""


def load(
    folder: Path, names: Sequence[str] = ("photo", "slopes", "colour", "given", "linear")
) -> dict[str, np.ndarray]:
    """Some of what `examples.py` keeps of the examples of a folder, by its name."""
    parts = [np.load(path) for path in sorted(folder.glob("*.npz"))]
    return {name: np.concatenate([part[name] for part in parts]) for name in names}


def loss(numbers: Numbers, photos, slopes, colours, elevations, read):
    """How far the network is off: its normals, what it says of that itself, and the light that it finds in a photo."""
    shown = linear(photos)
    told = run(numbers, show(shown, elevations, read))
    found, true = normals(told[..., :2]), normals(slopes)
    cosine = (found * true).sum(-1)
    angle = jnp.arccos(jnp.clip(jax.lax.stop_gradient(cosine), -0.9999, 0.9999))
    variance = jnp.clip(told[..., 2], -8, 2)
    certainty = (jnp.exp(-variance) * angle**2 + variance).mean()
    grey = jnp.array([0.2126, 0.7152, 0.0722])
    light = jnp.log((shown @ grey + 0.01) / (colours @ grey + 0.01))
    off = told[..., 3] - light
    edges = jnp.abs(jnp.diff(off, axis=1)).mean() + jnp.abs(jnp.diff(off, axis=2)).mean()
    return (
        4 * (1 - cosine).mean()
        + jnp.abs(found - true).mean()
        + 0.05 * certainty
        + 0.3 * jnp.abs(off).mean()
        + 0.5 * edges
    )


def score(numbers: Numbers, photos, slopes, elevations, read):
    """Of some photos the mean angle that the network and a flat plane are off, degrees."""
    found, true = normals(run(numbers, show(linear(photos), elevations, read))[..., :2]), normals(slopes)
    return [
        jnp.degrees(jnp.arccos(jnp.clip(cosine, -1, 1))).mean() for cosine in ((found * true).sum(-1), true[..., 2])
    ]


def batches(examples: dict[str, np.ndarray], rng: np.random.Generator) -> Iterator[tuple[np.ndarray, ...]]:
    """Some examples after the other, mirrored about the light, and their channels mixed."""
    while True:
        chosen = rng.integers(HELD, len(examples["photo"]), BATCH)
        photos = examples["photo"][chosen]
        slopes, colours, read = (examples[name][chosen].astype(np.float32) for name in ("slopes", "colour", "linear"))
        if rng.random() < 0.5:
            photos, colours = photos[:, ::-1], colours[:, ::-1]
            slopes, read = (each[:, ::-1] * np.array([1, -1], np.float32) for each in (slopes, read))
        if rng.random() < 0.3:
            order = rng.permutation(3)
            photos, colours = photos[..., order], colours[..., order]
        yield photos, slopes, colours, examples["given"][chosen], read


class Course(NamedTuple):
    """How a network is taught.

    Attributes:
        begin: gives the first numbers, by a seed.
        loss: of numbers and a batch.
        batches: gives batches without end.
        report: says how well numbers do on what is held aside, as a sentence and as figures.
    """

    begin: Callable[[int], Numbers]
    loss: Callable[..., Any]
    batches: Callable[[np.random.Generator], Iterator[tuple[np.ndarray, ...]]]
    report: Callable[[Numbers], tuple[str, tuple[float, ...]]]


def follow(course: Course, checkpoint: Path, minutes: float, steps: int, seed: int = 0) -> tuple[float, ...]:
    """Teaches until the time or the steps are over; keeps a checkpoint. Gives the last figures of the report.

    Args:
        course: how it is taught.
        checkpoint: where the numbers, and how many steps were taken, are kept as a .npz file; gone on from if there.
        minutes: how long at most.
        steps: of the whole course, over which the learning rate falls.
        seed: of the first numbers and the order of the examples.
    """
    optimiser = optax.adam(optax.cosine_decay_schedule(RATE, steps, 0.02))
    numbers, taken = restore(checkpoint) if checkpoint.exists() else (course.begin(seed), 0)
    state = optimiser.init(numbers)
    state = jax.tree.map(lambda leaf: jnp.full_like(leaf, taken) if leaf.dtype == jnp.int32 else leaf, state)

    @jax.jit
    def step(numbers, state, *batch):
        value, slope = jax.value_and_grad(course.loss)(numbers, *batch)
        update, state = optimiser.update(slope, state, numbers)
        return optax.apply_updates(numbers, update), state, value

    until, values, figures = time.monotonic() + 60 * minutes, [], ()
    for batch in course.batches(np.random.default_rng((seed, taken))):
        if time.monotonic() > until or taken >= steps:
            break
        numbers, state, value = step(numbers, state, *batch)
        values.append(float(value))
        taken += 1
        if taken % 250 == 0 or taken == 20:
            said, figures = course.report(numbers)
            print(f"{taken:6} steps: loss {np.mean(values[-250:]):.4f}, {said}", flush=True)
            keep(checkpoint, numbers, taken)
    keep(checkpoint, numbers, taken)
    return figures or course.report(numbers)[1]


def relief_course(folder: Path) -> Course:
    """How the network is taught that tells relief, by the examples of a folder."""
    examples = load(folder)
    scored = jax.jit(score)

    def report(numbers: Numbers) -> tuple[str, tuple[float, ...]]:
        held = [
            scored(numbers, *(examples[name][at : at + 64] for name in ("photo", "slopes", "given", "linear")))
            for at in range(0, HELD, 64)
        ]
        angle, flat = (float(np.mean(each)) for each in zip(*held, strict=True))
        return f"{angle:.2f} degrees off, flat {flat:.2f}", (angle, flat)

    return Course(begin, loss, partial(batches, examples), report)


def keep(path: Path, numbers: Numbers, taken: int) -> None:
    """Keeps the numbers as float32, and how many steps were taken."""
    flat = {f"{layer}.{name}": np.asarray(value) for layer, both in numbers.items() for name, value in both.items()}
    part = path.with_suffix(".part.npz")
    np.savez(part, taken=taken, **flat)
    part.replace(path)


def restore(path: Path) -> tuple[Numbers, int]:
    """What `keep` kept."""
    kept = np.load(path)
    numbers: Numbers = {}
    for name in kept.files:
        if "." in name:
            layer, which = name.split(".")
            numbers.setdefault(layer, {})[which] = jnp.asarray(kept[name])
    return numbers, int(kept["taken"])

"""A second, smaller network, which tells where the light of a photo stood: azimuth, elevation, and whether it was even.

It looks at the whole picture, at first with the windows that the network of the relief has learned: down four levels,
then the mean over all places. How likely each azimuth is comes out for sectors of a circle, as a photo often tells the
line that the light lies on better than the end of it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import cv2
import jax
import jax.numpy as jnp
import numpy as np
import optax

from relief.depth.learned import LAMP_MIDDLE as MIDDLE
from relief.depth.learned import LAMP_WIDTH as WIDTH
from relief.depth.learned import SECTORS
from tools.learn import network
from tools.learn.network import Numbers, convolve, draw_layer, features, linear
from tools.learn.teach import HELD, Course, load, restore

LEVELS = 4
"""Levels of the network of the relief whose windows it begins with."""

BETWEEN, TOLD = 64, SECTORS + 3
"""Channels after the mean, and what is told: the logarithm of how likely each sector is, but for one addend; elevation
and the logarithm of its variance; that of how likely the light was even, over that it was not.
"""

SOFT = 20.0
"""How sharp the distribution is about the true azimuth that is to be told (the concentration of a von Mises
distribution: Mardia & Jupp 2000, Directional Statistics)."""

CROP = 80
"""Texels on the side of what is shown: a square of that size lies within an example however it is turned."""

BATCH = 32
"""Photos that are shown at once."""


def begin(seed: int, given: Any, relief: Numbers | None = None) -> Numbers:
    """Numbers to begin with, by the name of the layer: those of the network of the relief where it has any.

    Each channel has mean 0 and deviation 1 over what a few photos give (Mishkin & Matas 2016, All you need is a good
    init, ICLR). Otherwise the means over whole photos hardly differ, and nothing is learned.
    """
    drawn = relief or network.begin(seed)
    out = {name: dict(drawn[name]) for level in range(LEVELS) for name in (f"down{level}a", f"down{level}b")}
    out["down0a"]["w"] = out["down0a"]["w"][:, :, : network.OF_PHOTO]
    rng = np.random.default_rng((seed, 1))
    out["mean"] = draw_layer(rng, 1, network.WIDTHS[LEVELS - 1], BETWEEN)
    out["out"] = draw_layer(rng, 1, BETWEEN, TOLD, 0.1)
    run(out, given, _standardise)
    return out


def _standardise(field: Any, layer: dict[str, Any], step: int = 1) -> Any:
    """As `convolve`, after the layer was set so that each channel has mean 0 and deviation 1 over the field."""
    told = convolve(field, layer, step)
    deviation = told.std((0, 1, 2)) + 1e-4
    layer["w"], layer["b"] = layer["w"] / deviation, (layer["b"] - told.mean((0, 1, 2))) / deviation
    return convolve(field, layer, step)


def run(numbers: Numbers, given: Any, each: Callable[..., Any] = convolve) -> Any:
    """What the network tells of what it is given: (photos, rows, columns, OF_PHOTO) to (photos, TOLD).

    Rows and columns are multiples of 16. `each` is what is done with the field at each layer but the last.
    """
    field = given
    for level in range(LEVELS):
        field = network.go_down(numbers, field, level, each)
    field = field.mean((1, 2), keepdims=True)
    field = jax.nn.relu(each(field, numbers["mean"]))
    return convolve(field, numbers["out"])[:, 0, 0]


def loss(numbers: Numbers, photos, azimuths, elevations, even):
    """How unlikely the network holds the light that was there. Of even light there is no azimuth to be told."""
    level = jnp.full(len(photos), MIDDLE)  # it is what is looked for
    told = run(numbers, features(linear(photos), level))
    middles = 2 * jnp.pi * jnp.arange(SECTORS) / SECTORS
    likely = jax.nn.softmax(SOFT * jnp.cos(middles - azimuths[:, None]))
    direction = optax.softmax_cross_entropy(told[:, :SECTORS], likely)
    off = (elevations - MIDDLE) / WIDTH - told[:, SECTORS]
    variance = jnp.clip(told[:, SECTORS + 1], -4, 2)
    height = 0.5 * (jnp.exp(-variance) * off**2 + variance)
    lit = 1 - even
    evenness = optax.sigmoid_binary_cross_entropy(told[:, SECTORS + 2], even)
    return (lit * (direction + 0.3 * height)).mean() + evenness.mean()


def score(numbers: Numbers, photos, azimuths, elevations, even):
    """Of lit photos the share whose azimuth is within 20 degrees, and the mean elevation off; of all how many are told
    rightly to be even or not.
    """
    told = run(numbers, features(linear(photos), jnp.full(len(photos), MIDDLE)))
    found = 2 * jnp.pi * told[:, :SECTORS].argmax(-1) / SECTORS
    off = jnp.degrees(jnp.abs(jnp.angle(jnp.exp(1j * (found - azimuths)))))
    lit = 1 - even
    height = jnp.abs(told[:, SECTORS] * WIDTH + MIDDLE - elevations)
    right = ((told[:, SECTORS + 2] > 0) == (even > 0.5)).mean()
    return (lit * (off < 20)).sum() / lit.sum(), (lit * height).sum() / lit.sum(), right


def turned(photo: np.ndarray, azimuth: float, mirrored: bool) -> np.ndarray:
    """The middle of an example, turned so that its light comes from an azimuth in radians."""
    photo = photo[::-1] if mirrored else photo
    middle, cos, sin = (len(photo) - 1) / 2, np.cos(azimuth), np.sin(azimuth)
    # of each place of what is shown, the place of the example it is taken from; y points down
    here = np.array([[cos, -sin, 0], [sin, cos, 0]])
    here[:, 2] = middle - here[:, :2] @ np.full(2, (CROP - 1) / 2)
    return cv2.warpAffine(photo, here, (CROP, CROP), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)


def batches(
    examples: dict[str, np.ndarray], rng: np.random.Generator, chosen: np.ndarray | None = None
) -> Iterator[tuple[np.ndarray, ...]]:
    """Some examples after the other, turned and mirrored, and their channels mixed; those chosen, or any."""
    while True:
        here = rng.integers(HELD, len(examples["photo"]), BATCH) if chosen is None else chosen
        azimuths = rng.uniform(-np.pi, np.pi, len(here)).astype(np.float32)
        photos = np.stack(
            [
                turned(examples["photo"][number], azimuth, rng.random() < 0.5)
                for number, azimuth in zip(here, azimuths, strict=True)
            ]
        )
        if chosen is None and rng.random() < 0.3:
            photos = photos[..., rng.permutation(3)]
        even = (examples["sun"][here] <= 0).astype(np.float32)
        yield photos, azimuths, examples["elevation"][here], even


def light_course(folder: Path, relief: Path | None = None) -> Course:
    """How the network is taught that tells where the light stood, by the examples of a folder.

    Args:
        folder: of the examples.
        relief: the checkpoint of the network of the relief, whose windows it begins with.
    """
    examples = load(folder, ("photo", "elevation", "sun"))
    held = next(batches(examples, np.random.default_rng(0), np.arange(HELD)))
    scored = jax.jit(score)

    def report(numbers: Numbers) -> tuple[str, tuple[float, ...]]:
        near, off, right = (float(each) for each in scored(numbers, *held))
        said = f"azimuth within 20 degrees {near:.1%}, elevation {off:.1f} degrees off, even light told {right:.1%}"
        return said, (near, off, right)

    shown = held[0][:64]
    few = features(linear(shown), jnp.full(len(shown), MIDDLE))
    return Course(
        partial(begin, given=few, relief=restore(relief)[0] if relief else None),
        loss,
        partial(batches, examples),
        report,
    )

"""A second, smaller network, which tells which of two opposite sides the light of a photo came from, how high it stood,
and whether it was even.

A photo tells the line that its light lies on by its contrasts alone; the end of it only to what knows surfaces. So the
network is shown a photo turned so that its light comes from the right or from the left. It goes down four levels, at
first with the windows that the network of the relief has learned, and what it finds at each place is added up.
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
from tools.learn import network
from tools.learn.network import Numbers, convolve, draw_layer, features, linear
from tools.learn.teach import HELD, Course, load, restore

LEVELS = 4
"""Levels of the network of the relief whose windows it begins with."""

BETWEEN, TOLD = 64, 4
"""Channels before the mean, and what is told: the logarithm of how likely the light came from the right over that it
came from the left; elevation and the logarithm of its variance; that of how likely the light was even, over that it was
not.
"""

ASIDE = 12.0
"""Degrees that the line on which the light lies is off, as one is that is estimated."""

CROP = 112
"""Texels on the side of what is shown: a square of that size hardly leaves an example that is turned a little."""

BATCH = 32
"""Photos that are shown at once."""


def begin(seed: int, given: Any, relief: Numbers | None = None) -> Numbers:
    """Numbers to begin with, by the name of the layer: those of the network of the relief where it has any.

    Each channel has mean 0 and deviation 1 over what a few photos give (Mishkin & Matas 2016, All you need is a good
    init, ICLR). Otherwise the means over whole photos hardly differ, and nothing is learned.
    """
    drawn = relief or network.begin(seed)
    out = {name: dict(drawn[name]) for level in range(LEVELS) for name in (f"down{level}a", f"down{level}b")}
    one, other = jax.random.split(jax.random.PRNGKey(seed))
    out["mean"] = draw_layer(one, 1, network.WIDTHS[LEVELS - 1], BETWEEN)
    out["out"] = draw_layer(other, 1, BETWEEN, TOLD, 0.1)
    run(out, given, _standardise)
    return out


def _standardise(field: Any, layer: dict[str, Any], step: int = 1) -> Any:
    """As `convolve`, after the layer was set so that each channel has mean 0 and deviation 1 over the field."""
    told = convolve(field, layer, step)
    deviation = told.std((0, 1, 2)) + 1e-4
    layer["w"], layer["b"] = layer["w"] / deviation, (layer["b"] - told.mean((0, 1, 2))) / deviation
    return convolve(field, layer, step)


def run(numbers: Numbers, given: Any, each: Callable[..., Any] = convolve) -> Any:
    """What the network tells of what it is given: (photos, rows, columns, GIVEN) to (photos, TOLD).

    Rows and columns are multiples of 16. `each` is what is done with the field at each layer but the last.
    """
    field = given
    for level in range(LEVELS):
        field = network.go_down(numbers, field, level, each)
    field = jax.nn.relu(each(field, numbers["mean"])).mean((1, 2), keepdims=True)
    return convolve(field, numbers["out"])[:, 0, 0]


def _tell(numbers: Numbers, photos: Any) -> Any:
    level = jnp.full(len(photos), MIDDLE)  # it is what is looked for
    return run(numbers, features(linear(photos), level))


def loss(numbers: Numbers, photos, right, elevations, even):
    """How unlikely the network holds the light that was there. Even light comes from no side."""
    told = _tell(numbers, photos)
    side = optax.sigmoid_binary_cross_entropy(told[:, 0], right)
    off = (elevations - MIDDLE) / WIDTH - told[:, 1]
    variance = jnp.clip(told[:, 2], -4, 2)
    height = 0.5 * (jnp.exp(-variance) * off**2 + variance)
    evenness = optax.sigmoid_binary_cross_entropy(told[:, 3], even)
    return ((1 - even) * (side + 0.3 * height)).mean() + evenness.mean()


def score(numbers: Numbers, photos, right, elevations, even):
    """Of lit photos the share whose side is told rightly, by a photo and its mirror image, and the mean elevation off;
    of even ones the share that is told to be even; of lit ones that is told to be even.
    """
    told, other = (_tell(numbers, each) for each in (photos, photos[:, :, ::-1]))
    lit = 1 - even
    found = (told[:, 0] > other[:, 0]) == (right > 0.5)
    height = jnp.abs((told[:, 1] + other[:, 1]) / 2 * WIDTH + MIDDLE - elevations)
    called = (told[:, 3] + other[:, 3]) > 0
    return (
        (lit * found).sum() / lit.sum(),
        (lit * height).sum() / lit.sum(),
        (even * called).sum() / even.sum(),
        (lit * called).sum() / lit.sum(),
    )


def turned(photo: np.ndarray, turn: float, from_left: bool, mirrored: bool) -> np.ndarray:
    """The middle of an example, turned by an angle in radians, mirrored about the light or not, and so that its light
    comes from the right or from the left.
    """
    photo = photo[::-1] if mirrored else photo
    middle, cos, sin = (len(photo) - 1) / 2, np.cos(turn), np.sin(turn)
    # of each place of what is shown, the place of the example it is taken from; y points down
    here = np.array([[cos, -sin, 0], [sin, cos, 0]])
    here[:, 2] = middle - here[:, :2] @ np.full(2, (CROP - 1) / 2)
    way = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    photo = cv2.warpAffine(photo, here, (CROP, CROP), flags=way, borderMode=cv2.BORDER_REFLECT)
    return photo[:, ::-1] if from_left else photo


def batches(
    examples: dict[str, np.ndarray], rng: np.random.Generator, chosen: np.ndarray | None = None
) -> Iterator[tuple[np.ndarray, ...]]:
    """Some examples after the other, turned and mirrored, and their channels mixed; those chosen, or any."""
    while True:
        here = rng.integers(HELD, len(examples["photo"]), BATCH) if chosen is None else chosen
        right = rng.random(len(here)) < 0.5
        photos = np.stack(
            [
                turned(examples["photo"][number], np.radians(rng.normal(0, ASIDE)), not side, rng.random() < 0.5)
                for number, side in zip(here, right, strict=True)
            ]
        )
        if chosen is None and rng.random() < 0.3:
            photos = photos[..., rng.permutation(3)]
        even = (examples["sun"][here] <= 0).astype(np.float32)
        yield photos, right.astype(np.float32), examples["elevation"][here], even


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
        right, off, even, wrong = (float(each) for each in scored(numbers, *held))
        said = f"side right {right:.1%}, elevation {off:.1f} degrees off, even told {even:.1%}, wrongly {wrong:.1%}"
        return said, (right, off, even, wrong)

    shown = held[0][:64]
    few = features(linear(shown), jnp.full(len(shown), MIDDLE))
    return Course(
        partial(begin, given=few, relief=restore(relief)[0] if relief else None),
        loss,
        partial(batches, examples),
        report,
    )

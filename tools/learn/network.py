"""The network: a U-Net (Ronneberger, Fischer & Brox 2015, U-Net, MICCAI) of 0.8 million numbers, in JAX.

What goes up is added to what went down, not laid beside it, which halves the work at the finest level. The first layer
looks at every second texel with windows of 4 x 4, and the last gives four texels at a time, so that all between works
on a quarter of them. Out come, for each texel, two slopes, the logarithm of the variance of the angle by which they are
off (Kendall & Gal 2017, What uncertainties do we need, NeurIPS), and that of the light.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import jax
import jax.numpy as jnp
import numpy as np

from relief.depth.learned import LINEAR_SHARE

WIDTHS = (24, 40, 64, 96, 128)
"""Channels at each level, each of half the texels on a side of the one before."""

OF_PHOTO, GIVEN, TOLD = 6, 8, 4
"""Channels that are made of a photo alone (see `features`), that go in with the slopes which the linear method reads,
and that come out."""

FIRST = 4
"""Texels on the side of the windows of the first layer."""

Numbers = dict[str, dict[str, Any]]


def draw_layer(rng: np.random.Generator, side: int, given: int, told: int, times: float = 1.0) -> dict[str, Any]:
    """The weights and offsets of a layer with windows of some texels on a side, as they are before it is taught."""
    spread = times * np.sqrt(2 / (side * side * given))
    drawn = rng.standard_normal((side, side, given, told), np.float32) * np.float32(spread)
    return {"w": jnp.asarray(drawn), "b": jnp.zeros(told)}


def begin(seed: int) -> Numbers:
    """Numbers to begin with (He et al. 2015), by the name of the layer: its weights and its offsets."""
    rng = np.random.default_rng(seed)
    out: Numbers = {}

    def layer(name: str, *sizes: Any) -> None:
        out[name] = draw_layer(rng, *sizes)

    before = GIVEN
    for level, width in enumerate(WIDTHS):
        layer(f"down{level}a", 3 if level else FIRST, before, width)
        layer(f"down{level}b", 3, width, width)
        before = width
    for level in reversed(range(len(WIDTHS) - 1)):
        layer(f"up{level}", 1, before, WIDTHS[level], 0.7)
        layer(f"up{level}a", 3, WIDTHS[level], WIDTHS[level])
        layer(f"up{level}b", 3, WIDTHS[level], WIDTHS[level])
        before = WIDTHS[level]
    layer("out", 3, before, 4 * TOLD, 0.1)
    return out


def _slide(field: Any, weights: Any, step: int) -> Any:
    border = ((1, 1), (1, 1)) if weights.shape[0] > 1 else ((0, 0), (0, 0))
    numbers = ("NHWC", "HWIO", "NHWC")
    return jax.lax.conv_general_dilated(field, weights, (step, step), border, dimension_numbers=numbers)


@jax.custom_vjp
def _slide_by_one(field: Any, weights: Any) -> Any:
    return _slide(field, weights, 1)


def _slide_back(kept: tuple[Any, Any], slope: Any) -> tuple[Any, Any]:
    """The slopes of `_slide_by_one`. Those of the weights, as one product for each of the nine, take half as long on a
    processor as JAX's own way.
    """
    field, weights = kept
    _, rows, columns, told = slope.shape
    wide = jnp.pad(field, ((0, 0), (1, 1), (1, 1), (0, 0)))
    flat = slope.reshape(-1, told)
    products = [
        wide[:, row : row + rows, column : column + columns].reshape(len(flat), -1).T @ flat
        for row in range(3)
        for column in range(3)
    ]
    turned = weights[::-1, ::-1].transpose(0, 1, 3, 2)
    return _slide(slope, turned, 1), jnp.stack(products).reshape(weights.shape)


_slide_by_one.defvjp(lambda field, weights: (_slide(field, weights, 1), (field, weights)), _slide_back)


def convolve(field: Any, layer: dict[str, Any], step: int = 1) -> Any:
    """Windows slid over (photos, rows, columns, channels), every `step` texels, with a border of zeros."""
    weights = layer["w"]
    slid = _slide_by_one(field, weights) if (step, weights.shape[0]) == (1, 3) else _slide(field, weights, step)
    return slid + layer["b"]


def _halve(field: Any) -> Any:
    """The means of 2 x 2 texels."""
    return (field[:, ::2, ::2] + field[:, 1::2, ::2] + field[:, ::2, 1::2] + field[:, 1::2, 1::2]) / 4


def _double(field: Any) -> Any:
    return jnp.repeat(jnp.repeat(field, 2, 1), 2, 2)


def go_down(numbers: Numbers, field: Any, level: int, each: Callable[..., Any] = convolve) -> Any:
    """The field of a level, from what is given or from that of the level above. `each` is what a layer does."""
    field = _halve(field) if level else field
    field = jax.nn.relu(each(field, numbers[f"down{level}a"], 1 if level else 2))
    return jax.nn.relu(each(field, numbers[f"down{level}b"]))


def run(numbers: Numbers, given: Any) -> Any:
    """What the network tells of what it is given: (photos, rows, columns, GIVEN) to (photos, rows, columns, TOLD).

    Rows and columns are multiples of 32.
    """
    kept, field = [], given
    for level in range(len(WIDTHS)):
        field = go_down(numbers, field, level)
        kept.append(field)
    for level in reversed(range(len(WIDTHS) - 1)):
        field = _double(convolve(field, numbers[f"up{level}"])) + kept[level]
        field = jax.nn.relu(convolve(field, numbers[f"up{level}a"]))
        field = jax.nn.relu(convolve(field, numbers[f"up{level}b"]))
    field = convolve(field, numbers["out"])
    photos, rows, columns, _ = field.shape
    field = field.reshape(photos, rows, columns, 2, 2, TOLD).transpose(0, 1, 3, 2, 4, 5)
    field = field.reshape(photos, 2 * rows, 2 * columns, TOLD)
    return field.at[..., :2].add(LINEAR_SHARE * given[..., OF_PHOTO:])


def features(photos: Any, elevations: Any) -> Any:
    """What the network is given of photos in linear light (photos, rows, columns, 3): brightness and its logarithm as
    they differ from the mean, two hues, how flat the light falls, and how much the brightness varies.
    """
    grey = photos @ jnp.array([0.2126, 0.7152, 0.0722])
    mean = grey.mean((1, 2), keepdims=True)
    spread = jnp.sqrt(((grey - mean) ** 2).mean((1, 2), keepdims=True)) + 1e-4
    whole = photos.sum(-1) + 0.02
    red, blue = photos[..., 0] / whole, photos[..., 2] / whole
    red, blue = (12 * (hue - hue.mean((1, 2), keepdims=True)) for hue in (red, blue))
    flat = 1 / jnp.tan(jnp.radians(elevations))[:, None, None]
    return jnp.stack(
        [
            (grey - mean) / spread / 2,
            jnp.log((grey + 0.01) / (mean + 0.01)),
            red,
            blue,
            jnp.broadcast_to(flat - 1, grey.shape),
            jnp.broadcast_to(2 * spread / (mean + 0.01) - 1, grey.shape),
        ],
        axis=-1,
    )


def show(photos: Any, elevations: Any, linear: Any) -> Any:
    """What the network of the relief is given: (photos, rows, columns, GIVEN).

    Args:
        photos: in linear light (photos, rows, columns, 3).
        elevations: of their lights, degrees.
        linear: the slopes that the linear method reads, to the right and up (photos, rows, columns, 2).
    """
    return jnp.concatenate([features(photos, elevations), linear], -1)


def linear(photos: Any) -> Any:
    """sRGB uint8 as linear light (IEC 61966-2-1)."""
    share = photos.astype(jnp.float32) / 255
    return jnp.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)


def normals(slopes: Any) -> Any:
    """Unit vectors of slopes to the right and up."""
    out = jnp.concatenate([-slopes, jnp.ones_like(slopes[..., :1])], -1)
    return out / jnp.sqrt((out * out).sum(-1, keepdims=True))

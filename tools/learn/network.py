"""The network: a U-Net (Ronneberger, Fischer & Brox 2015, U-Net, MICCAI) of half a million numbers, in JAX.

Its first layer looks at every second texel with windows of 4 x 4, and its last gives four texels at a time, so that all
between works on a quarter of them. Out come, for each texel, two slopes, the logarithm of the variance of the angle by
which they are off (Kendall & Gal 2017, What uncertainties do we need, NeurIPS), and that of the light.
"""

from __future__ import annotations

from typing import Any

import jax
import jax.numpy as jnp
import numpy as np

WIDTHS = (24, 32, 48, 64, 80)
"""Channels at each level, each of half the texels on a side of the one before."""

GIVEN, TOLD = 6, 4
"""Channels that go in and come out; see `features`."""

FIRST = 4
"""Texels on the side of the windows of the first layer."""

Numbers = dict[str, dict[str, Any]]


def begin(seed: int) -> Numbers:
    """Numbers to begin with (He et al. 2015), by the name of the layer: its weights and its offsets."""
    key = jax.random.PRNGKey(seed)
    out: Numbers = {}

    def layer(name: str, side: int, given: int, told: int, times: float = 1.0) -> None:
        nonlocal key
        key, drawn = jax.random.split(key)
        spread = times * np.sqrt(2 / (side * side * given))
        out[name] = {"w": jax.random.normal(drawn, (side, side, given, told)) * spread, "b": jnp.zeros(told)}

    before = GIVEN
    for level, width in enumerate(WIDTHS):
        layer(f"down{level}a", 3 if level else FIRST, before, width)
        layer(f"down{level}b", 3, width, width)
        before = width
    for level in reversed(range(len(WIDTHS) - 1)):
        layer(f"up{level}a", 3, before + WIDTHS[level], WIDTHS[level])
        layer(f"up{level}b", 3, WIDTHS[level], WIDTHS[level])
        before = WIDTHS[level]
    layer("out", 3, before, 4 * TOLD, 0.1)
    return out


def _convolve(field: Any, layer: dict[str, Any], step: int = 1) -> Any:
    border = ((1, 1), (1, 1))
    numbers = ("NHWC", "HWIO", "NHWC")
    return jax.lax.conv_general_dilated(field, layer["w"], (step, step), border, dimension_numbers=numbers) + layer["b"]


def _halve(field: Any) -> Any:
    return (field[:, ::2, ::2] + field[:, 1::2, ::2] + field[:, ::2, 1::2] + field[:, 1::2, 1::2]) / 4


def _double(field: Any) -> Any:
    return jnp.repeat(jnp.repeat(field, 2, 1), 2, 2)


def run(numbers: Numbers, given: Any) -> Any:
    """What the network tells of what it is given: (photos, rows, columns, GIVEN) to (photos, rows, columns, TOLD).

    Rows and columns are multiples of 32.
    """
    kept, field = [], given
    for level in range(len(WIDTHS)):
        field = _halve(field) if level else field
        field = jax.nn.relu(_convolve(field, numbers[f"down{level}a"], 1 if level else 2))
        field = jax.nn.relu(_convolve(field, numbers[f"down{level}b"]))
        kept.append(field)
    for level in reversed(range(len(WIDTHS) - 1)):
        field = jnp.concatenate([_double(field), kept[level]], axis=-1)
        field = jax.nn.relu(_convolve(field, numbers[f"up{level}a"]))
        field = jax.nn.relu(_convolve(field, numbers[f"up{level}b"]))
    field = _convolve(field, numbers["out"])
    photos, rows, columns, _ = field.shape
    field = field.reshape(photos, rows, columns, 2, 2, TOLD).transpose(0, 1, 3, 2, 4, 5)
    return field.reshape(photos, 2 * rows, 2 * columns, TOLD)


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


def linear(photos: Any) -> Any:
    """sRGB uint8 as linear light (IEC 61966-2-1)."""
    share = photos.astype(jnp.float32) / 255
    return jnp.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)


def normals(slopes: Any) -> Any:
    """Unit vectors of slopes to the right and up."""
    out = jnp.concatenate([-slopes, jnp.ones_like(slopes[..., :1])], -1)
    return out / jnp.sqrt((out * out).sum(-1, keepdims=True))

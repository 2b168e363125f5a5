"""Photos of made-up grounds with their truth: slopes, colour without light, and the light's height.

The light always comes from the right: a photo is turned so before it is read. Radiance is colour x (sun x n . l x
visible + sky x openness + bounce) + gloss; then what a camera adds: softness, fall-off to the corners, a tone curve,
white balance, grain, eight bits, JPEG.
"""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np

from relief.depth.learned import STEEPEST
from relief.depth.light import Light
from relief.depth.shading import read_slopes
from relief.sources.colour import decode_srgb
from tools.learn.ground import SIDE, Ground, blur, make_ground, soft_noise, white

SHOWN = 128
"""Texels on the side of a photo: the middle of its ground, so that shadows fall in from outside."""

FARTHEST = 48
"""Texels that a shadow may be long."""

OFF = 3.0
"""Degrees that the elevation which is given is off."""

EVEN = 0.12
"""Share of photos that are lit evenly, as under clouds or by a flash."""


class Example(NamedTuple):
    """What the network is taught by.

    Attributes:
        photo: sRGB, uint8 (SHOWN, SHOWN, 3).
        slopes: of the height, to the right and up, float16 (SHOWN, SHOWN, 2).
        colour: without any light in it, linear, scaled as the photo is, float16 (SHOWN, SHOWN, 3).
        elevation: of the light, degrees.
        given: the elevation that is given with the photo, a little off as one is that is estimated or dragged.
        linear: slopes that the linear method reads by what is given, float16 (SHOWN, SHOWN, 2).
        sun: share of the light that comes from the lamp, 0 for a photo that is lit evenly.
    """

    photo: np.ndarray
    slopes: np.ndarray
    colour: np.ndarray
    elevation: float
    given: float
    linear: np.ndarray
    sun: float


def make_example(seed: int) -> Example:
    """The example of a seed, always the same."""
    rng = np.random.default_rng(seed)
    ground = make_ground(rng)
    height = _deepen(ground.height, rng)
    colour = paint(ground, rng)
    even = rng.random() < EVEN
    elevation = float(rng.uniform(15, 75))
    sky = 1.0 if even else float(rng.uniform(0.06, 0.55))
    across, up = _slopes(height)
    light = _light(height, across, up, elevation, sky, rng)
    lit = colour * light[..., None] * _tint(rng)
    lit = lit + _bounce(lit, rng) + _gloss(across, up, elevation, sky, rng)[..., None]
    middle = slice((SIDE - SHOWN) // 2, (SIDE + SHOWN) // 2)
    photo, scale = _expose(lit[middle, middle], rng)
    given = float(np.clip(elevation + rng.normal(0, OFF), 12, 80))
    linear = read_slopes(decode_srgb(photo), Light(0, given))
    slopes, linear = (
        np.clip(each, -STEEPEST, STEEPEST).astype(np.float16)
        for each in (np.dstack([across, up])[middle, middle], linear)
    )
    colour = (colour[middle, middle] * scale).astype(np.float16)
    return Example(photo, slopes, colour, elevation, given, linear, 1 - sky)


def _deepen(height: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A height in texels so that the steeper slopes are of an angle that is drawn; gentle ones are as likely."""
    across, up = _slopes(height)
    steep = float(np.percentile(np.hypot(across, up), 85)) + 1e-6
    return np.asarray(height * (np.tan(np.radians(rng.uniform(3, 55))) / steep), np.float32)


def _slopes(height: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Slopes to the right and up of a height in texels."""
    down, across = np.gradient(height)
    return across.astype(np.float32), -down.astype(np.float32)


def paint(ground: Ground, rng: np.random.Generator) -> np.ndarray:
    """The colours of a ground, linear, float32 (SIDE, SIDE, 3): one, or some over it that follow its parts, its height,
    noise, stains or stripes; with and without hue. Most grounds are of one stuff whose colours differ little; some are
    painted boldly. Where there are parts, mostly each has a tone of its own, and their joints another.
    """
    bold = rng.random() < 0.3
    out = np.ones((SIDE, SIDE, 1), np.float32) * _colour(rng)
    if ground.parts is not None and rng.random() < 0.65:
        tones = np.exp(rng.normal(0, rng.uniform(0.04, 0.4), (1009, 1)))
        tones = tones * (1 + rng.normal(0, rng.choice([0, 0.03, 0.1]), (1009, 3)))
        out = out * tones[ground.parts % 1009].astype(np.float32)
    if ground.marks is not None and rng.random() < 0.75:
        share = rng.uniform(0.05, 0.7) * ground.marks[..., None]
        out = out * (1 - share) + out * (_colour(rng) if bold else rng.uniform(0.3, 0.9)) * share
    if ground.rim is not None and rng.random() < 0.45:
        share = np.clip(1 - ground.rim * rng.uniform(1, 5), 0, 1)[..., None]
        out = out * (1 - share) + _colour(rng) * share
    height = (ground.height - ground.height.mean()) / (ground.height.std() + 1e-6)
    for _ in range(int(rng.choice([0, 1, 1, 2, 2, 3]))):
        mean = out.mean(axis=(0, 1))
        if bold:
            colour = _colour(rng) if rng.random() < 0.7 else mean * rng.uniform(0.3, 1.9)
        else:
            colour = mean * rng.uniform(0.6, 1.5) * (1 + rng.uniform(-1, 1, 3) * rng.choice([0, 0.05, 0.15]))
        kind = rng.integers(7)
        if kind == 0:
            share = _soft(soft_noise(rng) - rng.uniform(-1, 1), rng.uniform(1, 14))
        elif kind == 1:
            share = _soft(rng.uniform(-1.5, 0.8) - height, rng.uniform(2, 12) * rng.choice([-1, 1, 1]))
        elif kind == 2 and ground.parts is not None:
            share = rng.random(1009)[ground.parts % 1009] * rng.uniform(0.2, 1)
        elif kind == 3 and ground.rim is not None:
            share = 1 - np.clip(ground.rim * rng.uniform(1, 5), 0, 1)
        elif kind == 4:
            share = (_soft(soft_noise(rng, True), rng.uniform(1, 10))) * rng.uniform(0.2, 0.9)
        elif kind == 5:
            speckle = blur(white(rng), rng.uniform(0.5, 1.8))
            share = _soft(speckle / speckle.std() - rng.uniform(0.8, 2.2), 8.0)
        else:
            share = np.clip(0.5 + 0.35 * soft_noise(rng), 0, 1) * rng.uniform(0.2, 0.9)
        share = np.asarray(share, np.float32)[..., None]
        out = out * (1 - share) + np.asarray(colour, np.float32) * share
    return np.clip(out, 0.02, 0.97)


def _soft(field: np.ndarray, sharp: float) -> np.ndarray:
    """A soft step from 0 to 1 about 0."""
    return np.asarray(1 / (1 + np.exp(np.clip(-field * sharp, -30, 30))))


def _colour(rng: np.random.Generator) -> np.ndarray:
    value = rng.uniform(0.06, 0.85)
    hue = rng.uniform(-1, 1, 3) * value * rng.choice([0, 0.08, 0.15, 0.3, 0.6])
    return np.clip(value + hue, 0.03, 0.95).astype(np.float32)


def _tint(rng: np.random.Generator) -> np.ndarray:
    return np.array([1, rng.uniform(0.92, 1.02), rng.uniform(0.82, 1.05)], np.float32)


def _light(
    height: np.ndarray, across: np.ndarray, up: np.ndarray, elevation: float, sky: float, rng: np.random.Generator
) -> np.ndarray:
    """Sun and sky on a relief without colours."""
    rise = np.tan(np.radians(elevation))
    out = 1 / np.sqrt(1 + across**2 + up**2)
    facing = np.clip((np.sin(np.radians(elevation)) - across * np.cos(np.radians(elevation))) * out, 0, None)
    lit = np.float32(1 - sky) * facing
    if sky < 1:
        penumbra = rng.uniform(0.4, 2.5)
        open_ = np.ones_like(height)
        for step in range(1, FARTHEST):
            there = np.concatenate([height[:, step:], height[:, -1:].repeat(step, 1)], axis=1)
            open_ = np.minimum(open_, np.clip(0.5 - (there - height - rise * step) / penumbra, 0, 1))
        lit = lit * open_
    else:  # a flash from the camera, or clouds alone
        lit = rng.uniform(0, 1) * out
    return np.asarray(lit + max(sky, 0.05) * _openness(height), np.float32)


def _openness(height: np.ndarray) -> np.ndarray:
    """How much of an even sky each place sees, about: the mean of cos^2 of the horizon in eight directions."""
    out = np.zeros_like(height)
    for turn in np.arange(8) * np.pi / 4:
        highest = np.zeros_like(height)
        for step in (1, 2, 3, 5, 8, 12, 18):
            right, below = round(np.cos(turn) * step), round(np.sin(turn) * step)
            highest = np.maximum(highest, (np.roll(height, (-below, -right), (0, 1)) - height) / np.hypot(right, below))
        out += 1 / (8 * (1 + highest**2))
    return out


def _bounce(lit: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A little of what lies around shines on each place."""
    return np.float32(rng.uniform(0, 0.15)) * blur(lit, 8)


def _gloss(across: np.ndarray, up: np.ndarray, elevation: float, sky: float, rng: np.random.Generator) -> np.ndarray:
    """A highlight about the direction halfway to the light (Blinn 1977), on a third of all photos."""
    if rng.random() > 0.3 or sky == 1:
        return np.zeros_like(across)
    halfway = np.array([np.cos(np.radians(elevation)), np.sin(np.radians(elevation)) + 1])
    halfway /= np.linalg.norm(halfway)
    cosine = np.clip((halfway[1] - across * halfway[0]) / np.sqrt(1 + across**2 + up**2), 0, 1)
    return np.asarray(rng.uniform(0.02, 0.25) * cosine ** rng.uniform(8, 80), np.float32)


def _expose(lit: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, float]:
    """What a camera makes of light: sRGB uint8, and by what the light was multiplied."""
    scale = float(rng.uniform(0.55, 1.05) / np.percentile(lit, rng.uniform(96, 99.9)))
    shot = lit * np.float32(scale)
    if rng.random() < 0.5:
        shot = cv2.GaussianBlur(shot, (0, 0), rng.uniform(0.3, 1.0))
    if rng.random() < 0.2:  # made smaller and larger again
        small = cv2.resize(shot, None, fx=(share := rng.uniform(0.45, 0.95)), fy=share, interpolation=cv2.INTER_AREA)
        shot = cv2.resize(small, (SHOWN, SHOWN), interpolation=cv2.INTER_CUBIC)
    if rng.random() < 0.4:
        y, x = np.mgrid[:SHOWN, :SHOWN] / SHOWN - rng.uniform(0.2, 0.8, 2)[:, None, None]
        shot = shot * (1 - rng.uniform(0, 0.5) * (x**2 + y**2))[..., None]
    noise = rng.standard_normal(shot.shape).astype(np.float32)
    shot = shot + noise * np.sqrt(np.clip(shot, 0, 1) * rng.uniform(0, 0.02) ** 2 + rng.uniform(0.001, 0.01) ** 2)
    shot = np.clip(shot, 0, 1)
    encoded = np.where(shot <= 0.0031308, 12.92 * shot, 1.055 * shot ** (1 / 2.4) - 0.055)
    if rng.random() < 0.35:  # a camera's contrast
        curved = encoded * encoded * (3 - 2 * encoded)
        encoded = encoded + rng.uniform(0, 0.6) * (curved - encoded)
    out = np.rint(np.clip(encoded, 0, 1) * 255).astype(np.uint8)
    if rng.random() < 0.6:
        out = cv2.imdecode(cv2.imencode(".jpg", out, [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(75, 97))])[1], 1)
    return out, scale

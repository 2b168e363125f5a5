"""Masks: where a layer is laid, from heights or slopes between two limits, from noise, or painted by hand."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.filters.gaussian import soften_slopes
from relief.generate.generator import Grid
from relief.generate.gradient_noise import GradientNoise
from relief.height import HeightField
from relief.maps.slopes import steepness
from relief.parameters import Parameters, Surroundings, choice, drawn_value, number, switch
from relief.treat.heal import Mark, paint

MASK_CONTRAST = 3.4
"""Contrast of the noise of a mask, so that its patches fill what lies between the limits."""

SLOPE_OVER = 1 / 300
"""Part of the shorter side that a slope is measured over, so that a mask is the same at every resolution."""

FOLLOWS = ("height", "slope")
"""Masks that look at other relief."""


class Mask(Parameters):
    """Where a layer is laid."""

    source: Literal["none", "height", "slope", "noise", "strokes", "picture", "set"] = choice(
        "none",
        {"none": "Everywhere", "height": "Heights between", "slope": "Slopes between", "noise": "Noise above",
         "strokes": "Painted", "picture": "A picture", "set": "A map of its set"},
        label="Mask", help="Where the layer shows.",
    )  # fmt: skip
    layer: int = choice(-1, {-1: "What lies below"}, label="Measured on", help="Whose heights or slopes the mask uses.")
    low: float = number(
        0.5, -1e6, 1e6, label="From", step=0.01, slider=(0, 1),
        help="The lower limit: a height, a slope in degrees over 90, or a level of the noise.",
    )  # fmt: skip
    high: float = number(
        1, -1e6, 1e6, label="To", step=0.01, slider=(0, 1), help="The upper limit: a height, or a slope over 90."
    )
    soft: float = number(
        0.1, 0, 10, label="Softness", step=0.01, slider=(0, 0.5), help="How gradually the mask fades in at its limits."
    )
    size: float = number(
        80, 0.05, 100_000_000, label="Size", unit="mm", step=1, slider=(2, 600), logarithmic=True,
        help="Width of the patches of noise.",
    )  # fmt: skip
    seed: int = number(
        1, 0, 999_999, label="Seed", step=1, slider=(0, 100), help="Random seed: another number gives other patches."
    )
    marks: tuple[Mark, ...] = drawn_value(
        (), shown="marks", label="Marks", help="Paint on the stage where the layer should show.", max_length=500
    )
    picture: str = choice(
        "", {"": "None"}, label="Mask picture",
        help="The layer shows where this picture is white. It covers the whole relief once, wherever the layer is "
            "placed.",
    )  # fmt: skip
    role: str = choice(
        "",
        {"": "The first"},
        label="Map",
        help="The map of the layer's set that serves as the mask. It is placed as the layer is.",
    )
    inverted: bool = switch(
        False, label="Inverted", help="Shows the layer where the mask would hide it, and hides it where it would show."
    )

    tools: ClassVar[tuple[str, ...]] = ("brush",)

    def unused(self, around: Surroundings) -> set[str]:
        used = {
            "none": (),
            "height": ("inverted", "layer", "low", "high", "soft"),
            "slope": ("inverted", "layer", "low", "high", "soft"),
            "noise": ("inverted", "low", "soft", "size", "seed"),
            "strokes": ("inverted", "marks", "soft"),
            "picture": ("inverted", "picture"),
            "set": ("inverted", "role"),
        }[self.source]
        return set(type(self).model_fields) - {"source", *used}

    def of_picture(self, samples: np.ndarray) -> np.ndarray:
        """How much of the layer is laid where a picture (rows, columns) masks it."""
        cover = np.clip(samples, 0, 1)
        return 1 - cover if self.inverted else cover

    def cover(self, field: HeightField) -> np.ndarray | None:
        """How much of the layer is laid at each place: float32 (rows, columns), or none for everywhere.

        Args:
            field: the relief that is looked at, which also gives shape and footprint. Its amplitude counts for slopes.
        """
        grid = Grid(*field.size, field.footprint)
        match self.source:
            case "none" | "picture" | "set":  # of the last two, where there is no picture
                return None
            case "height":
                cover = between(field.samples, self.low, self.high, self.soft)
            case "slope":
                smooth = field.with_samples(soften_slopes(field, SLOPE_OVER * min(field.footprint.sides)))
                cover = between(steepness(smooth, field.amplitude) / np.float32(90), self.low, self.high, self.soft)
            case "noise":
                noise = GradientNoise(size=self.size, octaves=3, seed=self.seed, contrast=MASK_CONTRAST).draw(grid)
                cover = between(noise, self.low, np.inf, self.soft)
            case _:
                cover = paint(field, self.marks, self.soft)
        return 1 - cover if self.inverted else cover


def between(values: np.ndarray, low: float, high: float, soft: float) -> np.ndarray:
    """1 where values lie between two limits, 0 beyond, over a passage of `soft` about each limit."""
    return _above(values, low, soft) * (1 if np.isinf(high) else 1 - _above(values, high, soft))


def _above(values: np.ndarray, limit: float, soft: float) -> np.ndarray:
    """0 to 1: how far values exceed a limit, by a smooth step as wide as `soft` about it."""
    if soft <= 0:
        return (values > np.float32(limit)).astype(np.float32)
    part = np.clip((values - np.float32(limit)) / np.float32(soft) + np.float32(0.5), 0, 1)
    return part * part * (3 - 2 * part)

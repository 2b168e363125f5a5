"""The colours that go along with the relief: passed through, tinted, or with the light that was baked in taken out."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from relief.filters.gaussian import gaussian
from relief.parameters import Parameters, Surroundings, choice, number, switch, tint
from relief.sources.colour import LUMINANCE_WEIGHTS, decode_srgb, eight_bits, srgb_from_linear


class Colour(Parameters):
    """How the colours are passed on."""

    seldom: ClassVar[tuple[str, ...]] = ("window",)

    on: bool = switch(True, label="Deliver the colours", help="Whether the colours are delivered with the maps.")
    light: Literal["removed", "kept"] = choice(
        "removed", {"removed": "Removed", "kept": "As photographed"}, label="Light in the colours",
        help="Removes the photo's shading and cast shadows from its colours, because the relief makes its own; or "
            "leaves them as photographed.",
    )  # fmt: skip
    tint: str = tint("#ffffff", label="Tint", help="Multiplies all colours by this one; white changes nothing.")
    even: float = number(
        0, 0, 1, label="Remove light", step=0.05,
        help="How much of the slow change from bright to dark is removed from the colours: light that fell on the "
            "surface when it was photographed.",
    )  # fmt: skip
    window: float = number(
        60, 0.01, 100_000_000, label="Window", unit="mm", step=1, slider=(1, 500), logarithmic=True,
        help="Changes wider than this count as light, narrower ones as the surface's own colour.",
    )  # fmt: skip

    def unused(self, around: Surroundings) -> set[str]:
        if not around.has_colours:
            return set(type(self).model_fields)
        if not self.on:
            return set(type(self).model_fields) - {"on"}
        return set() if around.reads_light else {"light"}

    @property
    def changes_nothing(self) -> bool:
        """Whether the colours are as they came."""
        return self.even == 0 and self.tint.lower() == "#ffffff"


def light_of(
    luminance: np.ndarray, window: float, spacing: tuple[float, float], wraps: tuple[bool, bool]
) -> np.ndarray:
    """The slow part of a luminance, as a factor about 1: float32 (rows, columns)."""
    wide = gaussian(luminance, (window / 2 / spacing[0], window / 2 / spacing[1]), wraps)
    return np.maximum(wide, 1e-4) / max(float(wide.mean(dtype=np.float64)), 1e-4)


def colour(colours: np.ndarray, settings: Colour, spacing: tuple[float, float], wraps: tuple[bool, bool]) -> np.ndarray:
    """Colours after tint and light; both are worked in linear light.

    Args:
        colours: uint8 (rows, columns, 3), sRGB.
        settings: tint and light.
        spacing: width and height of a texel, mm.
        wraps: whether they wrap (across, down).

    Returns:
        uint8 (rows, columns, 3), sRGB.
    """
    if settings.changes_nothing:
        return colours
    linear = decode_srgb(colours)
    if settings.even:
        luminance = np.ascontiguousarray(linear @ np.array(LUMINANCE_WEIGHTS, np.float32))
        light = light_of(luminance, settings.window, spacing, wraps)
        linear /= (1 + np.float32(settings.even) * (light - 1))[..., None]
    factors = decode_srgb(np.array([[[int(settings.tint[at : at + 2], 16) for at in (1, 3, 5)]]], np.uint8))
    return eight_bits(srgb_from_linear(linear * factors))

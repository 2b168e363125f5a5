"""The third way of making height of a photo, beside brightness and data: from the light in it."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np
from pydantic import Field

from relief.depth.light import Light
from relief.depth.shading import Parted, Waves, estimate_light, height_of_waves, make_waves, part_paint
from relief.filters.resample import shrunk
from relief.height import Footprint
from relief.parameters import Parameters, number
from relief.sources.colour import linear_light
from relief.sources.picture import Picture

FINEST = 4096
"""Texels on the long side at which light is read; what is finer is grain."""

GUESSED = ("azimuth", "elevation")
"""What a photo tells of its light."""

SPARE = 1.25
"""The reach of a height over its range at the start, so that there is room for what another light tells."""


class FromLight(Parameters):
    """Where the light of a photo stood, and how its depth is read."""

    tools: ClassVar[tuple[str, ...]] = ("sun",)

    azimuth: float = number(
        90, 0, 360, label="Light from", unit="°", step=1,
        help="Where the light of the photo stood: 0 right, 90 above, 180 left, 270 below. Drag the sun on the picture.",
    )  # fmt: skip
    elevation: float = number(
        45, 5, 85, label="Light's height", unit="°", step=1,
        help="How high the light stood over the surface. The lower it stood the gentler are the slopes that it tells.",
    )  # fmt: skip
    paint: float = number(
        1, 0, 1.5, label="Paint taken off", step=0.05,
        help="What differs in hue is paint and no slope. How much of the brightness that goes with it is taken off; "
        "look at it in the view “Paint”.",
    )  # fmt: skip
    fill: float = number(
        0.5, 0, 1, label="Dark is deep", step=0.05,
        help="Light tells nothing of slopes across it. What is missing is filled in from darkness: 0 not at all, 0.5 "
        "both, 1 from darkness alone.",
    )  # fmt: skip

    reach: float = Field(0.1, gt=0, le=10)
    """The amplitude at which slopes are those that the light tells, as a part of the footprint's longer side. It does
    not depend on the light, so that a sun can be dragged and all slopes stay true."""

    @property
    def light(self) -> Light:
        """Where the light stood."""
        return Light(self.azimuth, self.elevation)


def part_picture(paint: float, longest: int | None, picture: Picture) -> Parted:
    """A photo parted into light and paint, at the size that its height is made at."""
    light = shrunk(linear_light(picture), min(longest or FINEST, FINEST))
    return part_paint(light if light.ndim == 3 else np.dstack([light] * 3), paint)


def guess_light(parted: Parted) -> tuple[FromLight, float]:
    """Where the light stood as far as the photo tells, and how sure that is, 0 to 1."""
    light, sure = estimate_light(parted)
    return FromLight(azimuth=round(light.azimuth) % 360, elevation=light.elevation), sure


def waves_of(footprint: Footprint, wraps: tuple[bool, bool], parted: Parted) -> Waves:
    """What can be made ready before the light is known."""
    rows, columns = parted.light.shape
    return make_waves(parted, (footprint.width / columns, footprint.height / rows), wraps)


def samples_of(content: FromLight, size: tuple[int, int], waves: Waves) -> np.ndarray:
    """The height as samples about 0.5, in parts of the true amplitude: float32 of a size (rows, columns)."""
    height = height_of_waves(waves, content.light, content.fill)
    if height.shape != size:
        height = cv2.resize(height, size[::-1], interpolation=cv2.INTER_CUBIC)
    return height / np.float32(content.reach * waves.longest) + np.float32(0.5)


def reach_for(content: FromLight, samples: np.ndarray) -> float:
    """The reach in which samples of the height have some room."""
    return float(f"{max(SPARE * content.reach * float(np.ptp(samples)), 1e-5):.3g}")


def true_amplitude(content: FromLight, footprint: Footprint) -> float:
    """The amplitude in mm at which a height from light has the slopes that its light tells."""
    return content.reach * max(footprint.sides)

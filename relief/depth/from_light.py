"""The third way of making height of a photo, beside brightness and data: from the light in it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, ClassVar, Literal, NamedTuple

import cv2
import numpy as np
from pydantic import Field
from scipy.ndimage import gaussian_filter1d

from relief.depth import networks
from relief.depth.learned import Told, read_elevation, read_photo, weigh_azimuths
from relief.depth.light import Light
from relief.depth.shading import (
    Parted,
    Waves,
    estimate_light,
    height_of_waves,
    log_of_light,
    make_waves,
    part_paint,
    slopes_of_waves,
)
from relief.filters.resample import shrink
from relief.height import Footprint
from relief.maps.height_from_normals import height_from_slopes
from relief.parameters import Parameters, Surroundings, choice, number
from relief.progress import Progress
from relief.sources.colour import (
    eight_bits,
    in_three_channels,
    linear_light,
    luminance,
    shrink_picture,
    srgb_from_linear,
)
from relief.sources.picture import Picture

FINEST = 4096
"""Texels on the long side at which light is read; what is finer is grain."""

GUESSED = ("azimuth", "elevation")
"""What a photo tells of its light."""

FROM_DARKNESS: dict[str, Any] = {"way": "linear", "fill": 1.0}
"""How a photo without a direction of light is read."""

EVENLY_LIT, SURELY_EVEN = 0.7, 0.9
"""From these likelihoods on it is said that a photo looks evenly lit, and a new piece is read from darkness at once. Of
102 photos with a sun (docs/one-photo.md) four and two are above; of 34 under an even sky 26 and 22."""

SPARE = 1.25
"""The reach of a height over its range at the start, so that there is room for what another light tells."""


LOOKED_AT = 1024
"""Texels on the long side at which a photo is looked at for where its light stood."""

ALIKE_AT = 18.0
"""Degrees off at which the network and the linear method count alike: beyond it the network soon counts for little."""

JOINED_AT, DOUBT_WIDTH, COARSE_WIDTH = 256, 1 / 32, 3 / 64
"""Texels on the long side at which both are joined at most, and the widths of the Gaussians as parts of that side: of
how sure the network is, and of the slow changes, of which the network tells little, as they are wider than what it
sees.
"""

NEARLY_SQUARE = 0.01
"""By how much the sides of a texel may differ without a photo being resized."""

DRAGGED = 256
"""Texels on the long side that are read in half the time, while a sun is dragged."""

RIGHT_WITHIN = 20.0
"""Degrees within which an azimuth counts as right."""

LEAST = 0.01
"""What is added to light before logarithms are taken, as where the network was taught."""

BAND = 64
"""Rows whose colours are made at a time."""

BRIGHTEST = 99.9
"""Percentile of the colours without light that may be white at most."""

Way = Literal["network", "linear"]
WAY_NAMES = {"network": "Neural network", "linear": "Linear method"}


class FromLight(Parameters):
    """Where the light of a photo stood, and how its depth is read."""

    tools: ClassVar[tuple[str, ...]] = ("sun",)

    way: Way = choice(
        "network", WAY_NAMES, label="Read by",
        help="The neural network was trained on made-up surfaces and can tell paint and shadow from relief. The "
            "linear method reads slopes along the light only.",
    )  # fmt: skip
    azimuth: float = number(
        90, 0, 360, label="Light azimuth", unit="°", step=1,
        help="Where the light of the photo came from: 0 right, 90 above, 180 left, 270 below. Drag the sun on the "
            "picture.",
    )  # fmt: skip
    elevation: float = number(
        45, 5, 85, label="Light elevation", unit="°", step=1,
        help="How high the light stood above the surface. The lower it stood, the gentler the slopes read from the "
            "photo.",
    )  # fmt: skip
    paint: float = number(
        1, 0, 1.5, label="Paint removed", step=0.05,
        help="A change of hue is paint, not slope. How much of the brightness that goes with it is removed; see it "
            "in the view “Paint”.",
    )  # fmt: skip
    fill: float = number(
        0.5, 0, 1, label="Dark is deep", step=0.05,
        help="Light shows no slopes across its direction. They are filled in from darkness: 0 not at all, 0.5 half "
            "and half, 1 from darkness alone.",
    )  # fmt: skip

    reach: float = Field(0.1, gt=0, le=10)
    """The amplitude at which slopes are those that the light tells, as a part of the footprint's longer side. It does
    not depend on the light, so that a sun can be dragged and all slopes stay true."""

    def unused(self, around: Surroundings) -> set[str]:
        if self.way == "network":
            return {"paint", "fill"}
        return {"azimuth", "elevation"} if self.from_darkness else set()

    @property
    def useful_tools(self) -> tuple[str, ...]:
        return () if self.from_darkness else self.tools

    @property
    def from_darkness(self) -> bool:
        """Whether the linear method reads it from darkness alone: where the light stood does not matter then."""
        return self.way == "linear" and self.fill == 1

    @property
    def by_network(self) -> bool:
        """Whether a network reads it: that is wanted, and the networks are there."""
        return self.way == "network" and networks.are_there()

    @property
    def light(self) -> Light:
        """Where the light stood."""
        return Light(self.azimuth, self.elevation)


def part_picture(paint: float, longest: int | None, picture: Picture) -> Parted:
    """A photo parted into light and paint, at the size that its height is made at."""
    return part_paint(_light_in(picture, longest), paint)


def _light_in(picture: Picture, longest: int | None) -> np.ndarray:
    """The linear light of a photo at the size that it is read at: float32 (rows, columns, 3)."""
    return in_three_channels(shrink(linear_light(picture), min(longest or FINEST, FINEST)))


class Guess(NamedTuple):
    """Where the light of a photo stood, as far as the photo tells.

    Attributes:
        light: where it stood.
        sure: how sure that is, 0 to 1.
        even: how likely the photo was lit evenly, from no side, 0 to 1; the linear method does not ask.
    """

    light: Light
    sure: float
    even: float = 0.0


def guess_light(parted: Parted) -> Guess:
    """Where the light stood as the linear method tells it."""
    light, sure = estimate_light(parted)
    return Guess(Light(round(light.azimuth) % 360, light.elevation), sure)


def photo_of(longest: int | None, picture: Picture) -> np.ndarray:
    """A photo as a network reads it: linear light, float32 (rows, columns, 3), 0 to 1."""
    light = _light_in(picture, longest)
    if picture.is_float and (brightest := float(np.percentile(light, 99.5))) > 0:
        light = light / np.float32(brightest)
    return np.clip(light, 0, 1)


def look_for_elevation(picture: Picture) -> float:
    """How high the light of a photo stood, degrees, as the network of the light tells it."""
    return read_elevation(photo_of(LOOKED_AT, picture))


def look_for_light(picture: Picture, elevation: float, progress: Progress) -> Guess:
    """Where the light of a photo stood, as the networks tell it. Raises Cancelled if that was asked for."""
    likely, even = weigh_azimuths(photo_of(LOOKED_AT, picture), elevation, progress)
    azimuths = np.arange(0, 360, 360 / len(likely))
    azimuth = float(azimuths[likely.argmax()])
    sure = float(likely[np.cos(np.radians(azimuths - azimuth)) > np.cos(np.radians(RIGHT_WITHIN))].sum())
    return Guess(Light(azimuth, float(round(elevation))), sure, even)


def read_relief(
    light: Light, wraps: tuple[bool, bool], ratio: float, longest: int | None, picture: Picture, progress: Progress
) -> Told:
    """What the network tells of a photo, its slopes joined with those of the linear method, at the size that its height
    is made at.

    The two are wrong in different ways: the network mistakes tones that it seldom saw for tilts, the linear method
    takes all that has no hue of its own for light. The more the network says it is off, the more the linear method
    counts.

    Args:
        light: where it stood.
        wraps: whether the photo wraps (across, down).
        ratio: the width of a texel over its height, mm.
        longest: texels on the long side at most.
        picture: the photo.
        progress: told how far it is.
    """
    photo = photo_of(longest, picture)
    rows, columns = photo.shape[:2]
    if abs(ratio - 1) > NEARLY_SQUARE:  # it is read as it would be seen
        size = (columns, max(1, round(rows / ratio))) if ratio > 1 else (max(1, round(columns * ratio)), rows)
        photo = cv2.resize(photo, size, interpolation=cv2.INTER_AREA)
    waves = make_waves(part_paint(photo), (1, 1), wraps)
    linear = slopes_of_waves(waves, light)
    told = read_photo(photo, light, wraps, progress, longest is None or longest > DRAGGED, linear)
    slopes = _join(told, linear, slopes_of_waves(waves, light, fill=1), wraps)
    fallen = log_of_light(slopes, light)
    fallen += told.light.mean() - fallen.mean()
    # the network alone takes paint for light where tones are rare, the relief alone knows no cast shadow
    told = told._replace(slopes=slopes, light=(told.light + fallen) / 2)
    if photo.shape[:2] == (rows, columns):
        return told
    return Told(*(cv2.resize(field, (columns, rows), interpolation=cv2.INTER_LINEAR) for field in told))


def _join(told: Told, linear: np.ndarray, dark: np.ndarray, wraps: tuple[bool, bool]) -> np.ndarray:
    """Slopes of the network joined with those of the linear method, (rows, columns, 2). Slow changes are half those of
    the linear method, half those that darkness alone tells."""

    def smooth(field: np.ndarray, width: float) -> np.ndarray:
        field = shrink(field, JOINED_AT)
        longest = max(field.shape[:2])
        for axis, repeats in ((1, wraps[0]), (0, wraps[1])):
            field = gaussian_filter1d(field, width * longest, axis, mode="wrap" if repeats else "reflect")
        return cv2.resize(field, linear.shape[1::-1], interpolation=cv2.INTER_LINEAR)

    doubt = smooth(told.off**2, DOUBT_WIDTH)[..., None]
    share = doubt**2 / (doubt**2 + np.float32(ALIKE_AT**4))
    joined = told.slopes + share * (linear - told.slopes)
    return joined + smooth((linear + dark) / 2 - joined, COARSE_WIDTH)


def samples_of_told(
    content: FromLight, size: tuple[int, int], footprint: Footprint, wraps: tuple[bool, bool], told: Told
) -> np.ndarray:
    """The height that a network tells, as samples about 0.5, in parts of the true amplitude: float32 of a size."""
    rows, columns = told.variance.shape
    spacing = footprint.width / columns, footprint.height / rows
    height = height_from_slopes(told.slopes[..., 0], told.slopes[..., 1], spacing, wraps)
    if height.shape != size:
        height = cv2.resize(height, size[::-1], interpolation=cv2.INTER_CUBIC)
    return height / np.float32(true_amplitude(content, footprint)) + np.float32(0.5)


def paint_of_told(longest: int | None, picture: Picture, told: Told) -> np.ndarray:
    """The logarithm of the brightness without the light on it, about its mean: float32 (rows, columns)."""
    grey = luminance(photo_of(longest, picture), encoded=False)
    paint = np.log(grey + np.float32(LEAST)) - told.light
    return np.asarray(paint - paint.mean(), np.float32)


def colours_without_light(longest: int | None, picture: Picture, told: Told) -> np.ndarray:
    """A photo's colours without shading and cast shadows, in the mean as bright: uint8 (rows, columns, 3), sRGB.

    How bright they are to be is found at the size that the network read the photo at; they are made in bands of rows,
    so that the largest photo takes little memory.
    """
    gain = np.exp(-told.light)
    shown = _colours_of(shrink_picture(picture, max(gain.shape)))
    colours = _unlit(shown, gain)
    means = [float(luminance(each, encoded=False).mean()) for each in (shown, colours)]
    most = float(np.percentile(colours, BRIGHTEST))
    times = np.float32(min(means[0] / max(means[1], 1e-6), 1 / max(most, 1e-6)))
    whole = shrink_picture(picture, longest)
    if gain.shape != whole.pixels.shape[:2]:
        gain = cv2.resize(gain, (whole.columns, whole.rows), interpolation=cv2.INTER_LINEAR)
    out = np.empty((whole.rows, whole.columns, 3), np.uint8)
    for top in range(0, whole.rows, BAND):
        rows = slice(top, top + BAND)
        colours = _unlit(_colours_of(replace(whole, pixels=whole.pixels[rows])), gain[rows])
        out[rows] = eight_bits(srgb_from_linear(colours * times))
    return out


def _colours_of(picture: Picture) -> np.ndarray:
    """A picture as linear light: float32 (rows, columns, 3), 0 to 1."""
    return in_three_channels(np.clip(linear_light(picture), 0, 1))


def _unlit(colours: np.ndarray, gain: np.ndarray) -> np.ndarray:
    """Colours (rows, columns, 3) without the light on them, of which the gain (rows, columns) is the inverse."""
    return np.maximum((colours + np.float32(LEAST)) * gain[..., None] - np.float32(LEAST), 0)


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

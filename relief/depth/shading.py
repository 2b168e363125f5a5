"""Depth from the light in one photo: paint is parted from light, and what light is left becomes slopes.

In linear light a dull surface shows I = a ((1 - e) max(0, n . l) + e): a is its paint, l the light, e the share of what
comes from everywhere. Along the light a slope u turns n by atan u, so that with the light's elevation E
n . l = sin(E - atan u). Solved for u that is linear shape from shading made exact along one line (Pentland 1990, Linear
shape from shading, Int. J. Computer Vision 4). It tells nothing of slopes across the light, so frequencies are damped
the more the farther they run across it (Wiener's filter), and what is missing is filled by "dark is deep" (Langer &
Zucker 1994, Shape from shading on a cloudy day, J. Optical Society of America A 11).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
import scipy

from relief.depth.light import Light
from relief.sources.colour import luminance

AROUND = 0.3
"""Share of light that comes from everywhere, of an outdoor photo: common practice, no source."""

DAMPING = 0.55
"""What is taken for noise, as a part of the light's signal along its direction."""

COARSEST = 4.0
"""Waves on the long side: what is wider is told by the lamp's place rather than by the surface."""

DIPS = 32.0
"""Waves on the long side from which on a slope is filled in for darkness in full; wider ones get less."""

DEEP_PAINT = 0.4
"""Of the brightness of paint, how much counts as darkness: joints and dirt lie deep, and are often of another colour
(common practice, no source). On surfaces whose paints have nothing to do with their relief it costs a tenth of a
degree."""

FILL = 1.3
"""Slope of a wave that is filled in, over the natural logarithm of its darkness."""

DARK_ALONE = 1.8
"""How many times as steep darkness is read where no light tells anything. Of the thirty-four surfaces of docs/truth.md
under an even sky, which are 16.0 degrees from flat, the relief is 13.2, 12.6, 12.3 and 12.4 off with 1, 1.5, 2 and 2.5.
"""

DARKEST, BRIGHTEST = 0.3, 1.3
"""Of the light on level ground: what lies beyond is cast shadow or shine, and bounds a slope rather than telling it."""

MARGIN = 8
"""An edge that does not wrap is gone on with, mirrored, over this part of the side on each end."""

GRAIN = 0.3
"""Cycles to a texel from which on colour is taken for grain: it is kept coarser than brightness in most files."""

LEAST_GRAIN = 1e-4
"""Of the grain of both differences of colour, the part that each has at least."""

PEAK = 0.02
"""Width of a step of brightness, as a natural logarithm, that counts as one."""


@dataclass(frozen=True)
class Parted:
    """A photo parted into light and paint.

    Attributes:
        light: how brightly each place is lit, level ground being 1; float32 (rows, columns).
        paint: how bright its paint is, its mean as a logarithm being 0; natural logarithm, float32 (rows, columns).
    """

    light: np.ndarray
    paint: np.ndarray


def part_paint(photo: np.ndarray, strength: float = 1) -> Parted:
    """Parts paint from light by colour.

    White light changes no hue, so what differs in hue is paint. The one mixture of colours that stands out most from
    its grain is taken as the paint's, freed of grain by Wiener's filter, and its brightness is what leaves the light
    the fewest shades: least entropy (Finlayson, Drew & Lu 2004, Intrinsic images by entropy minimization, ECCV).

    Args:
        photo: linear light, float32 (rows, columns, 3).
        strength: how much of what was found is taken off, 0 to 1 and beyond.
    """
    grey = np.log(np.maximum(luminance(photo, encoded=False), np.float32(0.05) * max(photo.mean(), 1e-6)))
    colour = _find_colour(photo)
    paint = np.zeros_like(grey)
    if colour is not None:
        paint = (np.float32(_brightness_of(colour, grey) * strength) * colour).astype(np.float32)
    lit = grey - paint
    return Parted(np.exp(lit - np.float32(_commonest(lit))), paint)


def _find_colour(photo: np.ndarray) -> np.ndarray | None:
    """The mixture of colours that tells the paints apart, mean 0 and deviation 1; none in a photo without colour."""
    each = np.log(np.maximum(photo, np.float32(0.03) * max(photo.mean(), 1e-6)))
    differences = [each[..., side] - each[..., 1] for side in (0, 2)]
    if max(float(np.ptp(side)) for side in differences) < 1e-4:
        return None
    rows, columns = differences[0].shape
    waves = np.stack([scipy.fft.rfft2(side - side.mean(), workers=-1) for side in differences])
    cycles = np.hypot(
        scipy.fft.rfftfreq(columns).astype(np.float32)[None, :], scipy.fft.fftfreq(rows).astype(np.float32)[:, None]
    )
    fine, coarse = cycles > GRAIN, (cycles > 2 / max(rows, columns)) & (cycles < GRAIN / 5)
    if not (fine.any() and coarse.any()):
        return None
    grain = _together(waves[:, fine])
    # some files have next to no grain of one of the two colours
    _, ways = scipy.linalg.eigh(_together(waves[:, coarse]), grain + (LEAST_GRAIN * np.trace(grain) + 1e-9) * np.eye(2))
    wave = np.tensordot(ways[:, -1].astype(np.float32), waves, 1)
    wave *= _without_grain(wave, cycles, fine)
    colour = scipy.fft.irfft2(wave, (rows, columns), workers=-1)
    deviation = float(colour.std())
    return (colour / deviation).astype(np.float32) if deviation > 1e-9 else None


def _together(waves: np.ndarray) -> np.ndarray:
    """How two spectra go together: (2, 2)."""
    return np.asarray((waves @ waves.conj().T).real / waves.shape[1], float)


def _without_grain(wave: np.ndarray, cycles: np.ndarray, fine: np.ndarray) -> np.ndarray:
    """Wiener's filter, ring by ring of frequencies: the part of their power that is not grain."""
    power = np.abs(wave) ** 2
    grain = float(power[fine].mean())
    lowest = 1 / max(wave.shape[0], 2 * wave.shape[1])
    rings = np.clip((4 * np.log2(np.maximum(cycles, lowest) / lowest)).astype(np.int64), 0, None)
    means = np.bincount(rings.ravel(), power.ravel()) / np.maximum(np.bincount(rings.ravel()), 1)
    return (np.maximum(means - grain, 0) / np.maximum(means, 1e-30))[rings].astype(np.float32)


def _brightness_of(colour: np.ndarray, grey: np.ndarray) -> float:
    """The logarithm of brightness that goes with a colour.

    Least squares tell the most that it can be: what lies deep is darker and often of another colour too. Between none
    and that the one is taken that leaves the fewest shades, as level ground of all paints then is of one.
    """
    few = max(1, math.isqrt(colour.size) // 256)
    colour, grey = colour[::few, ::few].ravel(), grey[::few, ::few].ravel()
    most = 1.1 * float(np.vdot(colour, grey - grey.mean()) / max(float(np.vdot(colour, colour)), 1e-9))
    shares = np.linspace(0, most, 33)
    shades = np.array([_count_shades(grey - np.float32(share) * colour) for share in shares])
    return float(shares[int(shades.argmin())])


def _count_shades(grey: np.ndarray) -> float:
    """Renyi's entropy of second order of the shades of a picture."""
    counts = np.bincount(((grey - grey.min()) / PEAK).astype(np.int64)).astype(float)
    shares = np.convolve(counts / counts.sum(), [0.05, 0.25, 0.4, 0.25, 0.05])
    return -math.log(float((shares * shares).sum()))


def _commonest(grey: np.ndarray) -> float:
    """The commonest value, that of level ground."""
    low = float(grey.min())
    counts = np.convolve(np.bincount(((grey - low) / PEAK).astype(np.int64).ravel()), np.ones(7), "same")
    return low + (int(counts.argmax()) + 0.5) * PEAK


@dataclass(frozen=True)
class Waves:
    """A parted photo as waves, which a light is then applied to.

    Attributes:
        light: as parted, gone on with beyond edges that do not wrap; float32 (rows, columns).
        dark: steepness that is filled in for the logarithm of that and of some paint, before it is damped.
        rise: what a steepness of each wave is times to be its height, mm.
        across, up: cycles to a mm, float32 (1, columns) and (rows, 1).
        cycles: along each wave's own direction, float32 (rows, columns).
        shape: rows and columns of the photo itself, in the upper left corner.
        longest: its longer side, mm.
    """

    light: np.ndarray
    dark: np.ndarray
    rise: np.ndarray
    across: np.ndarray
    up: np.ndarray
    cycles: np.ndarray
    shape: tuple[int, int]
    longest: float


def make_waves(parted: Parted, spacing: tuple[float, float], wraps: tuple[bool, bool]) -> Waves:
    """What can be made ready of a photo before its light is known.

    Args:
        parted: the photo.
        spacing: width and height of a texel, mm.
        wraps: whether it wraps (across, down).
    """
    rows, columns = parted.light.shape
    wide, paint = parted.light, parted.paint
    for axis in (1, 0):
        if not wraps[1 - axis]:
            wide, paint = _go_on(wide, axis), _go_on(paint, axis)
    darkness = np.log(np.clip(wide, DARKEST, BRIGHTEST)) + np.float32(DEEP_PAINT) * paint
    dark = scipy.fft.rfft2(darkness, workers=-1)
    across = scipy.fft.rfftfreq(wide.shape[1], spacing[0]).astype(np.float32)[None, :]
    up = -scipy.fft.fftfreq(wide.shape[0], spacing[1]).astype(np.float32)[:, None]
    longest = max(columns * spacing[0], rows * spacing[1])
    cycles = np.hypot(across, up)
    cycles[0, 0] = 1
    on_side = cycles * np.float32(longest)
    dark *= np.complex64(1j * FILL * DAMPING) * np.minimum(on_side / np.float32(DIPS), 1)
    # of a wave of steepness s the height is s / (2 pi i f)
    rise = 1 / (1 + (COARSEST / on_side) ** 2) / (cycles * np.complex64(2j * math.pi))
    rise[0, 0] = 0
    return Waves(wide, dark, rise, across, up, cycles, (rows, columns), longest)


def _go_on(samples: np.ndarray, axis: int) -> np.ndarray:
    """Samples with a margin behind their end in which they run, mirrored, into their beginning."""
    count = samples.shape[axis]
    wide = scipy.fft.next_fast_len(count + 2 * max(1, count // MARGIN), real=True) - count
    numbers = np.arange(wide)
    behind = np.take(samples, np.clip(count - 1 - numbers, 0, None), axis)
    before = np.take(samples, np.clip(numbers[::-1], None, count - 1), axis)
    part = ((numbers + 0.5) / wide).astype(np.float32)
    part = np.expand_dims(part * part * (3 - 2 * part), 1 - axis)
    return np.concatenate([samples, behind * (1 - part) + before * part], axis)


def height_of_waves(waves: Waves, light: Light, fill: float = 0.5) -> np.ndarray:
    """The height that a light tells.

    Args:
        waves: those of the photo.
        light: where it stood.
        fill: 0 what the light tells alone, 0.5 both, 1 "dark is deep" alone.

    Returns:
        float32 (rows, columns), mm, of mean 0.
    """
    slopes = scipy.fft.rfft2(_slopes_along(waves.light, light.elevation), workers=-1)
    around = math.radians(light.azimuth)
    along = waves.across * np.float32(math.cos(around)) + waves.up * np.float32(math.sin(around))
    along /= waves.cycles
    lit = np.float32(share_of_light(fill))
    slopes *= along * lit
    slopes += waves.dark * np.float32(min(1, 2 * fill) * (lit + (1 - lit) * DARK_ALONE))
    along *= along * lit
    along += np.float32(DAMPING)
    slopes /= along
    height = slopes * waves.rise
    rows, columns = waves.shape
    whole = scipy.fft.irfft2(height, waves.light.shape, workers=-1)[:rows, :columns]
    return np.asarray(whole - whole.mean(), np.float32)


def read_slopes(photo: np.ndarray, light: Light, wraps: tuple[bool, bool] = (False, False)) -> np.ndarray:
    """The slopes of a photo whose texels are square, to the right and up: float32 (rows, columns, 2).

    Args:
        photo: linear light, float32 (rows, columns, 3), 0 to 1.
        light: where its light stood.
        wraps: whether the photo wraps (across, down).
    """
    return slopes_of_waves(make_waves(part_paint(photo), (1, 1), wraps), light)


def slopes_of_waves(waves: Waves, light: Light, fill: float = 0.5) -> np.ndarray:
    """The slopes of a photo of whose texels, which are square, the waves are known: as `read_slopes`."""
    height = height_of_waves(waves, light, fill)
    slopes = [np.gradient(height, axis=axis) if height.shape[axis] > 1 else np.zeros_like(height) for axis in (1, 0)]
    return np.dstack([slopes[0], -slopes[1]])


def _slopes_along(lit: np.ndarray, elevation: float) -> np.ndarray:
    """Slopes along the light, rising towards it, of how brightly each place is lit: tan(90 - elevation - ...)."""
    up, level = math.radians(elevation), math.sin(math.radians(elevation))
    facing = (lit * np.float32((1 - AROUND) * level + AROUND) - np.float32(AROUND)) / np.float32(1 - AROUND)
    facing = np.clip(facing, 0, 1)
    # tan(arccos(facing) - (90 degrees - elevation)), without the arc
    aside = np.sqrt(1 - facing * facing)
    sine, cosine = np.float32(math.sin(up)), np.float32(math.cos(up))
    slopes = (aside * sine - facing * cosine) / (facing * sine + aside * cosine)
    return np.asarray(slopes - slopes.mean(), np.float32)


def log_of_light(slopes: np.ndarray, light: Light) -> np.ndarray:
    """The logarithm of the light that falls on slopes, sun and sky, without cast shadows: 0 where level.

    Args:
        slopes: to the right and up, float32 (rows, columns, 2).
        light: where the sun stood.

    Returns:
        float32 (rows, columns).
    """
    right, above, up = light.direction.astype(np.float32)
    across, rising = slopes[..., 0], slopes[..., 1]
    facing = (up - right * across - above * rising) / np.sqrt(1 + across * across + rising * rising) / up
    return np.asarray(np.log((1 - AROUND) * np.maximum(facing, 0) + AROUND), np.float32)


def share_of_light(fill: float) -> float:
    """How far slopes are read from the light, 1 where "dark is deep" counts half at most, 0 where it counts alone."""
    return min(1.0, 2 - 2 * fill)


def certainty(fill: float, parted: Parted) -> np.ndarray:
    """How far each place can be trusted, 0 to 1: not in cast shadow nor in shine, nor where paint is made out weakly,
    nor as far as slopes are read from darkness rather than from the light.

    Args:
        fill: as for `height_of_waves`.
        parted: a photo.

    Returns:
        float32 (rows, columns).
    """
    lit = parted.light
    near = np.clip((lit - DARKEST) / 0.2, 0, 1) * np.clip((BRIGHTEST + 0.1 - lit) / 0.1, 0, 1)
    across, down = (cv2.Scharr(parted.paint, cv2.CV_32F, *way) for way in ((1, 0), (0, 1)))
    edges = cv2.GaussianBlur(np.hypot(across, down) / 16, (0, 0), 1.5)
    return np.asarray(near * np.exp(-8 * edges) * np.float32(share_of_light(fill)), np.float32)


FINEST_TOLD = 0.3
"""Cycles to a texel up to which brightness tells where the light stood."""

PLAIN = 0.06
"""From this correlation on the darkest places say which end of its line the light came from."""


def find_axis(waves: Waves) -> tuple[float, float]:
    """The line on which the light of a photo stood, by its waves with square texels: the azimuth of its upper end, 0 to
    180 degrees, and how strongly brightness changes along it, 0 to 1; 0 where it changes nowhere.

    Brightness changes most along the light (Pentland 1982, Finding the illuminant direction, J. Optical Society of
    America 72).
    """
    shades = np.clip(np.log(np.maximum(waves.light, 1e-3)), -1.5, 0.5)
    power = np.abs(scipy.fft.rfft2(shades - shades.mean(), workers=-1)) ** 2
    power[:, 1 : (shades.shape[1] + 1) // 2] *= 2  # their mirror images are not listed
    cycles = waves.cycles
    wanted = (cycles > 2 / max(waves.shape)) & (cycles < FINEST_TOLD)
    weights = power[wanted] * cycles[wanted]
    if not weights.any():
        return 90.0, 0.0
    twice = 2 * np.arctan2(*(np.broadcast_to(side, cycles.shape)[wanted] for side in (waves.up, waves.across)))
    right, above = (float((weights * part(twice)).sum() / weights.sum()) for part in (np.cos, np.sin))
    return math.degrees(math.atan2(above, right)) / 2 % 180, math.hypot(right, above)


def estimate_light(parted: Parted, elevation: float = 45) -> tuple[Light, float]:
    """Where the light stood, and how sure that is, 0 to 1.

    From which end of its line it came is told by the slopes that either makes: what is darkest lies low. Where that is
    not plain it came from above, as the eye takes it (Ramachandran 1988, Perception of shape from shading, Nature 331).

    Args:
        parted: a photo.
        elevation: of the light, which is taken as given: it cannot be told apart from how rough the surface is.
    """
    lit = np.log(np.clip(parted.light, 0.1, 2))
    waves = make_waves(parted, (1, 1), (False, False))
    azimuth, strength = find_axis(waves)
    if not strength:
        return Light(azimuth, elevation), 0.0
    height = height_of_waves(waves, Light(azimuth, elevation), 0)
    deepest = np.minimum(lit, 0) ** 3
    if min(float(height.std()), float(deepest.std())) < 1e-9:
        return Light(azimuth, elevation), 0.0
    told = float(np.corrcoef(height.ravel(), deepest.ravel())[0, 1])
    if told < -PLAIN:
        azimuth += 180
    return Light(azimuth, elevation), min(1.0, 1.5 * strength) * min(1.0, abs(told) / (3 * PLAIN))

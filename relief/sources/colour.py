"""Colour and data: the sRGB transfer, and the ways to make grey of a colour picture.

References:
    IEC 61966-2-1 (sRGB transfer), ITU-R BT.709 (luminance weights), ITU-R BT.601 (luma weights), CIE 1976 L*a*b*
    (lightness).
"""

from dataclasses import replace
from typing import Literal

import cv2
import numpy as np

from relief.filters.resample import resample_by_area, shrink
from relief.height import fit_size
from relief.kernels import kernel
from relief.sources.picture import COLOURS, Picture

Grey = Literal["luminance", "luma", "lightness", "red", "green", "blue", "lightest", "darkest", "hue"]
GREY_NAMES = {
    "luminance": "Luminance (linear light)",
    "luma": "Luma (as displayed)",
    "lightness": "Lightness (as seen)",
    "red": "Red channel",
    "green": "Green channel",
    "blue": "Blue channel",
    "lightest": "Largest channel",
    "darkest": "Smallest channel",
    "hue": "Similarity to a hue",
}
Transfer = Literal["auto", "srgb", "none"]
TRANSFER_NAMES = {"auto": "Automatic", "srgb": "sRGB, decoded", "none": "None, as data"}
LUMINANCE_WEIGHTS = (0.2126, 0.7152, 0.0722)
LUMA_WEIGHTS = (0.299, 0.587, 0.114)


def linear_from_srgb(encoded: np.ndarray) -> np.ndarray:
    """Linear light of sRGB-encoded values, both 0 to 1."""
    encoded = np.asarray(encoded, np.float32)
    bent = ((np.maximum(encoded, 0) + 0.055) / 1.055) ** np.float32(2.4)
    return np.where(encoded <= 0.04045, encoded / 12.92, bent)


def srgb_from_linear(linear: np.ndarray) -> np.ndarray:
    """sRGB encoding of linear light, both 0 to 1."""
    linear = np.asarray(linear, np.float32)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 0) ** np.float32(1 / 2.4) - 0.055)


def full_scale(samples: np.ndarray) -> np.ndarray:
    """Samples as float32: whole numbers over their largest value (/255, /65535), floats as they are."""
    if samples.dtype.kind == "f":
        return samples.astype(np.float32, copy=False)
    if samples.dtype.itemsize > 2:
        return (samples / np.float64(np.iinfo(samples.dtype).max)).astype(np.float32)
    return samples.astype(np.float32) / np.float32(np.iinfo(samples.dtype).max)


def shrink_to_scale(samples: np.ndarray, longest: int | None) -> np.ndarray:
    """As `full_scale` of `shrink`, but not rounded between the two: float32, at most `longest` texels on a side."""
    rows, columns = fit_size(samples.shape[0], samples.shape[1], longest)
    if (rows, columns) == samples.shape[:2]:
        return full_scale(np.ascontiguousarray(samples))
    small = resample_by_area(samples, rows, columns)
    return small if samples.dtype.kind == "f" else small / np.float32(np.iinfo(samples.dtype).max)


def eight_bits(samples: np.ndarray) -> np.ndarray:
    """Samples from 0 to 1 as uint8, each at the nearest level; what lies beyond is cut off."""
    return np.rint(np.clip(samples, 0, 1) * 255).astype(np.uint8)


def decode_srgb(samples: np.ndarray) -> np.ndarray:
    """Linear light of sRGB-encoded samples; for whole numbers by a table, which is exact and quick."""
    if samples.dtype.kind == "f" or samples.dtype.itemsize > 2:
        return linear_from_srgb(full_scale(samples))
    table = linear_from_srgb(full_scale(np.arange(np.iinfo(samples.dtype).max + 1).astype(samples.dtype)))
    return table[samples]


def linear_light(picture: Picture) -> np.ndarray:
    """The light of a picture: its pixels as float32, 0 to 1 of whole numbers, (rows, columns[, 3])."""
    pixels = np.ascontiguousarray(picture.pixels)
    return decode_srgb(pixels) if is_decoded(picture, "auto") else full_scale(pixels)


def luminance(pixels: np.ndarray, encoded: bool) -> np.ndarray:
    """The relative luminance of pixels (rows, columns[, 3]), sRGB-encoded or linear: float32 (rows, columns)."""
    if pixels.ndim == 2 or pixels.dtype.kind == "f" or pixels.dtype.itemsize > 2:
        light = decode_srgb(pixels) if encoded else full_scale(pixels)
        return light if light.ndim == 2 else cv2.transform(light, np.array([LUMINANCE_WEIGHTS], np.float32))
    levels = full_scale(np.arange(np.iinfo(pixels.dtype).max + 1).astype(pixels.dtype))
    light = linear_from_srgb(levels) if encoded else levels
    out = np.empty(pixels.shape[:2], np.float32)
    _weigh(np.ascontiguousarray(pixels), *(np.float32(weight) * light for weight in LUMINANCE_WEIGHTS), out)
    return out


@kernel(rows_of="out")
def _weigh(begin, end, pixels, red, green, blue, out):
    """Adds up what each channel's level gives, read from a table."""
    for row in range(begin, end):
        for column in range(out.shape[1]):
            pixel = pixels[row, column]
            out[row, column] = red[pixel[0]] + green[pixel[1]] + blue[pixel[2]]


def is_decoded(picture: Picture, transfer: Transfer) -> bool:
    """Whether sRGB is taken off a photo's samples: unless they are linear light already, or somebody overruled it."""
    return not picture.linear if transfer == "auto" else transfer == "srgb"


def grey_of_photo(picture: Picture, grey: Grey, hue: float = 0, transfer: Transfer = "auto") -> np.ndarray:
    """One brightness for each pixel of a photo.

    Args:
        picture: grey or colour.
        grey: luminance (BT.709 weights on linear light), luma (BT.601 weights on encoded values), CIE L* / 100, one
            channel as it is encoded, the largest or smallest of the three, or the likeness to a hue.
        hue: degrees, 0 red, 120 green, 240 blue; for `hue` only.
        transfer: whether the samples are sRGB-encoded.

    Returns:
        float32 (rows, columns), 0 to 1; beyond 1 where the picture is.
    """
    encoded = is_decoded(picture, transfer)
    pixels = picture.pixels
    if grey in ("luminance", "lightness"):
        light = luminance(pixels, encoded)
        return light if grey == "luminance" else lightness(light)
    # the others look at values as they are displayed
    shown = full_scale(pixels) if encoded or not picture.linear else srgb_from_linear(pixels)
    if shown.ndim == 2:
        return shown
    match grey:
        case "luma":
            return cv2.transform(shown, np.array([LUMA_WEIGHTS], np.float32))
        case "lightest":
            return shown.max(axis=2)
        case "darkest":
            return shown.min(axis=2)
        case "hue":
            return likeness_to_hue(shown, hue)
        case _:
            return np.ascontiguousarray(shown[..., COLOURS.index(grey)])


def heights_of_levels(levels: np.ndarray, picture: Picture, grey: Grey | None, transfer: Transfer) -> np.ndarray:
    """The heights that grey levels (0 to 1, as the file holds them) become; `grey` is none where they are data."""
    if grey is None:
        return linear_from_srgb(levels) if transfer == "srgb" else levels
    if grey in ("luminance", "lightness"):
        light = linear_from_srgb(levels) if is_decoded(picture, transfer) else levels
        return light if grey == "luminance" else lightness(light)
    return levels if is_decoded(picture, transfer) or not picture.linear else srgb_from_linear(levels)


def in_three_channels(pixels: np.ndarray) -> np.ndarray:
    """Pixels (rows, columns, 3); those of a grey picture, (rows, columns), become three alike."""
    return pixels if pixels.ndim == 3 else np.dstack([pixels] * 3)


def shrink_picture(picture: Picture, longest: int | None) -> Picture:
    """A picture of at most `longest` texels on a side; samples of 32 bits become float32."""
    pixels = picture.pixels if picture.pixels.dtype.itemsize < 4 else full_scale(picture.pixels)
    return replace(picture, pixels=shrink(pixels, longest))


def display(picture: Picture, longest: int | None = None) -> np.ndarray:
    """The picture as a screen shows it: float32 (rows, columns[, 3]), 0 to 1, shrunk to at most `longest` texels."""
    small = full_scale(shrink_picture(picture, longest).pixels)
    return np.clip(srgb_from_linear(small) if picture.linear else small, 0, 1)


def lightness(luminance: np.ndarray) -> np.ndarray:
    """CIE 1976 L* / 100 of relative luminance."""
    luminance = np.maximum(luminance, 0)
    small = luminance <= (6 / 29) ** 3
    return (1.16 * np.where(small, luminance * (841 / 108) + 4 / 29, np.cbrt(luminance)) - 0.16).astype(np.float32)


def likeness_to_hue(colours: np.ndarray, hue: float) -> np.ndarray:
    """How much each colour leans towards a hue: 1 pure, 0.5 grey, 0 its complement.

    The chroma plane of red, green and blue at 120 degrees from each other is projected on the direction of the hue.
    """
    angles = np.radians([0, 120, 240]) - np.radians(hue)
    weights = (np.cos(angles) / 2).astype(np.float32)
    return 0.5 + cv2.transform(np.ascontiguousarray(colours, np.float32), weights[None])


def grey_of_data(picture: Picture, channel: str = "", transfer: Transfer = "auto") -> np.ndarray:
    """The height samples of a data picture: one channel, read through no transfer function unless that is asked for.

    Returns:
        float32 (rows, columns).

    Raises:
        PictureError: there is no such channel.
    """
    samples = picture.channel(channel)
    return decode_srgb(samples) if transfer == "srgb" else full_scale(np.ascontiguousarray(samples))

"""TIFF 6.0: 8, 16 and 32-bit whole numbers and floats, in strips or tiles, packed or not."""

from __future__ import annotations

import io
import logging
from typing import Any

import numpy as np
import tifffile

from relief.errors import PictureError
from relief.sources.picture import LINEAR, Picture, refuse_if_too_large
from relief.sources.raster import ORIENTATION, profile_name, turn_upright

logging.getLogger("tifffile").setLevel(logging.CRITICAL)  # what is wrong with a file is said by PictureError


def decode(data: bytes) -> Picture:
    """The first page of a TIFF."""
    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        page: Any = tiff.pages[0]
        if page.samplesperpixel > 4 or page.imagedepth > 1:
            raise PictureError(f"This TIFF has {page.samplesperpixel} channels. Up to four can be read.")
        refuse_if_too_large(page.imagewidth, page.imagelength)
        remarks = [f"The first of {len(tiff.pages)} pages is used."] if len(tiff.pages) > 1 else []
        orientation = page.tags[ORIENTATION].value if ORIENTATION in page.tags else 1
        if page.photometric == tifffile.PHOTOMETRIC.PALETTE:
            colours = np.moveaxis(page.colormap >> 8, 0, -1).astype(np.uint8)
            return turn_upright(Picture(colours[page.asarray()], 8, "TIFF", remarks=tuple(remarks)), orientation)
        pixels = page.asarray()
        separate = page.planarconfig == tifffile.PLANARCONFIG.SEPARATE
        inverted = page.photometric == tifffile.PHOTOMETRIC.MINISWHITE
        inks = page.photometric == tifffile.PHOTOMETRIC.SEPARATED
        bits = page.bitspersample
        profile = page.tags.get("InterColorProfile")
        transfer = f"profile “{profile_name(profile.value)}”" if profile else ""
    if separate and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    pixels = _samples(pixels, bits, remarks)
    if inverted and pixels.dtype.kind == "u":
        pixels = np.iinfo(pixels.dtype).max - pixels
    alpha = None
    if pixels.ndim == 3 and inks and pixels.shape[2] == 4:
        pixels = _without_inks(pixels)
        remarks.append("CMYK was converted to RGB.")
    elif pixels.ndim == 3:
        if pixels.shape[2] in (2, 4):
            alpha = np.ascontiguousarray(pixels[..., -1])
        pixels = pixels[..., 0] if pixels.shape[2] < 3 else pixels[..., :3]
    pixels = np.ascontiguousarray(pixels)
    # floating-point colours are light as it was measured or rendered; nothing is said of a curve
    linear = pixels.dtype.kind == "f" and pixels.ndim == 3 and not transfer
    transfer = LINEAR if linear else transfer
    picture = Picture(pixels, bits, "TIFF", alpha, transfer=transfer, linear=linear, remarks=tuple(remarks))
    return turn_upright(picture, orientation)


def _samples(pixels: np.ndarray, bits: int, remarks: list[str]) -> np.ndarray:
    """Samples in a type we keep. Numbers with a sign are measures, so they are taken as they are."""
    if pixels.dtype == bool:
        return pixels.astype(np.uint8) * 255
    if pixels.dtype.kind == "f":
        return pixels.astype(np.float32)
    if pixels.dtype.kind == "i":
        remarks.append(f"Its {bits}-bit numbers have a sign; they are read as raw values, not normalised.")
        return pixels.astype(np.float32)
    if pixels.dtype not in (np.uint8, np.uint16, np.uint32):
        raise PictureError(
            f"This TIFF holds {bits}-bit {pixels.dtype.name} samples. 8, 16 and 32 bit and float can be read."
        )
    return pixels


def _without_inks(pixels: np.ndarray) -> np.ndarray:
    """RGB of CMYK samples, by the plain multiplication of what each ink lets through."""
    full = np.float32(np.iinfo(pixels.dtype).max)
    return ((full - pixels[..., :3]) * (full - pixels[..., 3:]) / full).round().astype(pixels.dtype)

"""Bytes to a picture. The size is read from the header and refused before anything is decoded."""

from __future__ import annotations

import warnings
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from relief.errors import PictureError
from relief.sources import headerless, high_range, raster, tiff
from relief.sources.picture import Picture

KNOWN = "PNG, JPEG, TIFF, WebP, BMP, OpenEXR or Radiance HDR"
ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".bmp", ".exr", ".hdr", headerless.ENDING)
"""Names that pictures usually end in."""

LARGEST_VALUE = 1e15
"""Beyond this float32 squares overflow; no height or light has such values."""


def decode(data: bytes, filename: str = "") -> Picture:
    """Reads a picture by what its first bytes say.

    Args:
        data: the whole file.
        filename: only its ending counts, and only when it asks for headerless samples (`.r16`).

    Raises:
        PictureError: empty, of no known kind, too large, or broken; the message says which.
    """
    if not data:
        raise PictureError("The file is empty.")
    if filename.lower().endswith(headerless.ENDING):
        return headerless.decode(data)
    decoder, name = _decoder(data)
    return _finite(_whole(decoder, data, name))


def _decoder(data: bytes) -> tuple[Callable[[bytes], Picture], str]:
    """The decoder for a file that begins like this one, and the name of its kind."""
    if data.startswith(b"\x89PNG\r\n\x1a\n"):
        return raster.decode_png, "PNG"
    if data.startswith(b"\xff\xd8\xff"):
        return raster.decode_jpeg, "JPEG"
    if data.startswith((b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")):
        return tiff.decode, "TIFF"
    if data.startswith(b"RIFF") and data[8:12] == b"WEBP":
        return raster.decode_webp, "WebP"
    if data.startswith(b"BM") and data[6:10] == b"\0\0\0\0":
        return raster.decode_bmp, "BMP"
    if data.startswith(b"v/1\x01"):
        return high_range.decode_exr, "OpenEXR"
    if data.startswith((b"#?RADIANCE", b"#?RGBE")):
        return high_range.decode_hdr, "Radiance HDR"
    raise PictureError(f"This is not a picture the app can read. It reads {KNOWN}.")


def _whole(decoder: Callable[[bytes], Picture], data: bytes, name: str) -> Picture:
    """Runs a decoder; whatever it stumbles over becomes one sentence."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            picture = decoder(data)
    except PictureError:
        raise
    except MemoryError:
        raise PictureError("There is not enough memory to read this picture.") from None
    except Exception as problem:
        raise PictureError(f"The {name} file is broken or incomplete and cannot be read.") from problem
    if picture.pixels.size == 0:
        raise PictureError("The picture has no pixels.")
    return picture


def _finite(picture: Picture) -> Picture:
    """The picture without not-a-number and infinite samples, which become the median of the others."""
    if not picture.is_float:
        return picture
    pixels, bad = _mend(picture.pixels)
    if bad == picture.pixels.size:
        raise PictureError("No sample of this picture is a finite number.")
    extra = {name: _mend(channel)[0] for name, channel in picture.extra.items()}
    alpha = None if picture.alpha is None else _mend(picture.alpha)[0]
    if not bad:
        return replace(picture, extra=extra, alpha=alpha)
    remark = f"{bad} samples were not finite numbers; they were given the median of the others."
    return replace(picture, pixels=pixels, extra=extra, alpha=alpha, remarks=(*picture.remarks, remark))


def _mend(samples: np.ndarray) -> tuple[np.ndarray, int]:
    """Samples that can be computed with, and how many had to be replaced."""
    good = np.isfinite(samples)
    good &= np.abs(samples, where=good, out=np.zeros_like(samples)) < LARGEST_VALUE
    bad = samples.size - int(np.count_nonzero(good))
    if not bad:
        return samples, 0
    middle = np.median(samples[good]) if bad < samples.size else 0
    return np.where(good, samples, np.float32(middle)), bad

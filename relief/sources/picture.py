"""Pictures as they come in: PNG, JPEG and TIFF into pixels and facts.

The size is read from the header and refused before anything is decoded. Samples keep the type they came in; nothing is
stored back in fewer bits.
"""

from __future__ import annotations

import io
import logging
import warnings
from dataclasses import dataclass, field

import cv2
import numpy as np
import tifffile
from PIL import Image, ImageOps

from relief.errors import PictureError

MOST_PIXELS = 100_000_000
MOST_ON_A_SIDE = 32_000
KNOWN = "PNG, JPEG or TIFF"

Image.MAX_IMAGE_PIXELS = None  # the size is checked here, with a sentence of ours
logging.getLogger("tifffile").setLevel(logging.CRITICAL)  # what is wrong with a file is said by PictureError


@dataclass(frozen=True)
class Picture:
    """A decoded picture.

    Attributes:
        pixels: (rows, columns) or (rows, columns, 3); uint8, uint16 or float32.
        bits: bits in a sample as the file holds it.
        format: `PNG`, `JPEG` or `TIFF`.
        alpha: whether the file has an alpha channel (kept aside, not in `pixels`).
        remarks: sentences on what was done to read it.
    """

    pixels: np.ndarray
    bits: int
    format: str
    alpha: bool = False
    remarks: tuple[str, ...] = field(default=())

    @property
    def rows(self) -> int:
        return self.pixels.shape[0]

    @property
    def columns(self) -> int:
        return self.pixels.shape[1]

    @property
    def is_colour(self) -> bool:
        return self.pixels.ndim == 3

    @property
    def is_float(self) -> bool:
        return self.pixels.dtype.kind == "f"

    @property
    def nbytes(self) -> int:
        return self.pixels.nbytes


def decode(data: bytes) -> Picture:
    """Reads a picture.

    Raises:
        PictureError: empty, of no known kind, too large, or broken; the message says which.
    """
    if not data:
        raise PictureError("The file is empty.")
    if data[:8] == b"\x89PNG\r\n\x1a\n":
        return _whole(_decode_png, data, "PNG")
    if data[:3] == b"\xff\xd8\xff":
        return _whole(_decode_jpeg, data, "JPEG")
    if data[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"):
        return _whole(_decode_tiff, data, "TIFF")
    raise PictureError(f"This is not a picture the app can read. It reads {KNOWN}.")


def _whole(decoder, data: bytes, name: str) -> Picture:
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
    return _finite(picture)


def refuse_if_too_large(columns: int, rows: int) -> None:
    """Raises PictureError when a picture of this size would not be decoded."""
    if columns * rows > MOST_PIXELS or max(columns, rows) > MOST_ON_A_SIDE:
        raise PictureError(
            f"The picture is {columns} x {rows} pixels. At most {MOST_PIXELS // 1_000_000} million pixels and "
            f"{MOST_ON_A_SIDE} on a side can be read; make it smaller first."
        )


def _decode_png(data: bytes) -> Picture:
    bits, colour_type = data[24], data[25]
    with Image.open(io.BytesIO(data), formats=["PNG"]) as image:
        refuse_if_too_large(*image.size)
        remarks = ("An animation: its first picture is used.",) if getattr(image, "n_frames", 1) > 1 else ()
        alpha = colour_type in (4, 6) or "transparency" in image.info
        if bits < 16:
            return Picture(_eight_bit(image), 8 if colour_type == 3 else bits, "PNG", alpha, remarks)
        image.load()  # Pillow checks the whole file; OpenCV, which keeps all 16 bits, returns half-read pictures
    pixels = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if pixels is None:
        raise ValueError("OpenCV cannot decode it")
    if pixels.ndim == 3:
        # OpenCV's order is blue, green, red(, alpha); grey with alpha comes as colour
        pixels = pixels[..., 2] if colour_type in (0, 4) else pixels[..., 2::-1]
    return Picture(np.ascontiguousarray(pixels), 16, "PNG", alpha, remarks)


def _decode_jpeg(data: bytes) -> Picture:
    with Image.open(io.BytesIO(data), formats=["JPEG"]) as image:
        refuse_if_too_large(*image.size)
        remarks = ("CMYK was converted to RGB.",) if image.mode == "CMYK" else ()
        upright = ImageOps.exif_transpose(image)
        return Picture(_eight_bit(upright), 8, "JPEG", remarks=remarks)


def _eight_bit(image: Image.Image) -> np.ndarray:
    """The uint8 pixels of a Pillow image: grey stays grey, the rest becomes RGB; alpha is left out."""
    if image.mode == "P" and "transparency" in image.info:
        image = image.convert("RGBA")
    mode = "L" if image.mode in ("1", "L", "LA", "La") else "RGB"
    return np.asarray(image.convert(mode))


def _decode_tiff(data: bytes) -> Picture:
    with tifffile.TiffFile(io.BytesIO(data)) as tiff:
        page = tiff.pages[0]
        if page.samplesperpixel > 4 or page.imagedepth > 1:
            raise PictureError(f"This TIFF has {page.samplesperpixel} channels. Up to four can be read.")
        refuse_if_too_large(page.imagewidth, page.imagelength)
        remarks = [f"The first of {len(tiff.pages)} pages is used."] if len(tiff.pages) > 1 else []
        if page.photometric == tifffile.PHOTOMETRIC.PALETTE:
            with Image.open(io.BytesIO(data), formats=["TIFF"]) as image:
                return Picture(_eight_bit(image), 8, "TIFF", remarks=tuple(remarks))
        pixels = page.asarray()
        separate = page.planarconfig == tifffile.PLANARCONFIG.SEPARATE
        inverted = page.photometric == tifffile.PHOTOMETRIC.MINISWHITE
        inks = page.photometric == tifffile.PHOTOMETRIC.SEPARATED
        bits = page.bitspersample
        alpha = page.samplesperpixel in (2, 4) and not inks
    if separate and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    if pixels.dtype == bool:
        pixels = pixels.astype(np.uint8) * 255
    if pixels.dtype.kind == "f":
        pixels = pixels.astype(np.float32)
    elif pixels.dtype not in (np.uint8, np.uint16):
        raise PictureError(
            f"This TIFF holds {bits}-bit {pixels.dtype.name} samples. 8 and 16 bit and float can be read."
        )
    if inverted and pixels.dtype.kind == "u":
        pixels = np.iinfo(pixels.dtype).max - pixels
    if inks and pixels.ndim == 3 and pixels.shape[2] == 4:
        full = np.float32(np.iinfo(pixels.dtype).max)
        pixels = ((full - pixels[..., :3]) * (full - pixels[..., 3:]) / full).round().astype(pixels.dtype)
        remarks.append("CMYK was converted to RGB.")
    if pixels.ndim == 3:
        pixels = pixels[..., 0] if pixels.shape[2] < 3 else pixels[..., :3]
    return Picture(np.ascontiguousarray(pixels), bits, "TIFF", alpha, tuple(remarks))


def _finite(picture: Picture) -> Picture:
    """The picture without not-a-number and infinite samples, which become the median of the others."""
    if not picture.is_float:
        return picture
    good = np.isfinite(picture.pixels)
    # beyond this float32 squares overflow; no height or light has such values
    good &= np.abs(picture.pixels, where=good, out=np.zeros_like(picture.pixels)) < 1e15
    bad = picture.pixels.size - np.count_nonzero(good)
    if not bad:
        return picture
    if bad == picture.pixels.size:
        raise PictureError("No sample of this picture is a finite number.")
    mended = np.where(good, picture.pixels, np.median(picture.pixels[good]))
    remark = f"{bad} samples were not finite numbers; they were given the median of the others."
    return Picture(mended, picture.bits, picture.format, picture.alpha, (*picture.remarks, remark))

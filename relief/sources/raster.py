"""PNG, JPEG, WebP and BMP, read by Pillow; PNG with 16 bits by libpng, which keeps them all."""

from __future__ import annotations

import io
from dataclasses import replace

import imagecodecs
import numpy as np
from PIL import Image, ImageCms

from relief.figures import say_number
from relief.sources.picture import Picture, refuse_if_too_large

Image.MAX_IMAGE_PIXELS = None  # the size is checked here, with a sentence of ours

ORIENTATION = 274
FIRST_OF_SEVERAL = "An animation: its first picture is used."


def decode_png(data: bytes) -> Picture:
    """ISO/IEC 15948, 1 to 16 bits, grey, colour or palette, with or without alpha."""
    bits, colour_type = data[24], data[25]
    with Image.open(io.BytesIO(data), formats=["PNG"]) as image:
        refuse_if_too_large(*image.size)
        remarks = (FIRST_OF_SEVERAL,) if getattr(image, "n_frames", 1) > 1 else ()
        transfer, linear = read_transfer(image.info)
        orientation = _orientation_of_png(data)
        if bits < 16:
            pixels, alpha = _eight_bit(image)
            bits = 8 if colour_type == 3 else bits
            picture = Picture(pixels, bits, "PNG", alpha, transfer=transfer, linear=linear, remarks=remarks)
            return turn_upright(picture, orientation)
    pixels, alpha = imagecodecs.png_decode(data), None
    if pixels.ndim == 3 and pixels.shape[2] in (2, 4):
        alpha = np.ascontiguousarray(pixels[..., -1])
        pixels = pixels[..., 0] if pixels.shape[2] == 2 else pixels[..., :3]
    pixels = np.ascontiguousarray(pixels)
    picture = Picture(pixels, 16, "PNG", alpha, transfer=transfer, linear=linear, remarks=remarks)
    return turn_upright(picture, orientation)


def decode_jpeg(data: bytes) -> Picture:
    """8 bits, CMYK converted."""
    with Image.open(io.BytesIO(data), formats=["JPEG", "MPO"]) as image:
        refuse_if_too_large(*image.size)
        remarks = ("CMYK was converted to RGB.",) if image.mode == "CMYK" else ()
        transfer, _ = read_transfer(image.info)
        pixels, _ = _eight_bit(image)
        return turn_upright(Picture(pixels, 8, "JPEG", transfer=transfer, remarks=remarks), _orientation(image))


def decode_webp(data: bytes) -> Picture:
    """8 bits, with or without alpha, still or animated."""
    return _decode_plain(data, "WEBP", "WebP")


def decode_bmp(data: bytes) -> Picture:
    """1 to 32 bits a pixel."""
    return _decode_plain(data, "BMP", "BMP")


def _decode_plain(data: bytes, form: str, name: str) -> Picture:
    with Image.open(io.BytesIO(data), formats=[form]) as image:
        refuse_if_too_large(*image.size)
        remarks = (FIRST_OF_SEVERAL,) if getattr(image, "n_frames", 1) > 1 else ()
        transfer, _ = read_transfer(image.info)
        pixels, alpha = _eight_bit(image)
        bits = 1 if image.mode == "1" else 8
        picture = Picture(pixels, bits, name, alpha, transfer=transfer, remarks=remarks)
        return turn_upright(picture, _orientation(image))


def _orientation(image: Image.Image) -> int:
    """How the camera was held, as EXIF numbers it; 1 where nothing is said."""
    return image.getexif().get(ORIENTATION, 1)


def _orientation_of_png(data: bytes) -> int:
    """As `_orientation`, from the file's own eXIf chunk: Pillow would decode all of the picture to look behind it."""
    place = 8
    while place + 8 <= len(data):
        length, kind = int.from_bytes(data[place : place + 4], "big"), data[place + 4 : place + 8]
        if kind == b"eXIf":
            exif = Image.Exif()
            exif.load(data[place + 8 : place + 8 + length])
            return exif.get(ORIENTATION, 1)
        place += length + 12
    return 1


def turn_upright(picture: Picture, orientation: int) -> Picture:
    """A picture turned and mirrored as its orientation asks (EXIF 2.32 and TIFF 6.0, tag 274)."""
    if orientation not in range(2, 9):
        return picture

    def upright(samples: np.ndarray) -> np.ndarray:
        if orientation >= 5:
            samples = np.swapaxes(samples, 0, 1)
        across, down = orientation in (2, 3, 6, 7), orientation in (3, 4, 7, 8)
        return np.ascontiguousarray(samples[:: -1 if down else 1, :: -1 if across else 1])

    alpha = None if picture.alpha is None else upright(picture.alpha)
    remarks = (*picture.remarks, "It was turned upright as its camera noted.")
    return replace(picture, pixels=upright(picture.pixels), alpha=alpha, remarks=remarks)


def _eight_bit(image: Image.Image) -> tuple[np.ndarray, np.ndarray | None]:
    """The uint8 pixels of a Pillow image and its alpha: grey stays grey, the rest becomes RGB."""
    if image.mode == "P" and "transparency" in image.info:
        image = image.convert("RGBA")
    alpha = np.asarray(image.getchannel("A")) if image.mode in ("LA", "RGBA") else None
    mode = "L" if image.mode in ("1", "L", "LA", "La") else "RGB"
    return np.asarray(image if image.mode == mode else image.convert(mode)), alpha


def read_transfer(info: dict) -> tuple[str, bool]:
    """What a file says of its transfer function, in words, and whether that means linear light."""
    if info.get("icc_profile"):
        return f"profile “{profile_name(info['icc_profile'])}”", False
    if "srgb" in info:
        return "tagged sRGB", False
    if info.get("gamma"):
        return f"gamma {say_number(info['gamma'], 4)}", abs(info["gamma"] - 1) < 0.01
    return "", False


def profile_name(profile: bytes) -> str:
    """The description inside an ICC profile."""
    try:
        return ImageCms.getProfileDescription(io.BytesIO(profile)).strip()[:60] or "unnamed"
    except (ImageCms.PyCMSError, OSError, TypeError):
        return "unreadable"

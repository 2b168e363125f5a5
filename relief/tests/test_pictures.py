"""Any picture is read with all its bits, and a bad one is refused with a sentence and without memory being taken."""

import io
import struct
import tempfile
import zlib
from pathlib import Path
from unittest import TestCase

import cv2
import numpy as np
import OpenEXR
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageCms, ImageOps

from relief.errors import PictureError
from relief.sources.colour import grey_of_data, grey_of_photo
from relief.sources.decode import decode
from relief.sources.facts import facts, seam_ratios

STARTS = (
    b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"II*\0", b"MM\0*", b"RIFF\0\0\0\0WEBP", b"BM\0\0\0\0\0\0\0\0",
    b"v/1\x01", b"#?RADIANCE\n",
)  # fmt: skip
"""How files of the known kinds begin."""

RAMP = np.arange(48, dtype=np.uint8).reshape(6, 8) * 5


def encoded(image: Image.Image, kind: str, **options) -> bytes:
    data = io.BytesIO()
    image.save(data, kind, **options)
    return data.getvalue()


def tiff(samples: np.ndarray, **options) -> bytes:
    data = io.BytesIO()
    tifffile.imwrite(data, samples, **options)
    return data.getvalue()


def exr(channels: dict[str, np.ndarray]) -> bytes:
    """An OpenEXR picture with channels by these names."""
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "x.exr")
        OpenEXR.File(header, channels).write(str(path))
        return path.read_bytes()


def png(bits: int, colour_type: int, rows: list[bytes], columns: int, height: int | None = None) -> bytes:
    """A PNG written by hand (ISO/IEC 15948), for the kinds that Pillow does not write."""

    def chunk(name: bytes, content: bytes) -> bytes:
        return struct.pack(">I", len(content)) + name + content + struct.pack(">I", zlib.crc32(name + content))

    header = struct.pack(">IIBBBBB", columns, height or len(rows), bits, colour_type, 0, 0, 0)
    content = zlib.compress(b"".join(b"\0" + row for row in rows))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", content) + chunk(b"IEND", b"")


class ReadingTests(TestCase):
    def test_eight_bit_grey_and_colour(self):
        np.testing.assert_array_equal(decode(encoded(Image.fromarray(RAMP), "PNG")).pixels, RAMP)
        colour = np.dstack([RAMP, RAMP[::-1], RAMP[:, ::-1]])
        np.testing.assert_array_equal(decode(encoded(Image.fromarray(colour), "PNG")).pixels, colour)
        np.testing.assert_array_equal(decode(tiff(colour, photometric="rgb")).pixels, colour)

    def test_sixteen_bit_grey_and_colour_keep_every_level(self):
        deep = RAMP.astype(np.uint16) * 257 + 3
        self.assertEqual(decode(encoded(Image.fromarray(deep), "PNG")).bits, 16)
        np.testing.assert_array_equal(decode(encoded(Image.fromarray(deep), "PNG")).pixels, deep)
        colour = np.dstack([deep, deep + 1, deep + 2])
        rows = [row.astype(">u2").tobytes() for row in colour]
        np.testing.assert_array_equal(decode(png(16, 2, rows, 8)).pixels, colour)
        np.testing.assert_array_equal(decode(tiff(deep)).pixels, deep)

    def test_alpha_is_kept_aside(self):
        deep = RAMP.astype(np.uint16) * 257
        grey_alpha = np.dstack([deep, np.full_like(deep, 40000)])
        picture = decode(png(16, 4, [row.astype(">u2").tobytes() for row in grey_alpha], 8))
        np.testing.assert_array_equal(picture.alpha, grey_alpha[..., 1])
        np.testing.assert_array_equal(picture.pixels, deep)
        rgba = Image.fromarray(np.dstack([RAMP] * 3 + [RAMP // 2]), "RGBA")
        for kind in ("PNG", "WebP"):
            picture = decode(encoded(rgba, kind, **({"lossless": True, "exact": True} if kind == "WebP" else {})))
            np.testing.assert_array_equal(picture.pixels, np.dstack([RAMP] * 3))
            np.testing.assert_array_equal(picture.alpha, RAMP // 2)

    def test_palette_one_bit_animated_and_cmyk_pictures(self):
        palette = Image.fromarray(np.dstack([RAMP] * 3)).convert("P")
        self.assertEqual(decode(encoded(palette, "PNG")).pixels.shape, (6, 8, 3))
        bits = Image.fromarray(RAMP > 100)
        self.assertEqual(set(np.unique(decode(encoded(bits, "PNG")).pixels)), {0, 255})
        frames = [Image.fromarray(RAMP), Image.fromarray(255 - RAMP)]
        animated = decode(encoded(frames[0], "PNG", save_all=True, append_images=frames[1:]))
        self.assertIn("animation", animated.remarks[0])
        np.testing.assert_array_equal(animated.pixels, RAMP)
        cmyk = decode(encoded(Image.fromarray(np.dstack([RAMP] * 3)).convert("CMYK"), "JPEG"))
        self.assertEqual(cmyk.pixels.shape, (6, 8, 3))
        self.assertIn("CMYK", cmyk.remarks[0])

    def test_a_turned_photo_stands_upright(self):
        """EXIF 2.32, tag 274, all eight ways of holding a camera, against Pillow's `ImageOps.exif_transpose`."""
        colours = np.arange(5 * 7 * 3, dtype=np.uint8).reshape(5, 7, 3) * 2
        kinds = {
            "PNG": Image.fromarray(colours), "WEBP": Image.fromarray(colours), "TIFF": Image.fromarray(colours),
            "PNG with 16 bits": Image.fromarray(np.arange(35, dtype=np.uint16).reshape(5, 7) * 1000),
            "TIFF with a palette": Image.fromarray(colours).quantize(16),
        }  # fmt: skip
        for orientation in range(1, 9):
            exif = Image.Exif()
            exif[0x0112] = orientation
            for kind, image in kinds.items():
                options = {"lossless": True} if kind == "WEBP" else {}
                picture = decode(encoded(image, kind.split()[0], exif=exif, **options))
                plain = image.convert("RGB") if image.mode == "P" else image
                plain.getexif()[0x0112] = orientation
                np.testing.assert_array_equal(picture.pixels, np.asarray(ImageOps.exif_transpose(plain)), kind)
                self.assertEqual(len(picture.remarks), orientation > 1)
        exif = Image.Exif()
        exif[0x0112] = 6
        self.assertEqual(decode(encoded(Image.fromarray(RAMP), "JPEG", exif=exif)).pixels.shape, (8, 6))

    def test_floating_point_colours_are_linear_light(self):
        """A float TIFF of colours is measured or rendered light (common practice, no source): no curve is removed."""
        light = np.random.default_rng(1).random((4, 5, 3), np.float32)
        file = io.BytesIO()
        tifffile.imwrite(file, light)
        picture = decode(file.getvalue(), "light.tif")
        self.assertTrue(picture.linear)
        expected = light @ np.float32([0.2126, 0.7152, 0.0722])  # ITU-R BT.709
        np.testing.assert_allclose(grey_of_photo(picture, "luminance"), expected, atol=1e-6)

    def test_float_tiff_keeps_its_values_and_loses_what_is_no_number(self):
        heights = np.linspace(-2, 700, 48, dtype=np.float32).reshape(6, 8)
        np.testing.assert_array_equal(decode(tiff(heights)).pixels, heights)
        heights[1, 2], heights[3, 3], heights[0, 0] = np.nan, np.inf, -np.inf
        picture = decode(tiff(heights))
        self.assertTrue(np.isfinite(picture.pixels).all())
        self.assertIn("3 samples were not finite", picture.remarks[0])
        self.assertEqual(picture.pixels[5, 7], heights[5, 7])

    def test_several_pages_white_is_zero_and_packed_tiffs(self):
        with_pages = decode(tiff(np.stack([RAMP, RAMP]), photometric="minisblack", metadata=None))
        self.assertIn("first of 2 pages", with_pages.remarks[0])
        np.testing.assert_array_equal(decode(tiff(RAMP, photometric="miniswhite")).pixels, 255 - RAMP)
        for packing in ("lzw", "deflate"):
            np.testing.assert_array_equal(decode(tiff(RAMP, compression=packing)).pixels, RAMP)

    def test_thirty_two_bit_whole_numbers_and_numbers_with_a_sign(self):
        deep = RAMP.astype(np.uint32) * 17_000_000
        picture = decode(tiff(deep))
        np.testing.assert_array_equal(picture.pixels, deep)
        np.testing.assert_allclose(grey_of_data(picture), deep / (2**32 - 1), atol=1e-7)
        measured = decode(tiff(RAMP.astype(np.int16) - 100))
        np.testing.assert_array_equal(measured.pixels, RAMP.astype(float) - 100)
        self.assertIn("have a sign", measured.remarks[0])

    def test_tiled_tiffs(self):
        tall = np.random.default_rng(0).integers(0, 65535, (70, 90), np.uint16)
        np.testing.assert_array_equal(decode(tiff(tall, tile=(32, 32), compression="deflate")).pixels, tall)

    def test_bmp_and_webp(self):
        colour = np.dstack([RAMP, 255 - RAMP, RAMP // 3])
        np.testing.assert_array_equal(decode(encoded(Image.fromarray(colour), "BMP")).pixels, colour)
        webp = decode(encoded(Image.fromarray(colour), "WebP", lossless=True))
        np.testing.assert_array_equal(webp.pixels, colour)
        frames = [Image.fromarray(colour), Image.fromarray(255 - colour)]
        moving = decode(encoded(frames[0], "WebP", save_all=True, append_images=frames[1:], lossless=True))
        self.assertIn("animation", moving.remarks[0])

    def test_open_exr_with_channels_of_any_name(self):
        heights = np.linspace(-3, 9, 48, dtype=np.float32).reshape(6, 8)
        names = {"R": heights, "G": heights + 1, "B": heights + 2, "A": heights / 9, "dust": heights * 4}
        picture = decode(exr(names))
        self.assertEqual(picture.channels, ("red", "green", "blue", "alpha", "dust"))
        self.assertTrue(picture.linear)
        np.testing.assert_array_equal(picture.pixels, np.dstack([heights, heights + 1, heights + 2]))
        np.testing.assert_array_equal(grey_of_data(picture, "dust"), heights * 4)
        half = decode(exr({"Z": heights.astype(np.float16)}))
        self.assertEqual((half.bits, half.channels), (16, ("grey",)))
        np.testing.assert_array_equal(half.pixels, heights.astype(np.float16))
        with self.assertRaisesRegex(PictureError, "no channel “mud”. It has red, green"):
            grey_of_data(picture, "mud")

    def test_radiance_hdr_is_linear_and_right_to_its_shared_exponent(self):
        """Against OpenCV's writer; the format keeps eight bits of the largest channel."""
        light = np.random.default_rng(0).random((12, 16, 3), np.float32) * 5
        picture = decode(cv2.imencode(".hdr", light[..., ::-1])[1].tobytes())
        self.assertTrue(picture.linear)
        self.assertLess((np.abs(picture.pixels - light) / light.max(axis=2, keepdims=True)).max(), 1 / 120)

    def test_headerless_squares_only_when_the_name_asks(self):
        square = np.arange(64, dtype="<u2").reshape(8, 8) * 1000
        np.testing.assert_array_equal(decode(square.tobytes(), "dunes.R16").pixels, square)
        for data, name in ((square.tobytes(), "dunes.dat"), (square.tobytes()[:-2], "dunes.r16"), (b"x", "x.r16")):
            with self.assertRaises(PictureError):
                decode(data, name)

    def test_what_a_file_says_of_its_transfer(self):
        profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        for kind in ("PNG", "JPEG", "WebP", "TIFF"):
            said = decode(encoded(Image.fromarray(np.dstack([RAMP] * 3)), kind, icc_profile=profile)).transfer
            self.assertIn("sRGB", said, kind)
        self.assertEqual(decode(encoded(Image.fromarray(RAMP), "PNG")).transfer, "")
        plain = encoded(Image.fromarray(RAMP), "PNG")
        gamma = struct.pack(">I", 4) + b"gAMA" + struct.pack(">I", 100_000)
        gamma += struct.pack(">I", zlib.crc32(gamma[4:]))
        tagged = decode(plain[:33] + gamma + plain[33:])
        self.assertEqual((tagged.transfer, tagged.linear), ("gamma 1", True))

    def test_one_pixel_and_constant_pictures(self):
        for pixels in (np.zeros((1, 1), np.uint8), np.full((5, 7), 77, np.uint8)):
            measured = facts(decode(encoded(Image.fromarray(pixels), "PNG")), "x.png")
            self.assertEqual((measured.seam_across, measured.seam_down), (1, 1))


class RefusalTests(TestCase):
    def refused(self, data: bytes) -> str:
        with self.assertRaises(PictureError) as caught:
            decode(data)
        return str(caught.exception)

    def test_empty_and_unknown_files(self):
        self.assertIn("empty", self.refused(b""))
        self.assertIn("PNG, JPEG, TIFF", self.refused(b"%PDF-1.7 not a picture at all"))

    def test_truncated_files_of_every_kind(self):
        noise = np.random.default_rng(1).integers(0, 255, (64, 64, 3), np.uint8)
        for data in (
            encoded(Image.fromarray(noise), "PNG"),
            encoded(Image.fromarray(noise), "JPEG"),
            tiff(noise, photometric="rgb"),
            png(16, 2, [row.astype(">u2").tobytes() for row in noise.astype(np.uint16)], 64),
            encoded(Image.fromarray(noise), "WebP", lossless=True),
            encoded(Image.fromarray(noise), "BMP"),
            exr({"Y": noise[..., 0].astype(np.float32)}),
            cv2.imencode(".hdr", noise.astype(np.float32))[1].tobytes(),
        ):
            self.assertIn("broken or incomplete", self.refused(data[: len(data) // 2]))
            self.refused(data[:40])

    def test_huge_pictures_in_a_few_kilobytes_are_refused_before_they_are_decoded(self):
        self.assertIn("60000 x 60000", self.refused(png(8, 0, [b""], 60000, height=60000)))
        jpeg = bytearray(encoded(Image.fromarray(RAMP), "JPEG"))
        frame = jpeg.index(b"\xff\xc0")  # start of frame: length, precision, height, width
        jpeg[frame + 5 : frame + 9] = struct.pack(">HH", 60000, 60000)
        self.assertIn("60000 x 60000", self.refused(bytes(jpeg)))
        small = tiff(np.zeros((1, 1), np.uint8))
        with tifffile.TiffFile(io.BytesIO(small)) as file:
            tags = file.pages[0].tags
            places = [(tags[name].offset + 8, tags[name].dtype) for name in ("ImageWidth", "ImageLength")]
        forged = bytearray(small)
        for place, kind in places:
            forged[place : place + 4] = struct.pack("<H", 60000) + b"\0\0" if kind == 3 else struct.pack("<I", 60000)
        self.assertIn("60000 x 60000", self.refused(bytes(forged)))
        bmp = bytearray(encoded(Image.fromarray(RAMP), "BMP"))
        bmp[18:26] = struct.pack("<ii", 60000, 60000)
        self.assertIn("60000 x 60000", self.refused(bytes(bmp)))
        flat = cv2.imencode(".hdr", np.ones((8, 8, 3), np.float32))[1].tobytes()
        self.assertIn("60000 x 60000", self.refused(flat.replace(b"-Y 8 +X 8", b"-Y 60000 +X 60000")))
        small_exr = exr({"Y": np.ones((8, 8), np.float32)})
        window = small_exr.index(b"dataWindow\0box2i\0") + 21
        forged = bytearray(small_exr)
        forged[window + 8 : window + 16] = struct.pack("<ii", 59_999, 59_999)
        self.assertIn("60000 x 60000", self.refused(bytes(forged)))

    def test_all_not_a_number(self):
        self.assertIn("finite", self.refused(tiff(np.full((3, 3), np.nan, np.float32))))

    @settings(max_examples=60)
    @given(st.binary(max_size=300), st.sampled_from(STARTS))
    def test_no_bytes_do_more_than_be_refused(self, rest, start):
        try:
            decode(start + rest)
        except PictureError as problem:
            self.assertRegex(str(problem), r"^[A-Z].*\.$")


class FactsTests(TestCase):
    def test_what_a_picture_is_taken_for(self):
        grey8, deep = Image.fromarray(RAMP), Image.fromarray(RAMP.astype(np.uint16) * 200)
        colour = Image.fromarray(np.dstack([RAMP, RAMP, RAMP[::-1]]))
        for name, data, expected in (
            ("wall.png", encoded(grey8, "PNG"), "photo"),
            ("wall_height.png", encoded(grey8, "PNG"), "height"),
            ("wall-disp-2k.png", encoded(grey8, "PNG"), "height"),
            ("heightened.png", encoded(grey8, "PNG"), "photo"),
            ("scan.png", encoded(deep, "PNG"), "height"),
            ("scan.tif", tiff(RAMP.astype(np.float32)), "height"),
            ("beach.jpg", encoded(colour, "JPEG"), "photo"),
        ):
            guess = facts(decode(data), name).guess
            self.assertEqual(guess.reading, expected, name)
            self.assertTrue(guess.reason)

    def test_seam_ratio_is_one_for_what_tiles_and_large_for_a_ramp(self):
        place = np.arange(64) / 64 * 2 * np.pi
        tiling = np.tile(np.sin(place), (64, 1)) + np.sin(place)[:, None]
        across, down = seam_ratios(tiling)
        self.assertAlmostEqual(across, 1, delta=0.6)
        self.assertAlmostEqual(down, 1, delta=0.6)
        across, down = seam_ratios(np.tile(np.linspace(0, 1, 64), (64, 1)))
        self.assertAlmostEqual(across, 63, delta=0.01)
        self.assertEqual(down, 1)

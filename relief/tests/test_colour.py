"""Colour becomes grey by the published transfer and weights; data is read through none."""

from unittest import TestCase

import numpy as np
import skimage.color
import skimage.data

from relief.sources.colour import (
    display,
    full_scale,
    grey_of_data,
    grey_of_photo,
    linear_from_srgb,
    luminance,
    shrink_to_scale,
    srgb_from_linear,
)
from relief.sources.picture import Picture


def held(pixels: np.ndarray, **about) -> Picture:
    """Pixels as a picture that came in."""
    return Picture(pixels, pixels.dtype.itemsize * 8, "PNG", **about)


class TransferTests(TestCase):
    def test_values_of_the_standard(self):
        """IEC 61966-2-1, figures as in the design's list of checks."""
        np.testing.assert_allclose(linear_from_srgb(np.array([0, 0.5, 1])), [0, 0.21404, 1], atol=1e-5)
        np.testing.assert_allclose(linear_from_srgb(np.array(128 / 255)), 0.21586, atol=1e-5)
        np.testing.assert_allclose(srgb_from_linear(np.array([0, 0.5, 1])), [0, 0.73536, 1], atol=1e-5)

    def test_there_and_back(self):
        encoded = np.linspace(0, 1, 1001)
        np.testing.assert_allclose(srgb_from_linear(linear_from_srgb(encoded)), encoded, atol=1e-5)


class GreyTests(TestCase):
    def test_luminance_is_the_y_of_xyz(self):
        """scikit-image `color.rgb2xyz`; its matrix differs from ITU-R BT.709 in the fifth place."""
        photo = skimage.data.astronaut()[::8, ::8]
        expected = skimage.color.rgb2xyz(photo)[..., 1]
        np.testing.assert_allclose(grey_of_photo(held(photo), "luminance"), expected, atol=2e-4)

    def test_luminance_of_the_primaries(self):
        """ITU-R BT.709 weights."""
        primaries = np.eye(3, dtype=np.uint8)[None] * 255
        np.testing.assert_allclose(grey_of_photo(held(primaries), "luminance")[0], [0.2126, 0.7152, 0.0722], atol=1e-6)

    def test_luma_is_the_y_of_yiq(self):
        """scikit-image `color.rgb2yiq`, whose first row are the weights of ITU-R BT.601."""
        photo = skimage.data.astronaut()[::8, ::8]
        np.testing.assert_allclose(grey_of_photo(held(photo), "luma"), skimage.color.rgb2yiq(photo)[..., 0], atol=1e-6)

    def test_one_channel_is_taken_as_it_is(self):
        photo = skimage.data.astronaut()[::8, ::8]
        for number, name in enumerate(("red", "green", "blue")):
            np.testing.assert_allclose(grey_of_photo(held(photo), name), photo[..., number] / 255, atol=1e-7)

    def test_sixteen_bits_are_not_lost(self):
        shades = np.array([[0, 1, 32767, 65535]], np.uint16)
        np.testing.assert_allclose(grey_of_data(held(shades))[0] * 65535, [0, 1, 32767, 65535], atol=0.01)
        self.assertLess(grey_of_photo(held(shades), "luminance")[0, 1], grey_of_photo(held(shades), "luminance")[0, 2])

    def test_data_passes_no_transfer(self):
        np.testing.assert_allclose(grey_of_data(held(np.array([[128]], np.uint8))), 128 / 255, atol=1e-7)
        floats = np.array([[-3.5, 700.25]], np.float32)
        np.testing.assert_array_equal(full_scale(floats), floats)

    def test_lightness_is_the_l_of_lab(self):
        """scikit-image `color.rgb2lab`."""
        photo = skimage.data.astronaut()[::8, ::8]
        expected = skimage.color.rgb2lab(photo)[..., 0] / 100
        np.testing.assert_allclose(grey_of_photo(held(photo), "lightness"), expected, atol=1e-3)

    def test_largest_smallest_and_likeness_to_a_hue(self):
        """Hues as in scikit-image `color.rgb2hsv`: pure colours of a hue are likest to it, their complements least."""
        photo = skimage.data.astronaut()[::8, ::8]
        np.testing.assert_allclose(grey_of_photo(held(photo), "lightest"), photo.max(axis=2) / 255, atol=1e-7)
        np.testing.assert_allclose(grey_of_photo(held(photo), "darkest"), photo.min(axis=2) / 255, atol=1e-7)
        hues = np.arange(0, 360, 60)
        pure = skimage.color.hsv2rgb(np.dstack([hues / 360, np.ones(6), np.ones(6)])).astype(np.float32)
        for number, hue in enumerate(hues):
            likeness = grey_of_photo(held(pure), "hue", hue)[0]
            self.assertEqual((likeness.argmax(), likeness.argmin()), (number, (number + 3) % 6))
        grey = np.full((1, 1, 3), 0.4, np.float32)
        np.testing.assert_allclose(grey_of_photo(held(grey), "hue", 77), 0.5, atol=1e-6)

    def test_the_transfer_can_be_overruled_both_ways(self):
        half = held(np.full((1, 1), 128, np.uint8))
        self.assertAlmostEqual(float(grey_of_data(half, transfer="srgb")[0, 0]), 0.21586, places=5)
        self.assertAlmostEqual(float(grey_of_photo(half, "luminance", transfer="none")[0, 0]), 128 / 255, places=5)

    def test_linear_light_is_not_decoded_again_but_shown_encoded(self):
        light = held(np.full((1, 1, 3), 0.21404, np.float32), linear=True)
        self.assertAlmostEqual(float(grey_of_photo(light, "luminance")[0, 0]), 0.21404, places=4)
        self.assertAlmostEqual(float(grey_of_photo(light, "luma")[0, 0]), 0.5, places=4)
        np.testing.assert_allclose(display(light), 0.5, atol=1e-4)


class LuminanceTests(TestCase):
    def test_tables_say_what_scikit_image_says(self):
        """scikit-image `color.rgb2xyz`: Y of sRGB colours (IEC 61966-2-1, ITU-R BT.709), within its rounded matrix."""
        for dtype in (np.uint8, np.uint16):
            pixels = np.random.default_rng(1).integers(0, np.iinfo(dtype).max, (37, 53, 3), dtype, endpoint=True)
            expected = skimage.color.rgb2xyz(pixels / np.iinfo(dtype).max)[..., 1]
            np.testing.assert_allclose(luminance(pixels, encoded=True), expected, atol=2e-4)
            linear = (pixels / np.iinfo(dtype).max) @ (0.2126, 0.7152, 0.0722)
            np.testing.assert_allclose(luminance(pixels, encoded=False), linear, atol=1e-6)

    def test_data_is_not_rounded_when_it_is_shrunk(self):
        levels = np.random.default_rng(2).integers(0, 255, (30, 40), np.uint8)
        expected = levels.reshape(15, 2, 20, 2).mean(axis=(1, 3)) / 255
        np.testing.assert_allclose(shrink_to_scale(levels, 20), expected, atol=1e-6)
        np.testing.assert_array_equal(shrink_to_scale(levels, None), levels.astype(np.float32) / np.float32(255))

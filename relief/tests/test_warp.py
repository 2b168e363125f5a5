"""Samples between texels: a turn or a perspective must not ripple what is smooth."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
import scipy.ndimage

from relief.filters.warp import perspective, warp
from relief.maps.slopes import slopes
from relief.tests.height_fields import centres, field, rough
from relief.treat.straighten import Straighten
from relief.treat.turn import Turn


class WarpTests(TestCase):
    def test_quadratics_come_through_exactly(self):
        """Keys 1981: cubic convolution with a = -1/2 is exact on quadratics."""

        def quadratic(x, y):
            return 0.1 + 0.01 * x + 0.002 * y + 0.0003 * x * x - 0.0002 * x * y + 0.0001 * y * y

        samples = quadratic(*np.meshgrid(np.arange(60.0), np.arange(50.0)))
        matrix = np.array([[0.9, 0.2137, 5.3], [-0.1, 0.95, 8.7], [0.001, 0.0007, 1]])
        column, row = np.meshgrid(np.arange(40.0), np.arange(30.0))
        x, y, far = np.tensordot(matrix, np.stack([column, row, np.ones_like(row)]), 1)
        out = warp(samples, matrix, 30, 40)
        np.testing.assert_allclose(out, quadratic(x / far, y / far), atol=1e-6)

    def test_channels_are_taken_alike_and_the_border_goes_on(self):
        picture = np.random.default_rng(1).random((9, 13, 3), np.float32)
        matrix = np.array([[1.1, 0.1, -4], [0, 1.2, -3.3], [0, 0, 1]])
        whole = warp(picture, matrix, 12, 17)
        for channel in range(3):
            np.testing.assert_array_equal(whole[..., channel], warp(picture[..., channel], matrix, 12, 17))
        np.testing.assert_allclose(whole[0, 0], 1.5 * picture[0, 0] - 0.5 * picture[0, 1], atol=0.8)
        still = warp(picture, np.eye(3), 9, 13)
        np.testing.assert_allclose(still, picture, atol=1e-6)

    def test_a_perspective_leads_corners_to_corners(self):
        corners = np.array([(3.5, 2.0), (31_990.25, 9.0), (30_000.0, 20_000.5), (-5.0, 21_000.0)])
        square = np.array([(0, 0), (800, 0), (800, 600), (0, 600)]) - 0.5
        led = np.column_stack([square, np.ones(4)]) @ perspective(square, corners).T
        np.testing.assert_allclose(led[:, :2] / led[:, 2:], corners, atol=1e-7)


class MovedReliefTests(TestCase):
    def test_a_turned_ramp_has_one_normal(self):
        ramp = field(np.tile(centres(400), (300, 1)), 300, 300)  # texels wider than high
        for angle in (-12, 3.3, 41):
            found = slopes(Turn(angle=angle).treat(ramp), 300)
            right, up = math.cos(math.radians(angle)), math.sin(math.radians(angle))
            apart = np.degrees(np.abs(np.arctan(found) - np.arctan([right, up])))
            self.assertLess(apart.max(), 0.05, angle)

    def test_a_straightened_slope_is_smooth(self):
        """The height of a plane seen in perspective, against the projective map in closed form."""
        rows, columns = 201, 299
        plane = field(np.add.outer(0.4 * centres(rows), 0.6 * centres(columns)), 300, 200)
        corners = ((0.1, 0.05), (0.95, 0.12), (0.88, 0.97), (0.02, 0.9))
        out = Straighten(corners=corners).treat(plane).samples
        square = np.array([(0, 0), (1, 0), (1, 1), (0, 1)])
        x, y = np.meshgrid(centres(out.shape[1]), centres(out.shape[0]))
        u, v, far = np.tensordot(perspective(square, np.array(corners)), np.stack([x, y, np.ones_like(x)]), 1)
        np.testing.assert_allclose(out, 0.6 * u / far + 0.4 * v / far, atol=2e-6)

    def test_a_turn_agrees_with_scipy(self):
        """scipy.ndimage.affine_transform by cubic splines, on a field so smooth that both agree inside."""
        smooth = scipy.ndimage.gaussian_filter(rough(120, 160, seed=5), 4)
        turned = Turn(angle=7).treat(field(smooth, 160, 120))
        out = turned.samples
        texel = np.array([turned.footprint.height, turned.footprint.width]) / out.shape  # they were 1 mm
        cosine, sine = math.cos(math.radians(7)), math.sin(math.radians(7))
        matrix = np.array([[cosine, sine], [-sine, cosine]]) * texel
        middle, new_middle = (np.array(shape) / 2 - 0.5 for shape in (smooth.shape, out.shape))
        expected = scipy.ndimage.affine_transform(
            smooth, matrix, middle - matrix @ new_middle, out.shape, order=3, mode="nearest"
        )
        np.testing.assert_allclose(out[4:-4, 4:-4], expected[4:-4, 4:-4], atol=2e-4)

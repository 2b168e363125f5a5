"""Strokes, marks and imprints: the same on every tile, over every edge, and however the texels are shaped."""

from __future__ import annotations

import math
from itertools import pairwise
from unittest import TestCase

import numpy as np

from relief.compose.imprints import Imprints, stamp
from relief.compose.pressing import Press, press_stamp
from relief.compose.strokes import Stroke, draw_strokes
from relief.filters.brush import boxes_around
from relief.generate.generator import Grid
from relief.height import Edges, Footprint, HeightField
from relief.tests.height_fields import CLAMP, WRAP, centres, field, rough
from relief.treat.heal import Mark, paint


def far_from(line: np.ndarray, width: float, height: float, rows: int, columns: int, images: int) -> np.ndarray:
    """Distance of every texel to a line of points in mm, by brute force over the tile's images on each side."""
    y, x = np.meshgrid(centres(rows) * height, centres(columns) * width, indexing="ij")
    far = np.full((rows, columns), np.inf)
    for right in range(-images, images + 1):
        for down in range(-images, images + 1):
            for (ax, ay), (bx, by) in pairwise(line):
                ax_, ay_, dx, dy = ax + right * width, ay + down * height, bx - ax, by - ay
                along = np.clip(((x - ax_) * dx + (y - ay_) * dy) / (dx * dx + dy * dy), 0, 1)
                far = np.minimum(far, np.hypot(x - ax_ - along * dx, y - ay_ - along * dy))
    return far


class StrokeTilingTests(TestCase):
    def test_a_stroke_as_long_as_the_tile_leaves_no_step_at_the_edge(self):
        flat = field(np.zeros((200, 200)), 200, edges=WRAP)
        out = draw_strokes(
            flat, (Stroke(work="raise", points=((0.02, 0.1, 1), (0.98, 0.9, 1)), radius=15, strength=1),)
        )
        for along in (out, out.T):
            self.assertLessEqual(np.abs(along[:, 0] - along[:, -1]).max(), np.abs(np.diff(along, axis=1)).max())

    def test_strokes_are_what_brute_force_over_nine_tiles_says(self):
        """On texels of 2 mm x 1.25 mm, edges wrapped or not, radii up to more than the tile."""
        points = np.array([(0.02, 0.1), (0.6, 0.35), (0.98, 0.9)])
        for wraps, radius in ((True, 15), (True, 70), (True, 400), (False, 15), (False, 70)):
            here = field(np.zeros((80, 90)), 180, 100, WRAP if wraps else CLAMP)
            stroke = Stroke(
                work="raise", points=[(x, y, 1) for x, y in points], radius=radius, falloff=0.8, strength=0.7
            )
            far = far_from(points * (180, 100), 180, 100, 80, 90, 1 if wraps else 0)
            part = np.clip((1 - far / radius) / 0.8, 0, 1)
            expected = 0.7 * part * part * (3 - 2 * part)
            np.testing.assert_allclose(draw_strokes(here, (stroke,)), expected, atol=1e-5)

    def test_a_stroke_costs_what_it_covers(self):
        """Counted in texels that are looked at: a piece of the line asks for the box around it, not for the window."""
        here = field(np.zeros((1000, 1000)), 1000)
        line = np.array([(100 + 800 * part, 100 + 800 * part) for part in np.linspace(0, 1, 81)])
        first_rows, last_rows, first_columns, last_columns = boxes_around(here, line[:-1], line[1:], 10).T
        self.assertLess(((last_rows - first_rows) * (last_columns - first_columns)).sum(), 81 * 32 * 32)

    def test_smoothing_works_over_the_edge_as_it_does_inside(self):
        relief = rough(96, 120, seed=2)
        shifted = np.roll(relief, (48, 60), (0, 1))
        kinds = {"points": ((0.5, 0.5, 1), (0.55, 0.6, 0.5)), "work": "smooth", "radius": 18, "strength": 1}
        inside = draw_strokes(field(relief, 120, 96, WRAP), (Stroke(**kinds),))
        kinds["points"] = tuple((x - 0.5, y - 0.5, pressure) for x, y, pressure in kinds["points"])
        over = draw_strokes(field(shifted, 120, 96, WRAP), (Stroke(**kinds),))
        np.testing.assert_allclose(np.roll(over, (-48, -60), (0, 1)), inside, atol=1e-5)

    def test_a_level_is_that_of_the_place_and_not_of_one_grain(self):
        grain = np.random.default_rng(5).normal(0, 0.1, (200, 200))
        here = field(0.5 + grain, 400, edges=WRAP)
        stroke = Stroke(work="level", points=((0.3, 0.5, 1), (0.7, 0.5, 1)), radius=40, falloff=0.1, strength=1)
        self.assertAlmostEqual(float(draw_strokes(here, (stroke,))[100, 100]), 0.5, delta=0.015)


class MarkTests(TestCase):
    def test_a_mark_is_round_on_texels_of_every_shape(self):
        for rows, columns in ((200, 100), (100, 200), (130, 90)):
            here = field(np.zeros((rows, columns)), 100, 100)
            cover = paint(here, (Mark(points=((0.45, 0.55),), radius=20),))
            self.assertAlmostEqual(cover.mean() * 100 * 100, math.pi * 20**2, delta=25)
            down, across = np.nonzero(cover)
            self.assertAlmostEqual((np.ptp(across) + 1) / columns, 0.4, delta=0.02)
            self.assertAlmostEqual((np.ptp(down) + 1) / rows, 0.4, delta=0.02)

    def test_a_soft_mark_runs_out_about_its_radius(self):
        here = field(np.zeros((200, 200)), 200)
        soft = paint(here, (Mark(points=((0.5, 0.5),), radius=50),), 0.5)
        self.assertAlmostEqual(float(soft[99:101, 149:151].mean()), 0.5, delta=0.05)
        self.assertEqual((soft[100, 136], soft[100, 164]), (1, 0))

    def test_the_smallest_brush_marks_something(self):
        here = field(np.zeros((50, 50)), 500)
        self.assertGreater(paint(here, (Mark(points=((0.501, 0.499),), radius=0.01),)).sum(), 0)


class ImprintTilingTests(TestCase):
    grid = Grid(257, 200, Footprint(width=200, height=200))

    def plate(self, size: float) -> HeightField:
        footprint = Footprint(width=size, height=size)
        even = np.ones((40, 40), np.float32)
        return HeightField(even, footprint, Edges(), even)

    def test_an_imprint_as_large_as_the_tile_covers_it(self):
        for size, turn in ((199, 0), (150, 0.5), (120, 0.8)):
            for x, y in ((0.5, 0.5), (0.93, 0.08)):
                _, cover = press_stamp(self.plate(size), [Press(x, y, turn, 1)], self.grid, (True, True))
                self.assertAlmostEqual(cover.mean(), size * size / 200**2, delta=0.012)
        _, cover = press_stamp(self.plate(500), [Press(0.3, 0.3, 0.4, 1)], self.grid, (True, True))
        self.assertGreater(cover.min(), 1 - 1e-5)

    def test_it_lies_alike_wherever_the_edge_runs(self):
        small = stamp(Imprints(shape="rosette", size=170, fade=12), None)
        inside, _ = press_stamp(small, [Press(0.5, 0.5, 0.3, 1)], self.grid, (True, True))
        over, _ = press_stamp(small, [Press(0.5 + 60 / 200, 0.5 - 100 / 257, 0.3, 1)], self.grid, (True, True))
        np.testing.assert_allclose(np.roll(over, (100, -60), (0, 1)), inside, atol=1e-4)

    def test_a_turn_runs_to_the_left_as_everywhere(self):
        """A bar that points right points up after a quarter to the left."""
        bar = np.zeros((41, 41), np.float32)
        bar[18:23, 20:] = 1
        small = HeightField(bar, Footprint(width=100, height=100), Edges(), np.ones_like(bar))
        turned, _ = press_stamp(small, [Press(0.5, 0.5, math.radians(90), 1)], self.grid, (True, True))
        rows, columns = np.nonzero(turned > 0.5)
        self.assertAlmostEqual(columns.mean() / 200, 0.5, delta=0.01)
        self.assertLess(rows.mean() / 257, 0.42)

    def test_an_enlarged_imprint_keeps_its_slopes(self):
        """Keys 1981: exact on quadratics; a bowl of 24 texels pressed in 200 texels wide."""
        place = np.arange(24) - 11.5
        bowl = (place[:, None] ** 2 + place[None, :] ** 2).astype(np.float32) / 300
        small = HeightField(bowl, Footprint(width=200, height=200), Edges(), np.ones_like(bowl))
        out, _ = press_stamp(
            small, [Press(0.5, 0.5, 0, 1)], Grid(200, 200, Footprint(width=200, height=200)), (True, True)
        )
        place = ((np.arange(200) + 0.5) / 200 - 0.5) * 24
        expected = (place[:, None] ** 2 + place[None, :] ** 2) / 300
        np.testing.assert_allclose(out[20:-20, 20:-20], expected[20:-20, 20:-20], atol=1e-5)

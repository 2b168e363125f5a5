"""The displaced plane: counts, lengths, volume, normals, and the limit."""

from unittest import TestCase

import numpy as np
import trimesh

from relief.displace.displace import displaced, vertex_normals
from relief.displace.forecast import BYTES_OF_A_FACE, by_level, forecast, refuse_if_too_large
from relief.errors import TooManyFacesError
from relief.height import Footprint, sampled
from relief.surface.plane import Plane, plane
from relief.tests.fields import WRAP, centres, field, rough, sinusoid

FOOTPRINT = Footprint(width=80, height=60)


class SamplingTests(TestCase):
    def test_texel_centres_give_the_samples_and_between_them_a_straight_line(self):
        samples = rough(6, 8)
        u, v = np.meshgrid(centres(8), 1 - centres(6))
        np.testing.assert_allclose(sampled(field(samples), u, v), samples, atol=1e-6)
        between = sampled(field(samples), np.array([2 / 8]), np.array([1 - 0.5 / 6]))
        np.testing.assert_allclose(between, samples[0, 1:3].mean(), atol=1e-6)

    def test_beyond_the_edge_it_wraps_or_clamps(self):
        samples = rough(6, 8)
        middle = np.array([1 - 0.5 / 6])
        np.testing.assert_allclose(
            sampled(field(samples, edges=WRAP), np.array([1.0]), middle), samples[0, [0, 7]].mean(), atol=1e-6
        )
        np.testing.assert_allclose(sampled(field(samples), np.array([1.0]), middle), samples[0, 7], atol=1e-6)


class PlaneTests(TestCase):
    def test_faces_grow_by_four_each_level(self):
        """Common practice: a plane of 10 x 10 quads at level 7 is 1 638 400."""
        cost = forecast(Plane(segments=10, level=7), Footprint(width=50, height=50))
        self.assertEqual((cost.faces, cost.vertices), (1_638_400, 1281 * 1281))

    def test_the_forecast_is_what_is_built(self):
        settings = Plane(segments=8, level=2)
        mesh = plane(FOOTPRINT, *settings.cells(FOOTPRINT))
        cost = forecast(settings, FOOTPRINT)
        self.assertEqual((len(mesh.faces), len(mesh.positions), mesh.nbytes), (cost.faces, cost.vertices, cost.memory))
        self.assertEqual(mesh.faces.nbytes, cost.faces * BYTES_OF_A_FACE)

    def test_euler_characteristic_of_a_disc(self):
        """V - E + F = 1 for a surface with one border."""
        mesh = trimesh.Trimesh(*(lambda m: (m.positions, m.triangles()))(plane(FOOTPRINT, 7, 5)), process=False)
        self.assertEqual(mesh.euler_number, 1)
        self.assertAlmostEqual(mesh.area, 80 * 60, places=2)
        np.testing.assert_allclose(mesh.centroid, 0, atol=1e-5)

    def test_over_the_limit_is_refused_with_the_largest_level_that_fits(self):
        with self.assertRaisesRegex(TooManyFacesError, "largest level that fits is 7"):
            refuse_if_too_large(Plane(segments=10, level=8), Footprint(width=50, height=50))
        refuse_if_too_large(Plane(segments=10, level=7), Footprint(width=50, height=50))
        self.assertEqual([cost.fits for cost in by_level(Plane(segments=10), Footprint())].index(False), 8)
        with self.assertRaisesRegex(TooManyFacesError, "fewer base segments"):
            refuse_if_too_large(Plane(segments=2000, level=0), Footprint(width=10, height=10_000))


class DisplacementTests(TestCase):
    def test_added_volume_is_amplitude_times_mean_height_times_area(self):
        here = field(rough(120, 160), width=80, height=60, edges=WRAP)
        mesh = displaced(plane(FOOTPRINT, 640, 480), here, 9, 0.2)
        quads = mesh.positions[mesh.faces]
        volume = quads[..., 2].mean(axis=1).sum() * (80 / 640) * (60 / 480)
        self.assertAlmostEqual(volume, 9 * (here.samples.mean() - 0.2) * 80 * 60, delta=0.002 * volume)

    def test_white_comes_out_black_goes_in_and_midlevel_stays(self):
        """Common practice, no source."""
        for height, expected in ((1, 4), (0, -6), (0.6, 0)):
            mesh = displaced(plane(FOOTPRINT, 4, 3), field(np.full((5, 5), height)), 10, 0.6)
            np.testing.assert_allclose(mesh.positions[:, 2], expected, atol=1e-5)

    def test_top_of_the_picture_is_top_of_the_plane(self):
        white_above = np.vstack([np.ones((8, 16)), np.zeros((8, 16))])
        mesh = displaced(plane(FOOTPRINT, 8, 8), field(white_above, width=80, height=60), 1, 0)
        self.assertTrue((mesh.positions[mesh.positions[:, 1] > 10, 2] > 0.9).all())
        self.assertTrue((mesh.positions[mesh.positions[:, 1] < -10, 2] < 0.1).all())

    def test_normals_of_a_wave_are_the_analytic_ones(self):
        wave = field(sinusoid(16, 1024, 2), width=100, height=100, edges=WRAP)
        mesh = displaced(plane(wave.footprint, 512, 4), wave, 10, 0.5)
        slope = 10 * 0.5 * 2 * np.pi * 2 / 100 * np.cos(2 * np.pi * 2 * mesh.uv[:, 0])
        expected = np.stack([-slope, np.zeros_like(slope), np.ones_like(slope)], axis=1)
        expected /= np.linalg.norm(expected, axis=1, keepdims=True)
        inside = (mesh.uv[:, 0] > 0.01) & (mesh.uv[:, 0] < 0.99)
        self.assertLess(np.abs(mesh.normals - expected)[inside].max(), 2e-3)

    def test_copies_of_a_tile_join_in_their_shading_too(self):
        """Against the normals inside of one mesh of the tile laid twice across and twice down."""
        tile = rough(48, 64, seed=8)
        one = displaced(plane(FOOTPRINT, 64, 48), field(tile, 80, 60, WRAP), 12, 0.5)
        four = displaced(
            plane(Footprint(width=160, height=120), 128, 96), field(np.tile(tile, (2, 2)), 160, 120, WRAP), 12, 0.5
        )
        within = four.normals.reshape(97, 129, 3)[24:73, 32:97]
        around = np.roll(one.normals.reshape(49, 65, 3)[:-1, :-1], (24, 32), (0, 1))
        np.testing.assert_allclose(around, within[:-1, :-1], atol=1e-3)
        grid = one.normals.reshape(49, 65, 3)
        np.testing.assert_array_equal(grid[:, 0], grid[:, -1])
        np.testing.assert_array_equal(grid[0], grid[-1])
        apart = displaced(plane(FOOTPRINT, 64, 48), field(tile, 80, 60), 12, 0.5).normals.reshape(49, 65, 3)
        self.assertGreater(np.abs(apart[:, 0] - apart[:, -1]).max(), 0.05, "edges that do not wrap stay as they are")

    def test_normals_against_trimesh(self):
        """trimesh `vertex_normals`, which weighs by angle: on a gentle surface both are within half a degree."""
        mesh = displaced(plane(FOOTPRINT, 60, 45), field(rough(90, 120), width=80, height=60), 0.3, 0.5)
        other = trimesh.Trimesh(mesh.positions, mesh.triangles(), process=False).vertex_normals
        angles = np.degrees(np.arccos(np.clip((mesh.normals * other).sum(axis=1), -1, 1)))
        self.assertLess(np.percentile(angles, 99), 0.5)

    def test_a_vertex_without_area_still_has_a_normal(self):
        normals = vertex_normals(np.zeros((4, 3), np.float32), np.array([[0, 1, 2, 3]], np.int32))
        np.testing.assert_array_equal(normals, np.tile([0, 0, 1], (4, 1)))

"""Displaced surfaces: counts, lengths, volume, normals, and the limit."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from relief.displace.forecast import (
    BYTES_OF_A_CORNER,
    BYTES_OF_A_FACE,
    PREVIEW,
    Limit,
    forecast_levels,
    refuse_level,
)
from relief.errors import TooManyFacesError
from relief.filters.sample import sample_heights
from relief.formats.writing import mesh_file
from relief.height import Footprint
from relief.sources.mesh.read import read_mesh
from relief.surface.mesh import Mesh, Part
from relief.surface.normals import to_unit_length
from relief.surface.shapes import SHAPES
from relief.surface.shapes.plane import Plane
from relief.surface.subdivide import count_flat, subdivide_flat
from relief.surface.surface import Surface
from relief.tests.folders import kinds_written
from relief.tests.height_fields import WRAP, centres, field, rough, sinusoid
from relief.tests.surfaces import displace, displace_own

FOOTPRINT = Footprint(width=80, height=60)
OCTAHEDRON = b"""v 1 0 0\nv -1 0 0\nv 0 1 0\nv 0 -1 0\nv 0 0 1\nv 0 0 -1
f 1 3 5\nf 3 2 5\nf 2 4 5\nf 4 1 5\nf 3 1 6\nf 2 3 6\nf 4 2 6\nf 1 4 6\n"""


def plane(across: int, footprint: Footprint = FOOTPRINT) -> Mesh:
    return Plane(segments=across).mesh(footprint, 0)


class SamplingTests(TestCase):
    def test_texel_centres_give_the_samples_and_between_them_a_straight_line(self):
        samples = rough(6, 8)
        u, v = np.meshgrid(centres(8), 1 - centres(6))
        np.testing.assert_allclose(sample_heights(field(samples), u, v), samples, atol=1e-6)
        between = sample_heights(field(samples), np.array([2 / 8]), np.array([1 - 0.5 / 6]))
        np.testing.assert_allclose(between, samples[0, 1:3].mean(), atol=1e-6)

    def test_beyond_the_edge_it_wraps_or_clamps(self):
        samples = rough(6, 8)
        middle = np.array([1 - 0.5 / 6])
        np.testing.assert_allclose(
            sample_heights(field(samples, edges=WRAP), np.array([1.0]), middle), samples[0, [0, 7]].mean(), atol=1e-6
        )
        np.testing.assert_allclose(sample_heights(field(samples), np.array([1.0]), middle), samples[0, 7], atol=1e-6)


class PlaneTests(TestCase):
    def test_faces_grow_by_four_each_level(self):
        """Common practice: a plane of 10 x 10 quads at level 7 is 1 638 400."""
        cost = forecast_levels(Surface(shape=Plane(segments=10)), Footprint(width=50, height=50))[7]
        self.assertEqual((cost.faces, cost.vertices), (1_638_400, 1281 * 1281))

    def test_the_forecast_is_what_is_built(self):
        settings = Surface(shape=Plane(segments=8), level=2)
        mesh = settings.shape.mesh(FOOTPRINT, 2)
        cost = forecast_levels(settings, FOOTPRINT)[2]
        self.assertEqual((mesh.faces, len(mesh.positions), mesh.nbytes), (cost.faces, cost.vertices, cost.memory))
        of_faces = mesh.corners.nbytes + mesh.offsets.nbytes + mesh.parts.nbytes + mesh.base_faces.nbytes
        self.assertEqual(of_faces, cost.faces * (4 * BYTES_OF_A_CORNER + BYTES_OF_A_FACE) + 4)

    def test_euler_characteristic_of_a_disc(self):
        """V - E + F = 1 for a surface with one border."""
        mesh = trimesh.Trimesh(*(lambda m: (m.positions, m.corners[m.triangles()]))(plane(7)), process=False)
        self.assertEqual(mesh.euler_number, 1)
        self.assertAlmostEqual(mesh.area, 80 * 60, places=2)
        np.testing.assert_allclose(mesh.centroid, 0, atol=1e-5)

    def test_over_the_limit_is_refused_with_the_largest_level_that_fits(self):
        costs = forecast_levels(Surface(shape=Plane(segments=10)), Footprint(width=50, height=50))
        with self.assertRaisesRegex(TooManyFacesError, "largest level that fits is 7"):
            refuse_level(costs, 8, PREVIEW)
        refuse_level(costs, 7, PREVIEW)
        self.assertEqual([cost.fits_preview for cost in costs].index(False), 8)
        many = forecast_levels(Surface(shape=Plane(segments=2000)), Footprint(width=10, height=10_000))
        with self.assertRaisesRegex(TooManyFacesError, "fewer base segments"):
            refuse_level(many, 0, PREVIEW)
        # what is delivered may have more faces, as far as the memory goes
        refuse_level(costs, 9, Limit(50_000_000, 16 << 30))
        with self.assertRaisesRegex(TooManyFacesError, "take 16.GB of memory; the limit is 4.29.GB. The .* fits is 8"):
            refuse_level(costs, 9, Limit(50_000_000, 4 << 30))


class DisplacementTests(TestCase):
    def test_added_volume_is_amplitude_times_mean_height_times_area(self):
        here = field(rough(120, 160), width=80, height=60, edges=WRAP)
        mesh = displace(Plane(segments=640), here, 9, 0.2)
        quads = mesh.positions[mesh.polygons(4)]
        volume = quads[..., 2].mean(axis=1).sum() * (80 / 640) * (60 / 480)
        self.assertAlmostEqual(volume, 9 * (here.samples.mean() - 0.2) * 80 * 60, delta=0.002 * volume)

    def test_white_comes_out_black_goes_in_and_midlevel_stays(self):
        """Common practice, no source."""
        for height, expected in ((1, 4), (0, -6), (0.6, 0)):
            mesh = displace(Plane(segments=4), field(np.full((5, 5), height)), 10, 0.6)
            np.testing.assert_allclose(mesh.positions[:, 2], expected, atol=1e-5)

    def test_top_of_the_picture_is_top_of_the_plane(self):
        white_above = np.vstack([np.ones((8, 16)), np.zeros((8, 16))])
        mesh = displace(Plane(segments=8), field(white_above, width=80, height=60), 1, 0)
        self.assertTrue((mesh.positions[mesh.positions[:, 1] > 10, 2] > 0.9).all())
        self.assertTrue((mesh.positions[mesh.positions[:, 1] < -10, 2] < 0.1).all())

    def test_normals_of_a_wave_are_the_analytic_ones(self):
        wave = field(sinusoid(16, 1024, 2), width=100, height=100, edges=WRAP)
        mesh = displace(Plane(segments=512), wave, 10, 0.5)
        slope = 10 * 0.5 * 2 * np.pi * 2 / 100 * np.cos(2 * np.pi * 2 * mesh.uv[:, 0])
        expected = np.stack([-slope, np.zeros_like(slope), np.ones_like(slope)], axis=1)
        expected /= np.linalg.norm(expected, axis=1, keepdims=True)
        inside = (mesh.uv[:, 0] > 0.01) & (mesh.uv[:, 0] < 0.99)
        self.assertLess(np.abs(mesh.normals - expected)[inside].max(), 2e-3)

    def test_copies_of_a_tile_join_in_their_shading_too(self):
        """Against the normals inside of one mesh of the tile laid twice across and twice down."""
        tile = rough(48, 64, seed=8)
        one = displace(Plane(segments=64), field(tile, 80, 60, WRAP), 12, 0.5)
        four = displace(Plane(segments=128), field(np.tile(tile, (2, 2)), 160, 120, WRAP), 12, 0.5)
        within = four.normals.reshape(97, 129, 3)[24:73, 32:97]
        around = np.roll(one.normals.reshape(49, 65, 3)[:-1, :-1], (24, 32), (0, 1))
        np.testing.assert_allclose(around, within[:-1, :-1], atol=1e-3)
        grid = one.normals.reshape(49, 65, 3)
        np.testing.assert_array_equal(grid[:, 0], grid[:, -1])
        np.testing.assert_array_equal(grid[0], grid[-1])
        apart = displace(Plane(segments=64), field(tile, 80, 60), 12, 0.5).normals.reshape(49, 65, 3)
        self.assertGreater(np.abs(apart[:, 0] - apart[:, -1]).max(), 0.05, "edges that do not wrap stay as they are")

    def test_normals_against_trimesh(self):
        """trimesh `vertex_normals`, which weighs by angle: on a gentle surface both are within half a degree."""
        mesh = displace(Plane(segments=60), field(rough(90, 120), width=80, height=60), 0.25, 0.5)
        other = trimesh.Trimesh(mesh.positions, mesh.corners[mesh.triangles()], process=False).vertex_normals
        angles = np.degrees(np.arccos(np.clip((mesh.normals * other).sum(axis=1), -1, 1)))
        self.assertLess(np.percentile(angles, 99), 0.5)

    def test_a_vertex_without_area_still_has_a_normal(self):
        normals = to_unit_length(np.zeros((4, 3), np.float32))
        np.testing.assert_array_equal(normals, np.tile([0, 0, 1], (4, 1)))


class PolygonTests(TestCase):
    """A triangle, a quad and a pentagon that meet, with a seam between the first two."""

    def mesh(self) -> Mesh:
        places = np.array([(0, 0), (1, 0), (1, 1), (0, 1), (2, 0.5), (0.5, 2), (-1, 1), (-0.5, 2)], np.float32)
        positions = np.c_[places, np.zeros(8)].astype(np.float32)
        faces = [(1, 4, 2), (0, 1, 2, 3), (3, 2, 5, 7, 6)]
        corners = np.concatenate(faces).astype(np.int32)
        uv = np.vstack([places / 4 + 0.25, places[[1, 2]] / 4])  # the triangle has places of its own at the seam
        uv_corners = corners.copy()
        uv_corners[[0, 2]] = 8, 9
        normals = np.tile(np.float32([0, 0, 1]), (8, 1))
        offsets = np.array([0, 3, 7, 12], np.int32)
        parts, base = np.zeros(3, np.uint16), np.arange(3, dtype=np.int32)
        return Mesh(
            positions, normals, uv.astype(np.float32), corners, uv_corners, corners, offsets, parts, base,
            (Part("all", 64, 64),),
        )  # fmt: skip

    def test_areas_and_counts_against_trimesh(self):
        mesh = self.mesh()
        self.assertEqual([mesh.faces, *(len(mesh.polygons(sides)) for sides in (3, 4, 5))], [3, 1, 1, 1])
        triangles = trimesh.Trimesh(mesh.positions, mesh.corners[mesh.triangles()], process=False)
        self.assertEqual(len(triangles.faces), 6)
        self.assertAlmostEqual(triangles.area, 0.5 + 1 + 1.5)
        self.assertTrue((triangles.face_normals[:, 2] > 0).all())

    def test_cut_at_its_seam_each_vertex_has_one_place(self):
        mesh = self.mesh()
        cut = mesh.cut_at_seams()
        self.assertEqual((len(cut.positions), cut.is_seamless), (10, True))
        np.testing.assert_array_equal(cut.positions[cut.corners], mesh.positions[mesh.corners])
        np.testing.assert_array_equal(cut.uv[cut.corners], mesh.uv[mesh.uv_corners])

    def test_a_seam_stays_closed_when_it_is_displaced(self):
        ramp = field(np.tile(centres(64), (64, 1)), width=64)
        moved = displace_own(self.mesh(), ramp, 8, 0)
        self.assertEqual(moved.positions.shape, (8, 3))
        # vertex 1 is moved by the mean of its three corners, one of which lies elsewhere on the maps
        ends = sample_heights(ramp, np.float32([0.25, 0.5]), np.float32([0, 0.25])) * 8
        self.assertAlmostEqual(float(moved.positions[1, 2]), float(ends[0] + ends[1]) / 2, places=4)

    def test_written_as_obj_it_keeps_its_polygons_and_seam(self):
        lines = [
            line.split()[1:] for line in mesh_file(self.mesh(), "obj").decode().splitlines() if line.startswith("f ")
        ]
        self.assertEqual([len(line) for line in lines], [3, 4, 5])
        self.assertEqual((lines[0][0], lines[1][1]), ("2/9/2", "2/2/2"))

    def test_far_from_the_origin_it_is_written_where_it_lies(self):
        far = replace(self.mesh(), middle=(1_000_000.25, 0.0, -5.0))
        first = next(line for line in mesh_file(far, "obj").decode().splitlines() if line.startswith("v "))
        self.assertEqual([float(part) for part in first.split()[1:]], [1_000_000.0, 0.0, -5.0])


class EveryShapeTests(TestCase):
    def test_every_file_of_the_folder_is_found(self):
        self.assertEqual(sorted(SHAPES), kinds_written("surface/shapes"))

    def test_the_counts_said_beforehand_are_those_of_the_mesh(self):
        footprint = Footprint(width=70, height=45)
        for kind, model in SHAPES.items():
            for level in range(3):
                with self.subTest(kind, level=level):
                    shape = model()
                    if shape.source_key:
                        base = shape.base(read_mesh(OCTAHEDRON, "octahedron.obj"))
                        (faces, vertices), mesh = count_flat(base, level)[level], subdivide_flat(base, level)
                        self.assertEqual((faces, vertices), (mesh.faces, len(mesh.positions)))
                        continue
                    faces, vertices = shape.count(footprint, level)
                    mesh = shape.mesh(footprint, level)
                    self.assertEqual(faces, mesh.faces)
                    self.assertEqual(vertices, len(mesh.uv))

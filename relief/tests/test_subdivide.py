"""Smooth and flat subdivision: published values of the cube, trimesh's Loop, semi-sharp edges, seams and borders."""

from __future__ import annotations

import itertools
from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh
from scipy.spatial import cKDTree

from relief.surface.edges import find_edges
from relief.surface.mesh import Mesh, Part
from relief.surface.subdivide import count_flat, subdivide_flat, subdivide_smooth

CORNERS = np.array(list(itertools.product((-1, 1), repeat=3)), float)
SIDES = [[0, 1, 3, 2], [4, 6, 7, 5], [0, 4, 5, 1], [2, 3, 7, 6], [0, 2, 6, 4], [1, 5, 7, 3]]


def polygons(points: np.ndarray, faces: list[list[int]], **more) -> Mesh:
    """A mesh of one part, its places those of a map that is seen from the front."""
    corners = np.concatenate(faces).astype(np.int32)
    offsets = np.concatenate([[0], np.cumsum([len(face) for face in faces])]).astype(np.int32)
    positions = np.asarray(points, np.float32)
    parts, base = np.zeros(len(faces), np.uint16), np.arange(len(faces), dtype=np.int32)
    normals, uv = np.zeros_like(positions), np.ascontiguousarray(positions[:, :2])
    made = Mesh(positions, normals, uv, corners, corners, corners, offsets, parts, base, (Part("all", 1, 1),))
    return replace(made, **more)


def cube(**more) -> Mesh:
    return polygons(CORNERS, SIDES, **more)


def grid(across: int, down: int) -> Mesh:
    rows, columns = np.mgrid[: down + 1, : across + 1]
    number = np.arange(rows.size).reshape(rows.shape)
    quads = np.stack([number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]], axis=-1).reshape(-1, 4)
    return polygons(np.stack([columns.ravel(), rows.ravel(), np.zeros(rows.size)], axis=1), quads.tolist())


def euler(mesh: Mesh) -> int:
    return len(mesh.positions) - len(find_edges(mesh.corners, mesh.offsets).counts) + mesh.faces


class CatmullClarkTests(TestCase):
    def test_the_cube_after_one_cut_and_in_the_limit(self):
        """Corners at 5/9 and edge points at 3/4 (Catmull & Clark 1978, from memory); the limit of a corner is 1/2
        (Halstead, Kass & DeRose 1993)."""
        once = subdivide_smooth(cube(), 1)
        np.testing.assert_allclose(np.abs(once.positions[:8]), 5 / 9, atol=1e-6)
        np.testing.assert_allclose(np.sort(np.abs(once.positions[8:20]), axis=1), [[0, 0.75, 0.75]] * 12, atol=1e-6)
        np.testing.assert_allclose(np.sort(np.abs(once.positions[20:]), axis=1), [[0, 0, 1]] * 6, atol=1e-6)
        deep = subdivide_smooth(cube(), 7)
        np.testing.assert_allclose(np.abs(deep.positions[:8]), 0.5, atol=1e-5)
        self.assertEqual((deep.faces, euler(deep)), (6 * 4**7, 2))

    def test_a_plane_of_10_x_10_quads_has_1_638_400_at_level_7(self):
        """Common practice, no source. Open borders and corners stay, so it is as large as it was."""
        plane = subdivide_smooth(grid(10, 10), 7)
        self.assertEqual(plane.faces, 1_638_400)
        np.testing.assert_allclose((plane.positions.min(axis=0), plane.positions.max(axis=0)), ((0,) * 3, (10, 10, 0)))
        np.testing.assert_allclose(plane.positions[:, :2], plane.uv, atol=1e-5)

    def test_faces_of_any_kind_become_quads_and_stay_closed(self):
        """A prism of two pentagons and five quads: 2 * 5 + 5 * 4 quads after the first cut, and V - E + F = 2."""
        angles = 2 * np.pi * np.arange(5) / 5
        ring = np.stack([np.cos(angles), np.sin(angles)], axis=1)
        points = np.vstack([np.column_stack([ring, np.full(5, z)]) for z in (-1, 1)])
        sides = [[k, (k + 1) % 5, 5 + (k + 1) % 5, 5 + k] for k in range(5)]
        prism = polygons(points, [[4, 3, 2, 1, 0], [5, 6, 7, 8, 9], *sides])
        for level in (1, 2, 3):
            cut = subdivide_smooth(prism, level)
            self.assertEqual((cut.faces, euler(cut)), (30 * 4 ** (level - 1), 2))
            self.assertTrue((np.diff(cut.offsets) == 4).all())
        triangles = cut.corners[cut.triangles()]
        self.assertTrue(trimesh.Trimesh(cut.positions, triangles, process=False).is_volume)
        np.testing.assert_array_equal(np.bincount(cut.base_faces), [5 * 16, 5 * 16, *[4 * 16] * 5])


class LoopTests(TestCase):
    def test_as_trimesh_does(self):
        """trimesh `remesh.subdivide_loop`, of a closed and of an open mesh whose valences differ."""
        bent = trimesh.creation.icosphere(subdivisions=1, radius=2)
        bent.vertices *= (1, 2, 0.5)
        opened = trimesh.Trimesh(bent.vertices, bent.faces[~(bent.faces == 7).any(axis=1)], process=False)
        opened.remove_unreferenced_vertices()
        for solid in (trimesh.creation.box(), bent, opened):
            ours = subdivide_smooth(polygons(solid.vertices, solid.faces.tolist()), 3)
            theirs, faces = trimesh.remesh.subdivide_loop(solid.vertices, solid.faces, 3)
            self.assertEqual((ours.faces, len(ours.positions)), (len(faces), len(theirs)))
            self.assertLess(cKDTree(theirs).query(ours.positions)[0].max(), 1e-6 * solid.scale)


class CreaseTests(TestCase):
    def test_a_cube_whose_edges_are_all_sharp_stays_a_cube(self):
        by_angle = subdivide_smooth(cube(), 3, crease=80)
        self.assertAlmostEqual(float(np.abs(by_angle.positions).max()), 1)
        np.testing.assert_allclose(np.abs(by_angle.positions[:8]), 1)
        self.assertAlmostEqual(volume(by_angle), 8, places=5)

    def test_semi_sharp_edges_lie_between_soft_and_sharp_ones(self):
        """DeRose, Kass & Truong 1998: sharp by 1 for one cut, by half a blend of both rules; then as any other."""
        edges = np.array([[0, 1], [1, 3], [3, 2], [2, 0]], np.int32)
        weighted = lambda weight: cube(crease_edges=edges, crease_weights=np.full(4, weight, np.float32))  # noqa: E731
        soft, half, one, sharp = (subdivide_smooth(weighted(weight), 1) for weight in (0, 0.5, 1, np.inf))
        np.testing.assert_array_equal(one.positions, sharp.positions)
        np.testing.assert_allclose(half.positions, (soft.positions + sharp.positions) / 2, atol=1e-6)
        # a vertex on two sharp edges follows the curve along them: (a + 6 v + b) / 8
        np.testing.assert_allclose(sharp.positions[0], (-1, -0.75, -0.75), atol=1e-6)
        volumes = [volume(subdivide_smooth(weighted(weight), 4)) for weight in (0, 0.5, 1, 1.5, 2, 3, np.inf)]
        self.assertTrue((np.diff(volumes) > 0).all(), volumes)
        deep = [subdivide_smooth(weighted(weight), 2) for weight in (1, np.inf)]
        self.assertGreater(np.abs(deep[0].positions - deep[1].positions).max(), 0.01)

    def test_the_sharpness_of_an_edge_goes_down_by_one_each_cut(self):
        """What is sharp by 2 is after two cuts what is always sharp, and after three what is cut once more softly."""
        edges = np.array([[1, 5], [5, 7], [7, 3], [3, 1]], np.int32)
        two, always = (
            cube(crease_edges=edges, crease_weights=np.full(4, weight, np.float32)) for weight in (2, np.inf)
        )
        np.testing.assert_array_equal(subdivide_smooth(two, 2).positions, subdivide_smooth(always, 2).positions)
        once_more = subdivide_smooth(subdivide_smooth(always, 2), 1)
        far, _ = cKDTree(once_more.positions).query(subdivide_smooth(two, 3).positions)
        self.assertLess(far.max(), 1e-6)


class SeamTests(TestCase):
    def test_places_at_seams_are_carried_over_and_stay_where_they_are(self):
        """A cube with a place of its own for each corner of each side: each side keeps its whole square."""
        corners = np.concatenate(SIDES)
        uv = np.tile([[0, 0], [1, 0], [1, 1], [0, 1]], (6, 1)).astype(np.float32)
        seamed = cube(uv=uv, uv_corners=np.arange(len(corners), dtype=np.int32))
        for cut in (subdivide_smooth(seamed, 2), subdivide_flat(seamed, 2)):
            self.assertEqual(len(cut.uv), 6 * 25)
            for side in range(6):
                places = cut.uv[np.unique(cut.uv_corners[np.repeat(cut.base_faces == side, 4)])]
                np.testing.assert_allclose(np.unique(places), np.linspace(0, 1, 5), atol=1e-6)
            self.assertEqual(euler(cut), 2)

    def test_flat_cuts_of_one_kind_are_those_of_mixed_faces(self):
        """A cube of quads, and the same with one side in triangles: where both have quads they are cut alike."""
        mixed = polygons(CORNERS, [[0, 1, 3], [0, 3, 2], *SIDES[1:]])
        for mesh in (cube(), mixed, polygons(CORNERS, [[a, b, c] for a, b, c, _ in SIDES])):
            cut = subdivide_flat(mesh, 3)
            self.assertEqual((cut.faces, len(cut.positions)), count_flat(mesh, 3)[3])
        self.assertAlmostEqual(volume(subdivide_flat(mixed, 3)), 8, places=5)


def volume(mesh: Mesh) -> float:
    return abs(trimesh.Trimesh(mesh.positions, mesh.corners[mesh.triangles()], process=False).volume)

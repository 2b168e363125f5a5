"""What is found in a displaced mesh: overlaps, cut tops, faces of a wrong size; and its edges, closed or square."""

from unittest import TestCase, mock

import numpy as np
import trimesh

from relief.displace.displace import displace_mesh
from relief.displace.overlap import find_folds
from relief.errors import ReliefError
from relief.height import Footprint
from relief.inspect.adviser import find_budget
from relief.inspect.find import find_in_mesh
from relief.surface.normals import open_hard_edges, smooth_by_angle
from relief.surface.shapes.box import Box
from relief.surface.shapes.cylinder import Cylinder
from relief.surface.shapes.plane import Plane
from relief.surface.shapes.sphere import Sphere
from relief.surface.shapes.torus import Torus
from relief.tests.height_fields import field
from relief.tests.surfaces import displace
from relief.tests.tags import long
from relief.tests.test_tessellate import TessellateTestCase

FOOTPRINT = Footprint(width=300, height=200)


class OverlapTests(TessellateTestCase):
    def folds(self, shape, distance: float) -> np.ndarray:
        mesh = shape.mesh(FOOTPRINT, 1)
        return find_folds(mesh, np.full(len(mesh.positions), distance, np.float32))

    def test_a_round_surface_folds_at_its_radius(self):
        """A surface moved by d folds where 1 + d k = 0 for one of its curvatures k: inward a sphere and a cylinder at
        their radius, a torus at that of its tube, outward its inner side where it is narrower (do Carmo 1976)."""
        for distance in (-40, -150):
            np.testing.assert_allclose(
                self.folds(Sphere(diameter=200, segments=24), distance), 100 / -distance, rtol=2e-2
            )
            around = self.folds(Cylinder(diameter=200, height=300, caps=False, segments=64), distance)
            np.testing.assert_allclose(around, 100 / -distance, rtol=2e-3)
        torus = Torus(diameter=400, thickness=120, segments=48)
        self.assertAlmostEqual(float(self.folds(torus, -30).min()), 60 / 30, delta=0.05)
        # its inner circle has a radius of 80: outward that closes after 80 mm
        self.assertAlmostEqual(float(self.folds(torus, 40).min()), 80 / 40, delta=0.1)
        self.assertGreater(self.folds(Sphere(diameter=200), 500).min(), 1000, "outward it never does")
        self.assertGreater(self.folds(Box(), -1).min(), 1)

    def test_it_is_found_and_mended(self):
        shape = {"kind": "cylinder", "diameter": 60, "height": 300, "caps": False}
        changes = {"amplitude": 80, "midlevel": 1}  # all of it goes in, up to 80 mm, with a radius of 30
        pipeline = self.pipeline("dots", changes, shape=shape, level=3)
        found = {item.kind: item for item in find_in_mesh(pipeline, self.engine, None)}
        self.assertIn("is deeper than the radius of curvature", found["overlap"].reason)
        amplitude = found["overlap"].mend.changes["reliefs.main.amplitude"]
        self.assertTrue(25 < amplitude < 40, amplitude)
        mended = self.pipeline("dots", {"amplitude": amplitude, "midlevel": 1}, shape=shape, level=3)
        self.assertEqual(find_in_mesh(mended, self.engine, None), [])


class ReachTests(TessellateTestCase):
    def test_it_is_how_far_the_relief_leaves_the_surface(self):
        pipeline = self.pipeline("dots", {"amplitude": 10, "midlevel": 0.25}, shape={"kind": "sphere"}, level=2)
        low, high = self.engine.run(pipeline.reach())
        heights = self.engine.run(pipeline.pipelines["main"].height()).samples
        # bicubic samples go a little beyond the texels at a sharp step
        self.assertAlmostEqual(low, 10 * (heights.min() - 0.25), delta=0.6)
        self.assertAlmostEqual(high, 10 * (heights.max() - 0.25), delta=0.6)
        moved = self.engine.run(pipeline.displaced()).positions - self.engine.run(pipeline.subdivided()).positions
        self.assertLessEqual(np.linalg.norm(moved, axis=1).max(), max(-low, high) + 1e-4)

    def test_a_bound_that_is_too_small_is_found(self):
        def found(reach):
            pipeline = self.pipeline("dots", {"amplitude": 10, "midlevel": 0}, level=2, reach=reach)
            return {item.kind: item for item in find_in_mesh(pipeline, self.engine, None)}

        self.assertNotIn("reach", found(0))
        self.assertNotIn("reach", found(10.1))
        self.assertGreater(found(4)["reach"].mend.changes["surface.reach"], 9.9)


class CoarseTests(TessellateTestCase):
    def found(self, finest=12.0, **surface):
        shape = {"kind": "plane", "width": 300, "height": 300, "segments": 10}
        pipeline = self.pipeline("waves", {"footprint.width": 300}, shape=shape, **surface)
        return {item.kind: item for item in find_in_mesh(pipeline, self.engine, finest)}

    def test_edges_longer_than_the_finest_detail(self):
        """Edges of 30 mm at level 0, half as long at each level; two levels bring them under 12 mm."""
        mend = self.found(level=0)["blocky"].mend
        self.assertEqual(mend.changes, {"surface.final_level": 2})
        self.assertNotIn("blocky", self.found(level=2))
        self.assertNotIn("blocky", self.found(level=0, final_level=2), "the final counts")
        self.assertNotIn("blocky", self.found(level=0, residual=512), "the rest is in the residual")
        self.assertNotIn("blocky", self.found(level=0, finest=None), "a flat relief has no detail")

    def test_edges_under_half_a_texel(self):
        """At 384 texels on 300 mm half a texel is 0.39 mm: level 7 has edges of 0.23 mm, level 6 of 0.47."""
        mend = self.found(level=2, final_level=7)["wasteful"].mend
        self.assertTrue(mend.changes["surface.final_level"] < 7)
        self.assertEqual(self.found(level=2, final_level=6), {})

    def test_a_budget_is_judged_where_it_is_spent(self):
        few = self.found(finest=8.0, tessellation={"kind": "faces", "faces": 60})["blocky"].mend
        self.assertGreater(few.changes["surface.tessellation.faces"], 120)
        self.assertEqual(self.found(finest=8.0, tessellation={"kind": "faces", "faces": 20_000}), {})


class ShareTests(TessellateTestCase):
    @long
    def test_a_budget_keeps_the_share_that_is_asked_for_with_few_faces(self):
        shape = {"kind": "plane", "segments": 4}
        with mock.patch("relief.inspect.adviser.MOST", 60_000):
            faces = find_budget(self.pipeline("scallops", shape=shape), self.engine, 0.8)

        def kept(count):
            way = {"kind": "faces", "faces": count}
            return self.engine.run(self.pipeline("scallops", shape=shape, tessellation=way).deviation()).detail_kept

        self.assertGreaterEqual(kept(faces), 0.8)
        self.assertLess(kept(faces * 3 // 4), 0.8)
        for share in (0, 1, -3):
            with self.assertRaises(ReliefError):
                find_budget(self.pipeline("scallops", shape=shape), self.engine, share)


class EdgeTests(TestCase):
    WHITE = field(np.ones((4, 4)), width=300, height=200)

    def test_square_faces_move_straight_out_and_closed_ones_stay_together(self):
        """A cube of 100 mm moved out by 10 mm: square its six faces stay 100 mm wide, 10 mm farther out."""
        cube = Box(width=100, height=100, depth=100, segments=3)
        closed = displace(cube, self.WHITE, 10, 0)
        self.assertTrue(
            trimesh.Trimesh(closed.positions, closed.corners[closed.triangles()], process=False).is_watertight
        )
        opened = open_hard_edges(cube.mesh(FOOTPRINT, 0))
        moved = displace_mesh(opened, np.full(len(opened.positions), 10, np.float32))
        self.assertEqual(len(moved.positions), 6 * 16)
        far = np.sort(np.abs(moved.positions), axis=1)
        np.testing.assert_allclose(far[:, 2], 60, atol=1e-4)
        self.assertLessEqual(far[:, :2].max(), 50 + 1e-4)

    def test_edges_are_hard_where_faces_turn_by_more_than_the_angle(self):
        """Ridges of 26.6 degrees to each side turn by 53.1 in all."""
        folded = field(np.tile([0.0, 1.0], (4, 8)), width=32, height=8)
        self.assertEqual(smooth_by_angle(self.ridges(folded), 60).is_seamless, True)
        hard = smooth_by_angle(self.ridges(folded), 45)
        self.assertGreater(len(hard.normals), len(hard.positions))
        steep = hard.normals[np.abs(hard.normals[:, 0]) > 1e-3]
        np.testing.assert_allclose(np.degrees(np.arccos(steep[:, 2])), 26.565, atol=0.01)

    @staticmethod
    def ridges(folded):
        mesh = Plane(width=32, height=8, segments=16).mesh(folded.footprint, 0)
        columns = np.rint((mesh.positions[:, 0] + 16) / 2).astype(int)
        return displace_mesh(mesh, (columns % 2).astype(np.float32))


class OutlineTests(TessellateTestCase):
    @long
    def test_rays_meet_the_built_mesh_where_they_meet_the_true_one(self):
        """A second opinion on the error: along rays (embreex) the outlines of a budget and of a fine mesh of levels lie
        as far apart as the deviation says."""
        shape = {"kind": "sphere", "diameter": 300}
        coarse = self.pipeline("dots", {"amplitude": 12}, shape=shape, tessellation={"kind": "faces", "faces": 6_000})
        fine = self.pipeline("dots", {"amplitude": 12}, shape=shape, level=4)
        off = self.engine.run(coarse.deviation())
        rng = np.random.default_rng(8)
        towards = rng.standard_normal((20_000, 3))
        towards /= np.linalg.norm(towards, axis=1, keepdims=True)
        towards = towards[np.abs(towards[:, 1]) < 0.9]  # at the poles the relief is pinched without end
        apart = self.depths(fine, towards) - self.depths(coarse, towards)
        self.assertLess(np.sqrt(np.mean(apart**2)), 1.5 * off.error)
        self.assertGreater(np.sqrt(np.mean(apart**2)), off.error / 3)
        self.assertLess(np.percentile(np.abs(apart), 99), off.worst)

    def depths(self, pipeline, towards: np.ndarray) -> np.ndarray:
        """How far from the middle rays meet the surface."""
        mesh = self.engine.run(pipeline.displaced())
        solid = trimesh.Trimesh(mesh.positions, mesh.corners[mesh.triangles()], process=False)
        rays = trimesh.ray.ray_pyembree.RayMeshIntersector(solid)
        places, numbers, _ = rays.intersects_location(towards * 500, -towards, multiple_hits=False)
        found = np.full(len(towards), np.nan)
        found[numbers] = np.linalg.norm(places, axis=1)
        self.assertLess(np.isnan(found).mean(), 1e-3)
        return np.where(np.isnan(found), np.nanmean(found), found)

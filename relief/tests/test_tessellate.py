"""Tessellation: no cracks, no edge longer, no place farther off than asked, budgets kept, faces where they show."""

from __future__ import annotations

import math
from dataclasses import replace
from unittest import TestCase, mock

import numpy as np
import trimesh
from matplotlib.tri import LinearTriInterpolator, Triangulation
from scipy.interpolate import RegularGridInterpolator
from scipy.ndimage import map_coordinates

from relief.displace.forecast import PREVIEW, Limit
from relief.errors import RecipeError, TooManyFacesError
from relief.inspect.find import find_in_mesh
from relief.inspect.start import start_from_nothing
from relief.recipe.recipe import Recipe
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.surface.bisect import as_triangles, close_marks, cut_triangles, edges_of, find_longest
from relief.surface.edges import find_edges
from relief.surface.mesh import Mesh
from relief.surface.shapes.sphere import Sphere
from relief.surface.surface import Surface
from relief.surface.tessellation import TESSELLATIONS
from relief.tests.folders import kinds_written
from relief.tests.tags import long

NOTHING = {}.__getitem__


class TessellateTestCase(TestCase):
    """Pieces of one pattern on a surface; heights are made once for all."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.engine = Engine()
        cls.begun: dict[str, Recipe] = {}

    def pipeline(self, kind: str, changes: dict | None = None, longest: int = 384, **surface) -> SurfacePipeline:
        if kind not in self.begun:
            self.begun[kind] = start_from_nothing(kind, NOTHING, self.engine)
        recipe = self.begun[kind].with_changes(changes or {})
        recipe = recipe.model_copy(update={"surface": Surface.model_validate(surface)})
        return SurfacePipeline.of(recipe, NOTHING, longest)

    def built(self, *args, **surface) -> Mesh:
        return self.engine.run(self.pipeline(*args, **surface).displaced())


class BisectTests(TestCase):
    def test_whatever_edges_are_cut_nothing_comes_apart(self):
        """Random edges, again and again, on a sphere: V - E + F stays 2, the area too; no angle gets under a half of
        the smallest there was (Rivara 1984)."""
        rng = np.random.default_rng(5)
        mesh = as_triangles(Sphere(diameter=200, segments=12).mesh(None, 0))
        before = smallest_angle(mesh)
        area = trimesh.Trimesh(mesh.positions, mesh.corners.reshape(-1, 3), process=False).area
        for _ in range(7):
            edges = edges_of(mesh)
            longest = find_longest(mesh.positions, edges)
            marked = close_marks(rng.random(len(edges.counts)) < 0.15, edges, longest)
            cut = cut_triangles(mesh, edges, longest, marked)
            positions = np.concatenate([mesh.positions, mesh.positions[cut.added[id(mesh.corners)][0]].mean(axis=1)])
            corners = cut.numbers[id(mesh.corners)]
            offsets = np.arange(0, len(corners) + 1, 3, dtype=np.int32)
            mesh = Mesh(
                positions.astype(np.float32), positions, positions[:, :2], corners, corners, corners, offsets,
                mesh.parts[cut.parents], mesh.base_faces[cut.parents], mesh.part_list,
            )  # fmt: skip
            edges = edges_of(mesh)
            self.assertTrue((edges.counts == 2).all())
            self.assertFalse(edges.turned.any())
            self.assertEqual(len(positions) - len(edges.counts) + mesh.faces, 2)
        solid = trimesh.Trimesh(mesh.positions, corners.reshape(-1, 3), process=False)
        self.assertAlmostEqual(solid.area / area, 1, places=5)
        self.assertGreater(smallest_angle(mesh), before / 2 - 1e-4)


def smallest_angle(mesh: Mesh) -> float:
    return float(trimesh.Trimesh(mesh.positions, mesh.corners.reshape(-1, 3), process=False).face_angles.min())


class EveryWayTests(TessellateTestCase):
    def test_every_file_of_the_folder_is_found(self):
        self.assertEqual(sorted(TESSELLATIONS), kinds_written("surface/tessellation"))

    @long
    def test_every_closed_shape_stays_closed_and_keeps_its_parts(self):
        for kind in ("box", "cylinder", "sphere", "torus", "room"):
            for way in ({"kind": "faces", "faces": 5000}, {"kind": "edge", "edge": 60}):
                with self.subTest(kind, **way):
                    pipeline = self.pipeline("cellular_noise", shape={"kind": kind}, tessellation=way)
                    mesh, base = self.engine.run(pipeline.displaced()), self.engine.run(pipeline.base())
                    edges = find_edges(mesh.corners, mesh.offsets)
                    self.assertTrue((edges.counts == 2).all())
                    euler = len(mesh.positions) - len(edges.counts) + mesh.faces
                    self.assertEqual(euler, 0 if kind == "torus" else 2)
                    np.testing.assert_array_equal(mesh.parts, base.parts[mesh.base_faces])
                    self.assertTrue(np.isin(np.unique(mesh.parts), np.arange(len(mesh.part_list))).all())

    def test_new_vertices_lie_on_the_true_shape(self):
        """White on a sphere: radius R + d wherever it is cut, within 1e-4 R."""
        changes = {"amplitude": 20, "midlevel": 0, "layers.0.content.contrast": 0}
        pipeline = self.pipeline(
            "gradient_noise", changes, shape={"kind": "sphere", "diameter": 600, "segments": 9},
            tessellation={"kind": "edge", "edge": 20},
        )  # fmt: skip
        mesh = self.engine.run(pipeline.displaced())
        far = np.linalg.norm(mesh.positions, axis=1)
        np.testing.assert_allclose(far, 300 + 10, atol=300 * 1e-4)
        self.assertGreater(mesh.faces, 5000)

    @long
    def test_bounds_are_said(self):
        with self.assertRaises(RecipeError):
            TESSELLATIONS["faces"].create(kind="faces", faces=3)
        with self.assertRaisesRegex(TooManyFacesError, "About error up to .* mm would fit"):
            self.built("cellular_noise", tessellation={"kind": "error", "error": 0.0001}, longest=1024)
        # what is looked at has as many as can be looked at, and is not taken for the final
        way = {"kind": "faces", "faces": 3000}
        looked = replace(self.pipeline("cellular_noise", tessellation=way), limit=PREVIEW)
        with mock.patch("relief.run.meshes.most_triangles", return_value=1000):
            self.assertLessEqual(self.engine.run(looked.subdivided()).faces, 1000)
        self.assertGreater(self.engine.run(looked.final().subdivided()).faces, 2900)
        many = self.pipeline("cellular_noise", tessellation={"kind": "faces", "faces": 3100})
        with self.assertRaisesRegex(TooManyFacesError, "About 2.000 faces would fit"):
            self.engine.run(many.final(Limit(2000, 1 << 40)).displaced())


class DeviationTests(TessellateTestCase):
    def test_where_a_relief_repeats_its_worst_place_is_found_though_few_are_looked_at_again(self):
        """Of waves half of all triangles are nearly as far off as the worst."""
        for kind in ("waves", "flutes"):
            with self.subTest(kind):
                told = []
                for most in (400, 10**9):
                    with mock.patch("relief.displace.deviation.CHECKED_AT_MOST", most):
                        told.append(Engine().run(self.pipeline(kind, level=2).deviation()))
                few, all_ = told
                self.assertEqual(few.worst, all_.worst)
                self.assertEqual((few.error, few.displacement), (all_.error, all_.displacement))


class EdgeLengthTests(TessellateTestCase):
    def test_no_edge_is_longer_and_few_are_much_shorter(self):
        mesh = self.built("scallops", shape={"kind": "plane"}, tessellation={"kind": "edge", "edge": 7})
        ends = find_edges(mesh.corners, mesh.offsets).vertices
        lengths = np.linalg.norm(mesh.positions[ends[:, 1]] - mesh.positions[ends[:, 0]], axis=1)
        self.assertLessEqual(lengths.max(), 7 * (1 + 1e-5))
        self.assertGreater(np.median(lengths), 7 / 3)

    def test_levels_are_capped(self):
        mesh = self.built(
            "scallops", shape={"kind": "plane", "segments": 4},
            tessellation={"kind": "edge", "edge": 1, "most_level": 3},
        )  # fmt: skip
        self.assertLessEqual(mesh.faces, 4 * 4 * 2 * 4**3)
        self.assertGreater(mesh.faces, 4 * 4 * 2 * 4**2)


class ScreenTests(TessellateTestCase):
    @long
    def test_no_edge_is_longer_on_the_picture_and_far_ones_are_large(self):
        """The size of an edge that is seen from the side, by the pinhole camera (common practice, no source)."""
        camera = np.array([100, -900, 400])
        way = {"kind": "screen", "pixels": 30, "wide": 640, "camera_x": 100, "camera_y": -900, "camera_z": 400}
        shape = {"kind": "plane", "width": 3000, "height": 3000, "segments": 3}
        mesh = self.built("waves", shape=shape, tessellation=way)
        edges = find_edges(mesh.corners, mesh.offsets)
        one, other = (mesh.positions[edges.vertices[:, side]].astype(float) for side in (0, 1))
        share = np.linspace(0, 1, 65)[:, None, None]
        far = np.linalg.norm(one + share * (other - one) - camera, axis=2).min(axis=0)
        lengths = np.linalg.norm(other - one, axis=1)
        pixels = lengths / far * 320 / math.tan(math.radians(20))
        self.assertLess(pixels.max(), 30 * 1.01)
        middle = np.linalg.norm((one + other) / 2 - camera, axis=1)
        near, beyond = lengths[middle < 600], lengths[middle > 1800]
        self.assertGreater(np.median(beyond), 2.5 * np.median(near))


class ErrorTests(TessellateTestCase):
    @long
    def test_no_place_is_farther_off_than_asked(self):
        """On a plane, in 40 000 places that the mesh knows nothing of, against a grid of four quads a texel."""
        grid = self.built("waves", shape={"kind": "plane", "segments": 640}, level=0, longest=160).positions
        xs, ys = np.unique(grid[:, 0]), np.unique(grid[:, 1])
        heights = grid[np.lexsort((grid[:, 0], grid[:, 1])), 2].reshape(len(ys), len(xs))
        places = np.random.default_rng(2).uniform(0.999 * grid.min(axis=0), 0.999 * grid.max(axis=0), (40_000, 3))
        true = RegularGridInterpolator((ys, xs), heights)(places[:, 1::-1])
        for error in (0.5, 0.2):
            pipeline = self.pipeline(
                "waves", longest=160, shape={"kind": "plane", "segments": 5},
                tessellation={"kind": "error", "error": error},
            )  # fmt: skip
            mesh, told = self.engine.run(pipeline.displaced()), self.engine.run(pipeline.deviation())
            flat = Triangulation(mesh.positions[:, 0], mesh.positions[:, 1], mesh.corners.reshape(-1, 3))
            off = LinearTriInterpolator(flat, mesh.positions[:, 2])(places[:, 0], places[:, 1]) - true
            self.assertLess(np.abs(off).max(), error)
            self.assertLess(told.worst, error)
            self.assertAlmostEqual(told.error / np.sqrt(np.mean(off**2)), 1, delta=0.1)

    @long
    def test_sparse_bumps_are_not_missed(self):
        """Small domes far apart, in 200 000 places that no search knows of: bilinear between texels by SciPy."""
        bumps = {"layers.0.content.spacing": 90, "layers.0.content.radius": 7, "amplitude": 9}
        for error in (0.5, 0.2):
            pipeline = self.pipeline(
                "dots", bumps, longest=300, shape={"kind": "plane", "segments": 7},
                mapping={"kind": "uv", "sampling": "bilinear"}, tessellation={"kind": "error", "error": error},
            )  # fmt: skip
            mesh, told = self.engine.run(pipeline.displaced()), self.engine.run(pipeline.deviation())
            field = self.engine.run(pipeline.pipelines["main"].height())
            low, high = mesh.positions.min(axis=0)[:2], mesh.positions.max(axis=0)[:2]
            shares = np.random.default_rng(3).uniform(0.02, 0.98, (200_000, 2))
            rows, columns = field.samples.shape
            at = np.stack([(1 - shares[:, 1]) * rows - 0.5, shares[:, 0] * columns - 0.5])
            true = 9 * (
                map_coordinates(field.samples.astype(float), at, order=1) - pipeline.pipelines["main"].relief.midlevel
            )
            flat = Triangulation(mesh.positions[:, 0], mesh.positions[:, 1], mesh.corners.reshape(-1, 3))
            off = np.abs(LinearTriInterpolator(flat, mesh.positions[:, 2])(*(low + shares * (high - low)).T) - true)
            self.assertLess(off.max(), error)
            self.assertLess(told.worst, error)
            self.assertLess(off.max(), 1.1 * told.worst)

    @long
    def test_an_error_that_is_not_kept_is_said_with_its_place(self):
        way = {"kind": "error", "error": 0.5, "most_level": 2}
        pipeline = self.pipeline("dots", {"amplitude": 20}, shape={"kind": "plane", "segments": 9}, tessellation=way)
        told = self.engine.run(pipeline.deviation())
        self.assertGreater(told.worst, 1)
        base = self.engine.run(pipeline.base()).positions
        self.assertTrue((np.abs(told.where) <= np.abs(base).max(axis=0) + 1e-3).all())
        found = {item.kind: item for item in find_in_mesh(pipeline, self.engine, None)}
        self.assertIn("where at most 0.5 mm was asked for", found["error"].reason)
        further = {**way, "most_level": found["error"].mend.changes["surface.tessellation.most_level"]}
        mended = self.pipeline("dots", {"amplitude": 20}, shape={"kind": "plane", "segments": 9}, tessellation=further)
        self.assertLess(self.engine.run(mended.deviation()).worst, told.worst)

    @long
    def test_what_is_forecast_of_round_shapes_is_built(self):
        for kind in ("sphere", "cylinder"):
            for way in ({"kind": "error", "error": 1.5}, {"kind": "edge", "edge": 17}):
                with self.subTest(kind, **way):
                    shape = {"kind": kind, "diameter": 300, "segments": 48}
                    mapping = {"kind": "uv", "sizing": "fit"}
                    pipeline = self.pipeline("waves", {"amplitude": 12}, shape=shape, mapping=mapping, tessellation=way)
                    forecast, mesh = pipeline.final().forecast(self.engine), self.engine.run(pipeline.displaced())
                    self.assertTrue(1 / 1.25 < forecast.faces / mesh.faces < 1.25, (forecast.faces, mesh.faces))


class PoleTests(TessellateTestCase):
    """At a pole of a sphere a whole line of the relief is one point (common practice, no source)."""

    def moved(self, fade: float) -> tuple[np.ndarray, np.ndarray, float]:
        """Of each vertex its latitude and how far it moves, and how far the mean height does."""
        mapping = {"kind": "uv", "sizing": "fit", "pole_fade": fade, "repeats_across": 9, "repeats_down": 5}
        pipeline = self.pipeline(
            "dots", {"amplitude": 10, "midlevel": 0.25}, shape={"kind": "sphere", "diameter": 300, "segments": 64},
            mapping=mapping, level=2,
        )  # fmt: skip
        positions = self.engine.run(pipeline.displaced()).positions.astype(float)
        radius = np.linalg.norm(positions, axis=1)
        heights = self.engine.run(pipeline.pipelines["main"].height()).samples
        return np.degrees(np.arcsin(positions[:, 1] / radius)), radius - 150, 10 * float(heights.mean() - 0.25)

    def test_the_relief_fades_to_its_mean_within_the_angle(self):
        latitude, moved, mean = self.moved(15)
        np.testing.assert_allclose(moved[np.abs(latitude) > 89.9], mean, atol=1e-3)
        _, whole, _ = self.moved(0)
        far = np.abs(latitude) < 74.9
        np.testing.assert_allclose(moved[far], whole[far], atol=1e-3)
        # halfway between, a smooth step leaves a half
        halfway = np.abs(np.abs(latitude) - 82.5) < 0.8
        self.assertGreater(halfway.sum(), 100)
        share = np.ptp(moved[halfway]) / np.ptp(whole[halfway])
        self.assertAlmostEqual(share, 0.5, delta=0.1)

    def test_without_it_spikes_stand_at_the_poles(self):
        latitude, whole, _ = self.moved(0)
        near = np.abs(latitude) > 87
        faded = self.moved(10)[1]
        self.assertLess(np.ptp(faded[near]), 0.35 * np.ptp(whole[near]))


class BudgetTests(TessellateTestCase):
    @long
    def test_the_budget_is_kept_and_well_spent(self):
        """Within 2 %; off by less than levels of as many faces, by half where there is flat ground."""
        for kind, most in (
            ("scallops", 0.55),
            ("rosette", 0.4),
            ("dots", 0.9),
            ("gradient_noise", 0.9),
            ("waves", 1.0),
        ):
            with self.subTest(kind):
                shape = {"kind": "plane", "segments": 12}
                even = self.pipeline(kind, longest=512, shape=shape, level=4)
                count = as_triangles(self.engine.run(even.displaced())).faces
                way = {"kind": "faces", "faces": count}
                spent = self.pipeline(kind, longest=512, shape=shape, tessellation=way)
                self.assertTrue(0.98 * count <= self.engine.run(spent.displaced()).faces <= count)
                off = [self.engine.run(each.deviation()).error for each in (spent, even)]
                print(f"{kind}: {count} faces, off by {off[0]:.3g} mm where levels are by {off[1]:.3g}")
                self.assertLess(off[0] / off[1], most)

    @long
    def test_more_faces_are_never_farther_off(self):
        off = [
            self.engine.run(
                self.pipeline(
                    "net", shape={"kind": "sphere", "diameter": 300}, tessellation={"kind": "faces", "faces": faces}
                ).deviation()
            ).error
            for faces in (2000, 8000, 32_000)
        ]
        self.assertTrue(off[0] > off[1] > off[2], off)


class RegionTests(TessellateTestCase):
    @long
    def test_pinned_regions_meet_without_a_crack(self):
        surface = {
            "shape": {"kind": "cylinder", "diameter": 400, "height": 500},
            "regions": [{"name": "Top", "parts": ["top cap"], "fade": 30}],
            "tessellation": {"kind": "faces", "faces": 20_000},
        }
        mesh = self.built("net", **surface)
        self.assertTrue(trimesh.Trimesh(mesh.positions, mesh.corners.reshape(-1, 3), process=False).is_watertight)
        rim = mesh.positions[np.unique(mesh.corners[np.repeat(mesh.parts == 1, 3)])]
        rim = rim[np.abs(np.hypot(rim[:, 0], rim[:, 2]) - 200) < 1e-2]
        self.assertGreater(len(rim), 40)
        np.testing.assert_allclose(rim[:, 1], 250, atol=1e-2)

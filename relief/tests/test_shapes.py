"""Shapes with their regions displaced: radii, volumes, closed edges, and which way faces look; against trimesh."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh

from relief.height import Footprint
from relief.inspect.find import find_in_surface
from relief.inspect.finding import Finding
from relief.inspect.mesh_section import Front, cut_mesh, find_end, place_cut
from relief.inspect.start import start_from_nothing
from relief.inspect.stretch import measure_stretch
from relief.run.engine import Engine
from relief.run.meshes import SurfacePipeline
from relief.surface.base_form import BaseForm, Handle, raise_softly
from relief.surface.mapping.mapping import Bounds
from relief.surface.mapping.own import OwnMapping
from relief.surface.mapping.spherical import SphericalMapping
from relief.surface.mesh import Mesh
from relief.surface.normals import directions, smooth_by_angle
from relief.surface.regions import Region, assign_regions, grow_faces
from relief.surface.shapes import SHAPES
from relief.surface.shapes.box import Box
from relief.surface.shapes.cylinder import Cylinder
from relief.surface.shapes.plane import Plane
from relief.surface.shapes.room import Room
from relief.surface.shapes.shape import Shape
from relief.surface.shapes.sphere import Sphere
from relief.surface.shapes.torus import Torus
from relief.surface.subdivide import count_flat, subdivide_flat
from relief.surface.surface import Surface
from relief.tests.height_fields import WRAP, field, rough
from relief.tests.surfaces import displace
from relief.tests.tags import long

FOOTPRINT = Footprint(width=70, height=45)
ROUGH = field(rough(48, 64, seed=5), width=70, height=45, edges=WRAP)
WHITE = field(np.ones((4, 4)), width=70, height=45)
OURS: dict[str, Shape] = {kind: model() for kind, model in SHAPES.items() if kind != "mesh"}


def solid(mesh: Mesh) -> trimesh.Trimesh:
    return trimesh.Trimesh(mesh.positions, mesh.corners[mesh.triangles()], process=False)


class ShapeTests(TestCase):
    def test_volumes_and_areas_are_those_of_the_true_shapes(self):
        """Textbook formulas; the finer the mesh the nearer, and inside it as every inscribed one is."""
        expected = {
            "box": (300 * 200 * 100, 2 * (300 * 200 + 200 * 100 + 300 * 100)),
            "cylinder": (np.pi * 50**2 * 200, 2 * np.pi * 50 * 200 + 2 * np.pi * 50**2),
            "sphere": (4 / 3 * np.pi * 50**3, 4 * np.pi * 50**2),
            "torus": (2 * np.pi**2 * 40 * 10**2, 4 * np.pi**2 * 40 * 10),
            "room": (-300 * 200 * 100, 2 * (300 * 200 + 200 * 100 + 300 * 100)),
        }
        shapes = {
            "box": Box(width=300, height=200, depth=100), "cylinder": Cylinder(diameter=100, height=200),
            "sphere": Sphere(diameter=100), "torus": Torus(diameter=100, thickness=20),
            "room": Room(width=300, height=200, depth=100),
        }  # fmt: skip
        for kind, (volume, area) in expected.items():
            with self.subTest(kind):
                coarse, fine = (solid(shapes[kind].mesh(FOOTPRINT, level)) for level in (0, 3))
                self.assertAlmostEqual(fine.volume / volume, 1, delta=2e-3)
                self.assertAlmostEqual(fine.area / area, 1, delta=2e-3)
                self.assertLessEqual(abs(fine.volume / volume - 1), abs(coarse.volume / volume - 1) + 1e-6)

    @long
    def test_every_closed_shape_is_watertight_at_every_level_with_the_right_euler_characteristic(self):
        """V - E + F: 2 for what is like a ball, 0 for a ring."""
        for kind, shape in OURS.items():
            if kind == "plane":
                continue
            for level in (0, 1, 3):
                with self.subTest(kind, level=level):
                    mesh = solid(shape.mesh(FOOTPRINT, level))
                    self.assertTrue(mesh.is_watertight and mesh.is_winding_consistent)
                    self.assertEqual(mesh.euler_number, 0 if kind == "torus" else 2)
                    self.assertEqual(mesh.volume < 0, shape.inward, "only the room looks inward")

    def test_own_uv_stays_inside_and_has_its_real_area(self):
        for kind, shape in OURS.items():
            with self.subTest(kind):
                mesh = shape.mesh(FOOTPRINT, 2)
                self.assertGreaterEqual(mesh.uv.min(), 0)
                self.assertLessEqual(mesh.uv.max(), 1)
                flat = np.column_stack([mesh.uv, np.zeros(len(mesh.uv))])
                triangles = trimesh.Trimesh(flat, mesh.uv_corners[mesh.triangles()], process=False)
                sizes = np.array([part.width * part.height for part in mesh.part_list])
                area = (triangles.area_faces * sizes[mesh.parts[mesh.face_of_triangles()]]).sum()
                stretched = (
                    np.pi / 2 if kind == "sphere" else 1
                )  # longitude is as long near the poles as at the equator
                self.assertAlmostEqual(area / stretched / solid(mesh).area, 1, delta=0.02)

    def test_uv_runs_to_the_right_and_up_seen_from_its_side(self):
        """Read from outside (from inside in the room), letters on the maps are not mirrored."""
        for kind, shape in OURS.items():
            with self.subTest(kind):
                mesh = shape.mesh(FOOTPRINT, 1)
                a, b, c = np.moveaxis(mesh.uv[mesh.uv_corners[mesh.triangles()]].astype(np.float64), 1, 0)
                (u, v), (p, q) = (b - a).T, (c - a).T
                self.assertGreater((u * q - v * p).min(), 0)

    def test_every_base_face_is_cut_into_as_many(self):
        for kind, shape in OURS.items():
            with self.subTest(kind):
                counts = np.bincount(shape.mesh(FOOTPRINT, 2).base_faces)
                self.assertEqual((set(counts), len(counts)), ({16}, shape.mesh(FOOTPRINT, 0).faces))

    def test_rims_are_hard_until_the_smoothing_angle_takes_them_in(self):
        hard, soft = (Cylinder(smoothing=angle).mesh(FOOTPRINT, 0) for angle in (40, 95))
        self.assertGreater(len(hard.normals), len(hard.positions))
        self.assertEqual(len(soft.normals), len(soft.positions))
        self.assertEqual(len(smooth_by_angle(hard, 40).normals), len(hard.normals))
        np.testing.assert_allclose(np.linalg.norm(directions(hard), axis=1), 1, atol=1e-6)


class FlatSubdivisionTests(TestCase):
    def test_counts_area_and_euler_of_mixed_polygons(self):
        """A pyramid over a pentagon: each triangle gives 4, the pentagon 5 quads and from then on 4 each."""
        angles = 2 * np.pi * np.arange(5) / 5
        positions = np.float32([*np.stack([np.cos(angles), np.sin(angles), 0 * angles], axis=1), (0, 0, 1)])
        faces = [(4, 3, 2, 1, 0), *((k, (k + 1) % 5, 5) for k in range(5))]
        corners = np.concatenate(faces).astype(np.int32)
        offsets = np.cumsum([0, *map(len, faces)]).astype(np.int32)
        plain = Plane().mesh(FOOTPRINT, 0)
        mesh = smooth_by_angle(
            Mesh(
                positions, np.zeros((0, 3), np.float32), positions[:, :2].copy(), corners, corners, corners, offsets,
                np.zeros(6, np.uint16), np.arange(6, dtype=np.int32), plain.part_list,
            ),
            40,
        )  # fmt: skip
        for level, expected in ((0, 6), (1, 25), (2, 100), (3, 400)):
            cut = subdivide_flat(mesh, level)
            self.assertEqual((cut.faces, len(cut.positions)), count_flat(mesh, level)[level])
            self.assertEqual(cut.faces, expected)
            self.assertTrue(solid(cut).is_watertight)
            self.assertEqual(solid(cut).euler_number, 2)
            self.assertAlmostEqual(solid(cut).area, solid(mesh).area, places=4)
            self.assertEqual(len(np.unique(cut.base_faces)), 6)

    def test_triangles_against_trimesh(self):
        """trimesh `subdivide`."""
        torus = solid(Torus().mesh(FOOTPRINT, 0))
        ours = smooth_by_angle(_triangle_mesh(torus), 180)
        other = torus.subdivide()
        cut = subdivide_flat(ours, 1)
        self.assertEqual((cut.faces, len(cut.positions)), (len(other.faces), len(other.vertices)))
        order = (np.lexsort(np.round(points, 2).T) for points in (cut.positions, other.vertices))
        one, two = order
        np.testing.assert_allclose(cut.positions[one], other.vertices[two], atol=0.02)


def _triangle_mesh(mesh: trimesh.Trimesh) -> Mesh:
    corners = mesh.faces.reshape(-1).astype(np.int32)
    offsets = np.arange(0, len(corners) + 1, 3, dtype=np.int32)
    points = mesh.vertices.astype(np.float32)
    return Mesh(
        points, np.zeros((0, 3), np.float32), points[:, :2].copy(), corners, corners, corners, offsets,
        np.zeros(len(mesh.faces), np.uint16), np.arange(len(mesh.faces), dtype=np.int32),
        Plane().mesh(FOOTPRINT, 0).part_list,
    )  # fmt: skip


class DisplacedShapeTests(TestCase):
    def test_a_sphere_displaced_by_d_has_radius_r_plus_d(self):
        for level in (0, 2):
            for mapping in ("uv", "spherical", "box", "azimuthal"):
                mesh = displace(Sphere(diameter=200, segments=30), WHITE, 8, 0, level, mapping={"kind": mapping})
                radii = np.linalg.norm(mesh.positions.astype(np.float64), axis=1)
                np.testing.assert_allclose(radii, 108, atol=1e-4 * 100)

    def test_a_room_comes_inward_and_a_box_outward(self):
        size = {"width": 300, "height": 200, "depth": 100}
        for shape, middle in ((Box(**size), 150 + 7), (Room(**size), 150 - 7)):
            mesh = displace(shape, WHITE, 7, 0, 2)
            wall = mesh.parts == next(n for n, part in enumerate(mesh.part_list) if part.name.startswith("right"))
            x = mesh.positions[mesh.corners[wall[mesh.face_of_corners]], 0]
            self.assertAlmostEqual(float(np.median(x)), middle, places=3)

    def test_rough_relief_leaves_no_crack_on_any_closed_shape(self):
        for kind, shape in OURS.items():
            if kind == "plane":
                continue
            for mapping in ("uv", "box", "planar"):
                with self.subTest(kind, mapping=mapping):
                    mesh = displace(shape, ROUGH, 6, 0.5, 2, mapping={"kind": mapping})
                    self.assertTrue(solid(mesh).is_watertight)
                    self.assertGreater(np.ptp(np.linalg.norm(mesh.positions, axis=1)), 1)

    def test_a_ground_of_10_km_with_2500_m_of_height(self):
        """No hidden limit and no lost precision: volume over the plane as the mean height says."""
        ground = field(rough(96, 128, seed=9), width=1e7, height=7.5e6, edges=WRAP)
        mesh = displace(Plane(segments=128), ground, 2.5e6, 0, 1, mapping={"kind": "uv", "sampling": "bilinear"})
        heights = mesh.positions.reshape(-1, 3)[:, 2]
        self.assertAlmostEqual(heights.mean() / (2.5e6 * ground.samples.mean()), 1, delta=0.01)
        self.assertAlmostEqual(float(np.ptp(mesh.positions[:, 0])), 1e7, delta=1)


class RegionTests(TestCase):
    def regions(self, **values) -> tuple[Region, ...]:
        return (Region(name="Cap", parts=("top cap",), relief="", **values),)

    def test_a_region_without_relief_stays_and_its_neighbour_fades_to_it(self):
        shape = Cylinder(diameter=200, height=100)
        mesh = displace(shape, WHITE, 5, 0, 3, regions=self.regions(fade=20))
        x, _, z = mesh.positions.T
        radii, base = np.hypot(x, z), shape.mesh(FOOTPRINT, 3)
        cap = np.unique(base.corners[(base.parts == 1)[base.face_of_corners]])
        np.testing.assert_allclose(mesh.positions[cap], base.positions[cap], atol=1e-4)
        far = np.abs(base.positions[:, 1]) < 20
        np.testing.assert_allclose(radii[far], 105, atol=1e-3)
        side = np.flatnonzero(np.hypot(base.positions[:, 0], base.positions[:, 2]) > 99.99)
        near = side[(50 - base.positions[side, 1] > 0) & (50 - base.positions[side, 1] < 20)]
        part = (50 - base.positions[near, 1]) / 20
        np.testing.assert_allclose(radii[near] - 100, 5 * part**2 * (3 - 2 * part), atol=0.05)
        self.assertTrue(solid(mesh).is_watertight)

    def test_a_box_with_pinned_faces_has_no_open_edge(self):
        names = ("front", "right", "top")
        regions = tuple(
            Region(name=name, parts=(name,), factor=2, fade=fade) for name, fade in zip(names, (0, 3, 40), strict=True)
        )
        mesh = displace(Box(), ROUGH, 9, 0.3, 2, regions=regions)
        self.assertTrue(solid(mesh).is_watertight)
        self.assertEqual(solid(mesh).euler_number, 2)

    def test_factor_and_midlevel_shift(self):
        regions = (Region(parts=("front",), factor=3, midlevel_shift=0.25, pinned=False),)
        mesh = displace(Box(width=100, height=100, depth=100), WHITE, 8, 0.5, 3, regions=regions)
        inside = np.abs(mesh.positions[:, :2]).max(axis=1) < 40
        front, back = (mesh.positions[inside & (sign * mesh.positions[:, 2] > 0), 2] for sign in (1, -1))
        np.testing.assert_allclose(front, 50 + 8 * 3 * (1 - 0.75), atol=1e-4)
        np.testing.assert_allclose(back, -50 - 8 * 0.5, atol=1e-4)

    def test_regions_grow_and_shrink_by_rings_of_base_faces(self):
        base = Box(segments=6).mesh(FOOTPRINT, 0)
        front = assign_regions(base, [Region(parts=("front",))]) == 1
        self.assertEqual(front.sum(), 36)
        self.assertEqual(grow_faces(base, front, 1).sum(), 36 + 4 * 6)
        self.assertEqual(grow_faces(base, front, -1).sum(), 16)
        self.assertEqual(grow_faces(base, front, -3).sum(), 0)

    def test_a_region_has_a_mapping_of_its_own(self):
        ramp = field(np.tile((np.arange(64) + 0.5) / 64, (64, 1)), width=70, height=45)
        shape = Cylinder(diameter=100, height=50)
        own = {"kind": "planar", "axis": "y", "sizing": "fit"}
        regions = (Region(parts=("top cap",), mapping=own, pinned=False),)
        mesh = displace(shape, ramp, 10, 0, 2, regions=regions)
        base = shape.mesh(FOOTPRINT, 2)
        inner = (base.positions[:, 1] > 24.9) & (np.hypot(base.positions[:, 0], base.positions[:, 2]) < 45)
        expected = 25 + 10 * (base.positions[inner, 0] / 100 + 0.5)
        np.testing.assert_allclose(mesh.positions[inner, 1], expected, atol=0.02)


class BaseFormTests(TestCase):
    def test_a_handle_raises_softly_and_noise_keeps_the_surface_closed(self):
        plane = Plane(width=200, height=200, segments=40).mesh(FOOTPRINT, 0)
        raised = raise_softly(plane, BaseForm(handles=(Handle(x=20, y=0, z=0, raised=12, falloff=50),)))
        far = np.hypot(plane.positions[:, 0] - 20, plane.positions[:, 1])
        expected = 12 * np.clip(1 - (far / 50) ** 2, 0, None) ** 2
        np.testing.assert_allclose(raised.positions[:, 2], expected, atol=1e-4)
        ball = raise_softly(Sphere(diameter=100).mesh(FOOTPRINT, 2), BaseForm(noise=6, size=60, seed=3))
        self.assertTrue(solid(ball).is_watertight)
        radii = np.linalg.norm(ball.positions, axis=1)
        self.assertTrue(2 < np.ptp(radii) < 40)


def cut_across(mesh: Mesh, *ends: tuple[float, float]) -> np.ndarray:
    front = Front.of(mesh)
    return cut_mesh(mesh, *map(front.place, ends))


class SectionTests(TestCase):
    def test_the_line_lies_on_the_surface_where_it_was_cut(self):
        cylinder = Cylinder(diameter=200, height=300, segments=96).mesh(FOOTPRINT, 2)
        front = Front.of(cylinder)
        first, last = front.place((0.25, 0.1)), front.place((0.9, 0.8))
        cut = cut_mesh(cylinder, first, last)
        placed = place_cut(cut, first, last).reshape(-1, 3)
        side = np.abs(placed[:, 1]) < 149.9
        np.testing.assert_allclose(np.hypot(placed[side, 0], placed[side, 2]), 100, atol=0.1)
        along, out = find_end(cut, 0)
        self.assertAlmostEqual(along, 0, delta=0.2)
        self.assertAlmostEqual(np.hypot(first[0], out), 100, delta=0.5)

    def test_a_cylinder_cut_across_is_round_and_a_box_cut_askew_is_as_long_as_its_diagonal(self):
        cylinder = Cylinder(diameter=200, height=300, segments=64).mesh(FOOTPRINT, 1)
        cut = cut_across(cylinder, (0, 0.37), (1, 0.37))
        np.testing.assert_allclose(np.hypot(cut[..., 0] - 100, cut[..., 1]), 100, atol=0.2)
        around = np.linalg.norm(cut[:, 0] - cut[:, 1], axis=1).sum()
        self.assertAlmostEqual(around / (np.pi * 200), 1, delta=1e-3)
        box = Box(width=300, height=400, depth=100, segments=7).mesh(FOOTPRINT, 1)
        cut = cut_across(box, (0, 1), (1, 0))
        np.testing.assert_allclose(np.ptp(cut.reshape(-1, 2), axis=0), (500, 100), atol=1e-3)

    def test_against_trimesh(self):
        """trimesh `intersections.mesh_plane`: as many segments, and as long."""
        torus = displace(Torus(diameter=300, thickness=90), ROUGH, 8, 0.5, 1)
        cut = cut_across(torus, (0.31, 0), (0.31, 1))
        low, high = torus.bounds()
        at = (low[0] + 0.31 * (high[0] - low[0]), 0, 0)
        lines = trimesh.intersections.mesh_plane(solid(torus), (1, 0, 0), at)
        self.assertEqual(len(cut), len(lines))
        lengths = (np.linalg.norm(part[:, 0] - part[:, 1], axis=1).sum() for part in (cut, lines))
        one, other = lengths
        self.assertAlmostEqual(one / other, 1, places=4)


class StretchTests(TestCase):
    def test_a_plane_is_not_stretched_and_a_sphere_by_latitude_is(self):
        """Equirectangular (Snyder 1987, p. 90): along a parallel lengths grow by 1 / cos of the latitude."""
        plane = Plane(width=140, height=90).mesh(FOOTPRINT, 1)
        laid = OwnMapping().lay(plane, FOOTPRINT, Bounds(*plane.bounds()))
        flat, factor, angle = measure_stretch(replace(plane, uv=laid.uv.astype(np.float32)), FOOTPRINT.sides)
        self.assertAlmostEqual(flat.smallest, 1, places=4)
        self.assertLess(max(np.abs(factor).max(), np.abs(angle).max()), 0.05)
        sphere = Sphere(diameter=100, segments=64).mesh(FOOTPRINT, 2)
        laid = SphericalMapping().lay(sphere, FOOTPRINT, Bounds(*sphere.bounds()))
        round_ = replace(sphere, uv=laid.uv.astype(np.float32), uv_corners=laid.corners)
        _, factor, angle = measure_stretch(round_, FOOTPRINT.sides)
        middles = sphere.positions[sphere.corners[sphere.triangles()]].mean(axis=1)
        latitude = np.arcsin(middles[:, 1] / np.linalg.norm(middles, axis=1))
        away = np.abs(latitude) < np.radians(60)
        grown = 1 / np.cos(latitude[away])
        np.testing.assert_allclose(2.0 ** (2 * factor[away]), grown, rtol=0.02)
        np.testing.assert_allclose(angle[away], 2 * np.degrees(np.arcsin((grown - 1) / (grown + 1))), atol=1.5)


class SurfaceFindingsTests(TestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.engine = Engine()
        cls.scallops = start_from_nothing("scallops", {}.__getitem__, cls.engine)

    def found(self, **surface) -> dict[str, Finding]:
        recipe = self.scallops.model_copy(update={"surface": Surface(**surface)})
        pipeline = SurfacePipeline.of(recipe, {}.__getitem__, 64)
        return {item.kind: item for item in find_in_surface(pipeline, self.engine)}

    def test_sound_surfaces_have_none(self):
        for shape in (Plane(), Box(), Room()):
            self.assertEqual(self.found(shape=shape), {}, shape.kind)

    def test_a_join_that_stays_open_is_found_and_mended_by_whole_repeats(self):
        for kind in ("cylinder", "sphere", "torus"):
            finding = self.found(shape=OURS[kind])["join"]
            self.assertEqual(finding.mend.changes, {"surface.mapping.whole": True})
            self.assertNotIn("join", self.found(shape=OURS[kind], mapping={"kind": "uv", "whole": True}))
        self.assertIn(
            "join", self.found(shape=Sphere(), mapping={"kind": "uv", "sizing": "fit", "repeats_across": 2.5})
        )
        self.assertNotIn(
            "join", self.found(shape=Sphere(), mapping={"kind": "uv", "sizing": "fit", "repeats_across": 3})
        )

    def test_turned_faces_are_found_but_a_room_is_meant_to_look_inward(self):
        for kind in ("plane", "box", "room", "torus"):
            self.assertIn("reversed", self.found(shape=OURS[kind], turned=True), kind)

    def test_a_planar_mapping_along_a_wall_is_found(self):
        self.assertIn("pulled", self.found(shape=Box(), mapping={"kind": "planar"}))
        self.assertNotIn("pulled", self.found(shape=Box(), mapping={"kind": "box"}))

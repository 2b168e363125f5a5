"""Mappings: their formulas against Snyder and pyproj, sizing, repeats, and that nothing is torn apart."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
import pyproj

from relief.filters.sample import sample_heights
from relief.height import Footprint
from relief.surface.mapping import MAPPINGS
from relief.surface.mapping.azimuthal import AzimuthalMapping, azimuthal_equidistant
from relief.surface.mapping.box import BoxMapping
from relief.surface.mapping.cylindrical import CylindricalMapping
from relief.surface.mapping.mapping import Bounds, Laid, Mapping
from relief.surface.mapping.own import OwnMapping
from relief.surface.mapping.planar import PlanarMapping
from relief.surface.mapping.spherical import SphericalMapping
from relief.surface.mesh import Mesh
from relief.surface.reverse import turn_faces
from relief.surface.seams import find_seams
from relief.surface.shapes.box import Box
from relief.surface.shapes.cylinder import Cylinder
from relief.surface.shapes.plane import Plane
from relief.surface.shapes.shape import Shape
from relief.surface.shapes.sphere import Sphere
from relief.surface.shapes.torus import Torus
from relief.tests.folders import kinds_written
from relief.tests.height_fields import WRAP, field, rough, sinusoid
from relief.tests.surfaces import displace

FOOTPRINT = Footprint(width=70, height=45)


def lay(shape: Shape, mapping: Mapping, footprint: Footprint = FOOTPRINT, level: int = 0) -> tuple[Mesh, Laid]:
    mesh = shape.mesh(footprint, level)
    return mesh, mapping.lay(mesh, footprint, Bounds(*mesh.bounds()))


def spread(laid: Laid) -> np.ndarray:
    """Repeats that are covered, across and down."""
    return np.ptp(laid.uv, axis=0)


class FormulaTests(TestCase):
    def test_azimuthal_equidistant_against_the_worked_example_of_snyder(self):
        """Snyder 1987, USGS Professional Paper 1395, p. 337: R = 3, centre 40 N 100 W, point 20 S 100 E."""
        latitude, longitude, pole, around = np.radians([-20.0, 100.0, 40.0, -100.0])
        x, y = azimuthal_equidistant(latitude, longitude, pole, around, radius=3)
        self.assertAlmostEqual(float(x), -5.8311398, places=7)
        self.assertAlmostEqual(float(y), 5.5444634, places=7)

    def points(self) -> tuple[Mesh, np.ndarray, np.ndarray]:
        """A sphere, and the latitude and longitude of its vertices in degrees."""
        mesh = Sphere(diameter=600, segments=22).mesh(FOOTPRINT, 0)
        x, y, z = mesh.positions.astype(np.float64).T / 300
        return mesh, np.degrees(np.arcsin(np.clip(y, -1, 1))), np.degrees(np.arctan2(x, z))

    def test_azimuthal_against_pyproj(self):
        """pyproj `aeqd`; the repeats are those of the real size."""
        mesh, latitude, longitude = self.points()
        mapping = AzimuthalMapping(pole_latitude=35, pole_longitude=-110)
        laid = mapping.lay(mesh, FOOTPRINT, Bounds(*mesh.bounds()))
        expected = pyproj.Proj("+proj=aeqd +R=300 +lat_0=35 +lon_0=-110")(longitude, latitude)
        inner = np.hypot(*expected) < 0.95 * np.pi * 300  # opposite the pole every direction is right
        middle = 0.5 * 2 * np.pi * 300 / np.array(FOOTPRINT.sides)
        found = (laid.uv - middle) * FOOTPRINT.sides
        of_vertices = np.zeros((len(mesh.positions), 2))
        of_vertices[mesh.corners] = found[laid.corners]
        np.testing.assert_allclose(of_vertices[inner], np.stack(expected, axis=1)[inner], atol=2e-3)

    def test_spherical_and_cylindrical_against_pyproj(self):
        """pyproj `eqc` for longitude and latitude; `cea` (equal area) for height along the axis of a sphere."""
        mesh, latitude, longitude = self.points()
        for mapping, name in ((SphericalMapping(), "eqc"), (CylindricalMapping(), "cea")):
            with self.subTest(name):
                laid = mapping.lay(mesh, FOOTPRINT, Bounds(*mesh.bounds()))
                x, y = pyproj.Proj(f"+proj={name} +R=300")(longitude, latitude)
                away = (np.abs(latitude) < 89) & (np.abs(longitude) < 179)
                low = np.array([-np.pi * 300, -np.pi * 150 if name == "eqc" else -300])
                expected = (np.stack([x, y], axis=1) - low) / FOOTPRINT.sides
                of_vertices = np.zeros((len(mesh.positions), 2))
                of_vertices[mesh.corners] = laid.uv[laid.corners]
                np.testing.assert_allclose(of_vertices[away], expected[away], atol=1e-4)


class SizingTests(TestCase):
    def test_repeats_are_counted_on_a_box_of_2_and_of_4_metres(self):
        """Common practice, no source: by real size a box twice as large shows twice as many."""
        for side in (2000, 4000):
            _, laid = lay(Box(width=side, height=side, depth=side), OwnMapping(), Footprint(width=500, height=250))
            np.testing.assert_allclose(spread(laid), (side / 500, side / 250))

    def test_a_larger_object_keeps_doubles_or_slides_its_repeats(self):
        shapes = {
            "planar": lambda size: Box(width=size, height=size, depth=size),
            "box": lambda size: Box(width=size, height=size, depth=size),
            "cylindrical": lambda size: Cylinder(diameter=size, height=size),
            "spherical": lambda size: Sphere(diameter=size),
            "azimuthal": lambda size: Sphere(diameter=size),
            "uv": lambda size: Cylinder(diameter=size, height=size),
        }
        self.assertEqual(sorted(shapes), sorted(MAPPINGS))
        for kind, shape in shapes.items():
            with self.subTest(kind):
                fit = [
                    spread(lay(shape(size), MAPPINGS[kind](sizing="fit", repeats_across=3))[1]) for size in (700, 1400)
                ]
                np.testing.assert_allclose(fit[0], fit[1], rtol=1e-6)
                self.assertAlmostEqual(fit[0][0], 3, delta=0.2)
                real = [spread(lay(shape(size), MAPPINGS[kind](sizing="real"))[1]) for size in (700, 1400)]
                np.testing.assert_allclose(2 * real[0], real[1], rtol=1e-6)

    def test_fixed_in_world_a_place_keeps_its_place_when_the_object_grows_or_moves(self):
        for mapping in (PlanarMapping(sizing="world"), BoxMapping(sizing="world", passage=0)):
            with self.subTest(mapping.kind):
                small = Plane(width=200, height=100, segments=4).mesh(FOOTPRINT, 0)
                large = Plane(width=400, height=200, segments=8).mesh(FOOTPRINT, 0)
                moved = Plane(width=200, height=100, segments=4).mesh(FOOTPRINT, 0)
                object.__setattr__(moved, "middle", (35.0, -20.0, 0.0))
                found = {}
                for name, mesh in (("small", small), ("large", large), ("moved", moved)):
                    laid = mapping.lay(mesh, FOOTPRINT, Bounds(*mesh.bounds()))
                    world = mesh.positions[mesh.corners] + np.array(mesh.middle)
                    found[name] = dict(zip(map(tuple, np.round(world, 3)), laid.uv[laid.corners], strict=True))
                    np.testing.assert_allclose(laid.uv[laid.corners], world[:, :2] / FOOTPRINT.sides, atol=1e-6)
                for place in found["small"].keys() & found["large"].keys():
                    np.testing.assert_allclose(found["small"][place], found["large"][place], atol=1e-9)

    def test_far_out_in_the_world_nothing_is_lost(self):
        """A coin 10 km away: steps of a hundredth of a mm are told apart, which float32 alone could not."""
        mesh = Plane(width=0.2, height=0.2, segments=20).mesh(Footprint(width=1, height=1), 0)
        object.__setattr__(mesh, "middle", (1e7, 0.0, 0.0))
        laid = PlanarMapping(sizing="world").lay(mesh, Footprint(width=1, height=1), Bounds(*mesh.bounds()))
        across = np.unique(np.round(laid.uv[:, 0] - 1e7, 6))
        np.testing.assert_allclose(np.diff(across), 0.01, atol=1e-6)

    def test_whole_repeats_close_where_the_surface_closes(self):
        shape = Cylinder(diameter=100, height=80)
        _, laid = lay(shape, OwnMapping(whole=True), Footprint(width=37, height=30))
        side = spread(laid)
        self.assertEqual(round(side[0], 9), round(np.pi * 100 / 37))

    def test_shift_turn_and_mirror(self):
        """By hand: a point of the plane, in repeats from its middle."""
        mesh = Plane(width=90, height=60, segments=3).mesh(FOOTPRINT, 0)
        points = mesh.positions[:, :2].astype(np.float64)
        middle = 0.5 * np.array([90, 60]) / FOOTPRINT.sides
        bounds = Bounds(*mesh.bounds())
        shifted = OwnMapping(shift_across=0.25, shift_down=0.5).lay(mesh, FOOTPRINT, bounds).uv
        np.testing.assert_allclose(shifted, points / FOOTPRINT.sides + middle + (-0.25, 0.5), atol=1e-6)
        turned = OwnMapping(turn=90).lay(mesh, FOOTPRINT, bounds).uv  # the relief turns, so that its x runs up
        expected = np.stack([points[:, 1], -points[:, 0]], axis=1) / FOOTPRINT.sides + middle
        np.testing.assert_allclose(turned, expected, atol=1e-6)
        mirrored = OwnMapping(mirror_across=True).lay(mesh, FOOTPRINT, bounds).uv
        np.testing.assert_allclose(mirrored, points * (-1, 1) / FOOTPRINT.sides + middle, atol=1e-6)


class SeamTests(TestCase):
    def test_no_face_is_torn_where_a_turn_ends(self):
        """Across every face the places change by no more than a face can be long."""
        for shape in (Sphere(segments=15), Cylinder(segments=17), Torus(segments=19)):
            for kind in ("cylindrical", "spherical"):
                for turned in (False, True):
                    with self.subTest(shape.kind, mapping=kind, turned=turned):
                        mesh = shape.mesh(FOOTPRINT, 1)
                        mesh = turn_faces(mesh) if turned else mesh
                        laid = MAPPINGS[kind](sizing="fit").lay(mesh, FOOTPRINT, Bounds(*mesh.bounds()))
                        u = laid.uv[laid.corners, 0]
                        first = mesh.offsets[:-1]
                        widths = np.maximum.reduceat(u, first) - np.minimum.reduceat(u, first)
                        self.assertLess(widths.max(), 0.51)
                        self.assertLess(np.median(widths), 0.05)

    def test_relief_is_continuous_over_the_join_when_repeats_are_whole(self):
        """A wave around a cylinder: the surface after a turn is where it was, and the join is no crease."""
        wave = field(sinusoid(1, 256, 2), width=100, height=100, edges=WRAP)
        for kind in ("uv", "cylindrical"):
            mapping = {"kind": kind, "sizing": "fit", "repeats_across": 3}
            mesh = displace(
                Cylinder(diameter=200, height=60, caps=False, segments=96), wave, 8, 0.5, 1, mapping=mapping
            )
            angle = np.arctan2(mesh.positions[:, 0], mesh.positions[:, 2])
            radius = np.hypot(mesh.positions[:, 0], mesh.positions[:, 2])
            expected = 100 + 8 * 0.5 * np.sin(2 * np.pi * 6 * (angle / (2 * np.pi) + 0.5))
            np.testing.assert_allclose(radius, expected, atol=0.03)

    def test_a_soft_passage_mixes_and_a_hard_one_does_not(self):
        sphere = Sphere(diameter=100)
        hill = field(rough(64, 64, seed=4), width=40, height=40, edges=WRAP)
        soft = displace(sphere, hill, 4, 0.5, 2, mapping={"kind": "box", "passage": 0.3})
        hard = displace(sphere, hill, 4, 0.5, 2, mapping={"kind": "box", "passage": 0})
        straight = np.abs(soft.positions / 50).max(axis=1) > 0.95  # where one side is looked at straight on
        np.testing.assert_allclose(soft.positions[straight], hard.positions[straight], atol=1e-4)
        steps = [np.abs(np.diff(np.linalg.norm(mesh.positions[mesh.corners], axis=1))).max() for mesh in (soft, hard)]
        self.assertLessEqual(steps[0], steps[1])
        self.assertGreater(np.abs(soft.positions - hard.positions).max(), 0.2)


class OneMappingTests(TestCase):
    def test_all_maps_sampled_at_one_point_agree(self):
        """Colour, height and normal lie on one uv: a mark drawn in each is found at one place of the surface."""
        mark = np.zeros((64, 96))
        mark[20:24, 70:74] = 1
        here = field(mark, width=70, height=45, edges=WRAP)
        _, laid = lay(Sphere(diameter=90), SphericalMapping(turn=20, shift_across=0.3), level=3)
        height = sample_heights(here, laid.uv[:, 0], laid.uv[:, 1], "nearest")
        for scale in (2, 0.5):  # a companion of another size
            size = (int(64 * scale), int(96 * scale))
            other = field(
                np.kron(mark, np.ones((2, 2))) if scale == 2 else mark[::2, ::2], width=70, height=45, edges=WRAP
            )
            self.assertEqual(other.samples.shape, size)
            again = sample_heights(other, laid.uv[:, 0], laid.uv[:, 1], "nearest")
            self.assertGreater((again == height).mean(), 0.999)

    def test_every_file_of_the_folder_is_found(self):
        self.assertEqual(sorted(MAPPINGS), kinds_written("surface/mapping"))


class SamplingTests(TestCase):
    def test_bicubic_is_keys_cubic_convolution(self):
        """Keys 1981, IEEE Transactions on Acoustics, Speech and Signal Processing 29: exact for parabolas."""
        columns = np.arange(40) + 0.5
        parabola = field(np.tile((columns / 40) ** 2, (6, 1)))
        u = np.linspace(0.1, 0.9, 77)
        np.testing.assert_allclose(sample_heights(parabola, u, np.full(77, 0.5), "bicubic"), u**2, atol=2e-6)
        bent = sample_heights(parabola, u, np.full(77, 0.5), "bilinear") - u**2
        self.assertGreater(bent.max(), 1e-4)

    def test_nearest_takes_the_texel_and_both_edges_belong_to_a_repeat(self):
        samples = rough(5, 7)
        here = field(samples, edges=WRAP)
        u = np.array([0, 0.999 / 7, 1.001 / 7, 1 - 1e-9, 1.0 + 0.5 / 7, -0.5 / 7])
        found = sample_heights(here, u, np.full(6, 1 - 0.5 / 5), "nearest")
        np.testing.assert_array_equal(found, samples[0, [0, 0, 1, 6, 0, 6]].astype(np.float32))

    def test_a_relief_whose_edges_clamp_is_repeated_too(self):
        samples = rough(6, 9)
        inside = np.array([0.3, 0.6])
        for sampling in ("nearest", "bilinear", "bicubic"):
            one = sample_heights(field(samples), inside, inside, sampling)
            np.testing.assert_allclose(sample_heights(field(samples), inside + 3, inside - 2, sampling), one, atol=1e-6)


class FoundSeamTests(TestCase):
    def seams(self, shape: Shape, kind: str) -> np.ndarray:
        mesh, laid = lay(shape, MAPPINGS[kind](sizing="fit"))
        covered = replace(mesh, uv=laid.uv.astype(np.float32), uv_corners=laid.corners)
        return mesh.positions[find_seams(covered)]

    def test_seams_lie_where_a_turn_ends_and_where_box_sides_meet(self):
        for shape in (Cylinder(caps=False, segments=20), Sphere(segments=20)):
            for kind in ("uv", "cylindrical"):
                seams = self.seams(shape, kind)
                # at the poles each face has a place of its own
                away = seams[(np.abs(seams[..., 1]) < 450).all(axis=1)]
                self.assertGreater(len(away), 3)
                np.testing.assert_allclose(away[..., 0], 0, atol=1e-3)
                self.assertTrue((away[..., 2] < 0).all(), "at the back")
        seams = self.seams(Box(segments=4), "box")
        self.assertEqual(len(seams), 12 * 4)
        self.assertTrue(((np.abs(seams) > 499.9).sum(axis=2) >= 2).all(), "on the edges of the box")
        self.assertEqual(len(self.seams(Sphere(segments=20), "planar")), 0)

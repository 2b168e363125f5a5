"""Stills against closed forms: furnaces, Lambert, shadows, penumbras; and against quadrature."""

import json
import math
from dataclasses import replace
from unittest import TestCase

import numpy as np
import OpenEXR
from PIL import Image

from relief.errors import Cancelled, ReliefError
from relief.inspect.swatch import in_clay
from relief.progress import Progress
from relief.still import air
from relief.still.air import see_through_air
from relief.still.camera import Camera, frame_all
from relief.still.denoising import denoise
from relief.still.forecast import forecast_still
from relief.still.light import GROUND, SKY, SKYLIGHT, SUNLIGHT, Lamp, Light
from relief.still.material import Material, bases, kept_light
from relief.still.scene import Maps, Scene
from relief.still.still import Wanted, draw_still
from relief.still.tone import map_tones
from relief.still.tracing import Draws, Seen, trace
from relief.surface.mesh import Mesh, Part
from relief.tests.command import CommandTestCase
from relief.tests.height_fields import rough
from relief.tests.tags import long

MIDDLE = np.zeros(2), np.zeros(2)
"""The middle of an opening, for two rays."""

WHITE = Light(sun=0, sky=math.pi / SKYLIGHT, even=True)
"""A sky of radiance 1 from everywhere."""


def mesh_of(positions, triangles, normals=None, uv=None) -> Mesh:
    """A mesh of triangles, flat unless it has normals of its own."""
    positions, triangles = np.float32(positions), np.int32(triangles)
    corners = triangles.ravel()
    if normals is None:
        edges = positions[triangles[:, 1:]] - positions[triangles[:, :1]]
        flat = np.cross(edges[:, 0], edges[:, 1])
        normals = flat / np.linalg.norm(flat, axis=1, keepdims=True)
        normal_corners = np.repeat(np.arange(len(triangles), dtype=np.int32), 3)
    else:
        normal_corners = corners
    uv = np.zeros((len(positions), 2)) if uv is None else uv
    offsets = np.arange(len(triangles) + 1, dtype=np.int32) * 3
    parts = np.zeros(len(triangles), np.uint16)
    return Mesh(
        positions, np.float32(normals), np.float32(uv), corners, corners, normal_corners, offsets, parts,
        np.zeros(len(triangles), np.int32), (Part("all", 1, 1),),
    )  # fmt: skip


def square(half: float, height: float = 0.0, uv=((0, 0), (1, 0), (1, 1), (0, 1))) -> Mesh:
    """A level square about the z axis."""
    corners = [[-half, -half, height], [half, -half, height], [half, half, height], [-half, half, height]]
    return mesh_of(corners, [[0, 1, 2], [0, 2, 3]], uv=uv)


def ball(steps: int = 160) -> Mesh:
    """A sphere of radius 1 whose corners have its own normals."""
    turn, rise = np.meshgrid(np.linspace(0, 2 * np.pi, 2 * steps), np.linspace(0, np.pi, steps))
    places = np.stack([np.sin(rise) * np.cos(turn), np.sin(rise) * np.sin(turn), np.cos(rise)], axis=-1).reshape(-1, 3)
    first = (np.arange(steps - 1)[:, None] * 2 * steps + np.arange(2 * steps - 1)).ravel()
    one, other = [first, first + 2 * steps, first + 1], [first + 1, first + 2 * steps, first + 2 * steps + 1]
    return mesh_of(places, np.concatenate([np.stack(one, 1), np.stack(other, 1)]), normals=places)


def even(mesh: Mesh, **more) -> Scene:
    """A scene of one material."""
    return Scene(mesh, (Maps(),), **{"up": 2, "albedo": (1, 1, 1), "roughness": 1.0} | more)


def bring(scene: Scene, light: Light, origins, directions, samples=64, bounces=2, **more) -> np.ndarray:
    """The mean radiance of some rays, (rays, 3)."""
    origins = np.float32(origins)
    directions = (
        np.tile(np.float32(directions), (len(origins), 1)) if np.ndim(directions) == 1 else np.float32(directions)
    )
    rays = np.arange(len(origins))
    drawn = [Draws(rays, sample, samples, bounces) for sample in range(samples)]
    return np.mean(
        [trace(scene, light, origins, directions, draws, bounces, **more).radiance for draws in drawn], axis=0
    )  # fmt: skip


def above(count: int, reach: float, height: float = 5.0) -> np.ndarray:
    """Places over a square, evenly spread."""
    side = np.linspace(-reach, reach, count)
    x, y = np.meshgrid(side, side)
    return np.stack([x.ravel(), y.ravel(), np.full(x.size, height)], axis=1)


class FurnaceTests(TestCase):
    """In an even white world a white thing cannot be seen (the white furnace test: Heitz 2014, section 5)."""

    def test_a_matt_white_ball(self):
        found = bring(even(ball()), WHITE, above(20, 0.65), (0, 0, -1), samples=32, shine=0.0)
        np.testing.assert_allclose(found.mean(), 1, atol=0.01)
        np.testing.assert_allclose(found, 1, atol=0.05)

    @long
    def test_a_white_metal_ball_of_any_roughness(self):
        """What a single bounce between facets loses is given back: without that 0.57 is left at roughness 1."""
        for roughness in (0.1, 0.4, 0.7, 1.0):
            maps = Maps(metalness=np.ones((1, 1), np.float32))
            scene = Scene(ball(), (maps,), up=2, albedo=(1, 1, 1), roughness=roughness)
            found = bring(scene, WHITE, above(16, 0.65), (0, 0, -1), samples=64)
            self.assertAlmostEqual(float(found.mean()), 1, delta=0.05, msg=f"{roughness}")

    def test_the_light_that_one_bounce_keeps_against_quadrature(self):
        """The integral of the reflectance over all directions, by a grid of them, beside the table's samples."""
        count = 400
        rise, turn = np.meshgrid((np.arange(count) + 0.5) / count, 2 * np.pi * (np.arange(count) + 0.5) / count)
        flat = np.sqrt(1 - rise**2)
        light = np.stack([flat * np.cos(turn), flat * np.sin(turn), rise], axis=-1).reshape(-1, 3).astype(np.float32)
        size = len(light)
        for row, column in ((31, 15), (16, 15), (16, 31), (8, 23)):
            cosine, roughness = (row + 0.5) / 32, (column + 0.5) / 32
            seen = np.tile(np.float32([math.sqrt(1 - cosine**2), 0, cosine]), (size, 1))
            up, white = np.tile(np.float32([0, 0, 1]), (size, 1)), np.ones((size, 3), np.float32)
            material = Material(up, seen, white, np.full(size, roughness, np.float32), np.ones(size, np.float32))
            material.more = np.float32(1)
            kept = material.answer(light).mean() * 2 * math.pi
            self.assertAlmostEqual(float(kept), float(kept_light()[row, column]), delta=0.01)


class SurroundingsTests(TestCase):
    def test_a_matt_ball_between_sky_and_ground(self):
        """Of two even half worlds a normal that leans from the upright by an angle sees (1 + cos) / 2 of the upper one
        (the form factor of a half plane: Nusselt 1928), whichever axis points up.
        """
        sky, ground = np.array(SKY), np.array(GROUND)
        for up in (1, 2):
            beside = [axis for axis in range(3) if axis != up]
            origins = np.zeros((9, 3))
            origins[:, beside[0]], origins[:, beside[1]] = 5, np.linspace(-0.3, 0.3, 9)
            origins[:, up] = np.linspace(-0.8, 0.8, 9)
            directions = np.zeros(3)
            directions[beside[0]] = -1
            rays = np.repeat(origins, 500, axis=0)
            found = bring(even(ball(), up=up), Light(sun=0), rays, directions, samples=16, bounces=0, shine=0.0)
            found = found.reshape(len(origins), 500, 3).mean(axis=1)
            cosine = origins[:, up, None]
            expected = SKYLIGHT / math.pi * (sky * (1 + cosine) + ground * (1 - cosine)) / 2
            np.testing.assert_allclose(found, expected, rtol=0.03, atol=0.002)


class LightTests(TestCase):
    def test_a_matt_ball_under_a_far_light(self):
        """Lambert's law on the true sphere: albedo / pi times the irradiance times the cosine."""
        light = Light(30, 50, size=0.01, sun=1, sky=0, even=True)
        places = above(21, 0.9)
        places = places[np.hypot(places[:, 0], places[:, 1]) < 0.9]
        found = bring(even(ball(), albedo=(0.5, 0.5, 0.5)), light, places, (0, 0, -1), samples=1, bounces=0, shine=0.0)
        normals = np.column_stack([places[:, :2], np.sqrt(1 - (places[:, :2] ** 2).sum(1))])
        expected = 0.5 / math.pi * SUNLIGHT * np.clip(normals @ light.towards(2), 0, None)
        np.testing.assert_allclose(found[:, 0], expected, atol=0.006)

    def wall(self) -> Scene:
        """A wall 2 mm high along x = 0 on a level square."""
        floor = square(60)
        wall = [[0, -60, 0], [0, 60, 0], [0, 60, 2], [0, -60, 2]]
        both = np.concatenate([floor.positions, np.float32(wall)])
        return even(mesh_of(both, [[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7]]), albedo=(0.5, 0.5, 0.5))

    def test_a_shadow_is_as_long_as_the_height_over_the_tangent(self):
        for elevation in (20, 45):
            light = Light(180, elevation, size=0.01, sky=0, even=True)
            x = np.linspace(0.05, 8, 400)
            places = np.stack([x, np.full_like(x, 3), np.full_like(x, 30)], axis=1)
            found = bring(self.wall(), light, places, (0, 0, -1), samples=1, bounces=0)[:, 0]
            edge = x[found > 0.5 * found.max()][0]
            self.assertAlmostEqual(edge, 2 / math.tan(math.radians(elevation)), delta=0.05)

    def test_a_penumbra_is_as_wide_as_the_sun_s_disc_makes_it(self):
        """From 2 / tan(e + s / 2) to 2 / tan(e - s / 2) for a disc of s degrees, by geometry."""
        elevation, size = 30, 8.0
        light = Light(180, elevation, size=size, sky=0, even=True)
        x = np.linspace(1.5, 6, 300)
        places = np.stack([x, np.full_like(x, 3), np.full_like(x, 30)], axis=1)
        found = bring(self.wall(), light, places, (0, 0, -1), samples=256, bounces=0)[:, 0]
        share = found / np.median(found[-20:])
        first, last = x[share > 0.01][0], x[share > 0.99][0]
        expected = [2 / math.tan(math.radians(elevation + turn * size / 2)) for turn in (1, -1)]
        self.assertAlmostEqual(first, expected[0], delta=0.12)
        self.assertAlmostEqual(last, expected[1], delta=0.3)
        middle = x[share > 0.5][0]
        self.assertAlmostEqual(middle, 2 / math.tan(math.radians(elevation)), delta=0.06)

    @long
    def test_before_a_long_wall_half_of_the_sky_is_left_and_light_comes_back_from_it(self):
        """At the foot of a high wall a level place sees half of the sky. The other half is the wall, which sees the sky
        and the ground: with more bounces it is brighter than without, and never above 1.
        """
        floor = square(4000)
        wall = [[0, -4000, 0], [0, 4000, 0], [0, 4000, 4000], [0, -4000, 4000]]
        both = np.concatenate([floor.positions, np.float32(wall)])
        scene = even(mesh_of(both, [[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7]]))
        places = np.stack([np.full(64, 2.0), np.linspace(-5, 5, 64), np.full(64, 1.0)], axis=1)
        down = (0, 0, -1)
        dark, lit = (bring(scene, WHITE, places, down, 256, bounces, shine=0.0).mean() for bounces in (0, 3))
        self.assertAlmostEqual(dark, 0.5, delta=0.02)
        self.assertTrue(0.7 < lit < 1.0, lit)


class SceneTests(TestCase):
    def test_a_normal_map_tilts_the_light_as_the_surface_would(self):
        """A square whose map says 25 degrees to the right and 10 up, on a mapping turned by a right angle too."""
        tilt = np.float32([math.tan(math.radians(25)), math.tan(math.radians(10)), 1])
        tilt /= np.linalg.norm(tilt)
        light = Light(20, 40, size=0.01, sky=0, even=True)
        for uv, right, up in (
            (((0, 0), (1, 0), (1, 1), (0, 1)), (1, 0, 0), (0, 1, 0)),
            (((0, 1), (0, 0), (1, 0), (1, 1)), (0, 1, 0), (-1, 0, 0)),
            (((1, 0), (0, 0), (0, 1), (1, 1)), (-1, 0, 0), (0, 1, 0)),  # mirrored
        ):
            maps = Maps(normal=np.tile(tilt, (4, 4, 1)))
            scene = Scene(square(5, uv=uv), (maps,), up=2, albedo=(0.5, 0.5, 0.5), roughness=1.0)
            found = bring(scene, light, [[0.3, 0.2, 3]], (0, 0, -1), samples=1, bounces=0, shine=0.0)[0, 0]
            normal = tilt[0] * np.array(right) + tilt[1] * np.array(up) + tilt[2] * np.array((0, 0, 1))
            seen = float(normal @ light.towards(2))
            self.assertAlmostEqual(float(found), 0.5 / math.pi * SUNLIGHT * seen, delta=1e-3)

    def test_colours_lie_where_their_places_say(self):
        colours = np.zeros((2, 2, 3), np.float32)
        colours[0, 1] = 1  # upper right
        scene = Scene(square(5), (Maps(colour=colours),), up=2)
        hits = scene.meet(np.float32([[2.5, 2.5, 3], [-2.5, 2.5, 3]]), np.tile(np.float32([0, 0, -1]), (2, 1)))
        np.testing.assert_allclose(hits.albedo, [[1, 1, 1], [0, 0, 0]], atol=1e-5)

    def test_bases_stand_at_right_angles(self):
        normals = np.random.default_rng(0).normal(size=(500, 3)).astype(np.float32)
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        normals[0], normals[1] = (0, 0, 1), (0, 0, -1)
        one, other = bases(normals)
        np.testing.assert_allclose(np.cross(one, other), normals, atol=1e-5)


class LampTests(TestCase):
    """A point 3 mm over a level plane: E = E0 (h / d)^2 cos, Lambert's and the inverse square law."""

    def lit(self, x, lamp, scene=None, samples=1):
        places = np.stack([x, np.full_like(x, 0.3), np.full_like(x, 2.5)], axis=1)
        light = Light(sun=0, sky=0, even=True, lamp=lamp)
        scene = scene or even(square(40), albedo=(0.5, 0.5, 0.5))
        return bring(scene, light, places, (0, 0, -1), samples=samples, bounces=0, shine=0.0)[:, 0]

    def test_it_falls_off_with_the_square_of_the_distance_and_the_cosine(self):
        x = np.linspace(-8, 8, 33)
        found = self.lit(x, Lamp((1, 0.3, 3), 2))
        far = (x - 1) ** 2 + 9
        at_middle = 2 * SUNLIGHT * (1 + 0.3**2 + 9)  # its strength is that at the middle of the surface
        np.testing.assert_allclose(found, 0.5 / math.pi * at_middle / far * 3 / np.sqrt(far), rtol=1e-3)

    def test_a_wall_hides_it_and_what_lies_behind_it_does_not(self):
        """A wall from x = 0, 2 mm high; the lamp at x = -3, 3 mm high: by similar triangles dark up to x = 6."""
        wall = LightTests().wall()
        x = np.linspace(0.1, 9, 90)
        found = self.lit(x, Lamp((-3, 0.3, 3)), wall)
        self.assertAlmostEqual(x[found > 0][0], 6, delta=0.15)
        self.assertGreater(self.lit(np.array([-1.0]), Lamp((-3, 0.3, 3)), wall)[0], 0, "the wall is behind this place")

    def test_a_larger_one_has_a_penumbra(self):
        """Of a ball of 1 mm: between the shadows of its upper and its lower end, from 2.5 to 3.5 mm high."""
        x = np.linspace(2.5, 14, 140)
        found = self.lit(x, Lamp((-3, 0.3, 3), 1, 1.0), LightTests().wall(), 256)
        share = found / self.lit(x, Lamp((-3, 0.3, 3), 1, 1.0), samples=256)
        self.assertAlmostEqual(x[share > 0.02][0], 4.2, delta=0.5)
        self.assertTrue(((share > 0.1) & (share < 0.9)).sum() > 15)


class AirTests(TestCase):
    """Koschmieder 1924: at the visual range 2 % of the contrast with the horizon is left."""

    def seen(self, distance: float, direction, radiance: float = 0.0) -> np.ndarray:
        nothing = np.zeros((1, 3), np.float32)
        one = Seen(nothing + np.float32(radiance), nothing, nothing, np.array([distance], np.float32))
        way = np.array([direction], np.float32)
        return see_through_air(one, way / np.linalg.norm(way), 2).radiance[0]

    def test_what_is_black_is_as_bright_as_the_horizon_but_for_what_is_left_of_its_contrast(self):
        horizon = np.asarray(air.HORIZON)
        np.testing.assert_allclose(self.seen(air.VISUAL_RANGE, (0, 1, 0)), 0.98 * horizon, rtol=1e-3)
        np.testing.assert_allclose(self.seen(1.0, (0, 1, 0), 0.4), 0.4, rtol=1e-4)
        half = self.seen(air.VISUAL_RANGE / 2, (0, 1, 0))
        np.testing.assert_allclose(1 - half / horizon, 0.02**0.5, rtol=1e-3)

    def test_without_a_surface_there_is_sky_above_the_horizon_and_ground_below(self):
        level, high, low = (self.seen(np.inf, way) for way in ((0, 1, 0), (0, 0.001, 1), (0, 0.001, -1)))
        np.testing.assert_allclose(level, air.HORIZON, rtol=1e-6)
        np.testing.assert_allclose(high, air.ZENITH, rtol=1e-3)
        np.testing.assert_allclose(low, air.BEYOND, rtol=1e-3)

    def test_a_still_in_open_air_has_its_horizon_at_the_height_of_the_eye(self):
        camera = Camera((0.0, -8.0, 1.5), (0.0, 8.0, 1.5), 36.0, 2)
        wanted = Wanted(camera, Light(), 41, 41, 4, open_air=True, smooth=False)
        picture = draw_still(even(square(2.0)), wanted).radiance
        column = picture[:, 1]
        self.assertTrue((column[:20, 2] > column[:20, 0]).all(), "the sky is blue, down to the horizon")
        np.testing.assert_allclose(column[20], air.HORIZON, atol=0.12)
        self.assertLess(column[-1].max(), 0.75 * max(air.HORIZON), "below lies ground")


class CameraTests(TestCase):
    def test_a_lens_sees_as_wide_as_its_frame(self):
        """A frame of 36 mm behind 50 mm sees 2 atan(18 / 50) = 39.6 degrees (as lens tables have it)."""
        camera = Camera((0, 0, 10), (0, 0, 0), 50, up=1)
        _, directions = camera.rays(np.array([0, 800.0]), np.array([400.0, 400]), 800, 800, MIDDLE)
        seen = math.degrees(math.acos(float(np.clip(directions[0] @ directions[1], -1, 1))))
        self.assertAlmostEqual(seen, 39.6, delta=0.05)
        self.assertLess(directions[0][0], 0, "left is left")

    def test_what_is_out_of_focus_is_blurred_as_a_thin_lens_blurs_it(self):
        """A disc of A |s - d| / d on the plane of focus, for an opening A, focus at s, of what lies at d. Of an edge a
        quarter and three quarters are seen where 1 / 2 + (t sqrt(1 - t^2) + asin t) / pi are that, t in half discs: at
        t = -0.404 and 0.404.
        """
        half = mesh_of([[0, -400, 0], [400, -400, 0], [400, 400, 0], [0, 400, 0]], [[0, 1, 2], [0, 2, 3]])
        scene, light = even(half, albedo=(1, 1, 1)), Light(0, 90, size=0, sky=0)
        for lens, opening, away, focus in ((50, 2.0, 300, 200), (85, 4.0, 300, 400), (50, 2.8, 250, 250)):
            camera = Camera((0, 0, away), (0, 0, 0), lens, up=2, opening=opening, focus=focus)
            wanted = Wanted(camera, light, 400, 5, 128, backdrop=(0, 0, 0), smooth=False)
            edge = draw_still(scene, wanted).radiance[1:4, :, 0].mean(axis=0)
            disc = lens / opening * abs(focus - away) / away / (focus * 36 / lens / 400)
            share = edge / edge[200 + math.ceil(disc / 2 + 1) : 203 + math.ceil(disc / 2)].mean()
            low, high = (
                np.interp(part, share[: 201 + math.ceil(disc / 2)], np.arange(201 + math.ceil(disc / 2)))
                for part in (0.25, 0.75)
            )
            self.assertAlmostEqual(high - low, max(0.808 * disc / 2, 0.5), delta=0.05 * disc + 0.3)

    def test_everything_fits_whatever_the_shape_of_the_picture(self):
        places = np.random.default_rng(2).uniform(-1, 1, (200, 3)) * (30, 5, 80)
        for ratio in (0.5, 1.6):
            camera = frame_all(places, (0.4, 0.7, 0.9), 35, ratio, 1)
            right, up, forward = camera.axes()
            away = places - camera.position
            depth = away @ forward
            step = 36 / 35 / 2
            across, high = np.abs(away @ right) / depth / step, np.abs(away @ up) / depth * ratio / step
            self.assertAlmostEqual(max(across.max(), high.max()), 0.92, delta=0.01)


class StillTests(TestCase):
    def wanted(self, **more) -> Wanted:
        camera = Camera((0, -6, 6), (0, 0, 0), 50, up=2)
        return Wanted(camera, **{"light": Light(), "width": 60, "height": 40, "samples": 4} | more)

    def test_a_region_is_what_the_whole_picture_shows_there_and_the_same_still_is_the_same(self):
        scene = even(ball(40), ground=True)
        whole = draw_still(scene, self.wanted(smooth=False)).radiance
        part = draw_still(scene, self.wanted(smooth=False, region=(21, 7, 17, 11))).radiance
        np.testing.assert_array_equal(part, whole[7:18, 21:38])
        np.testing.assert_array_equal(draw_still(scene, self.wanted(smooth=False)).radiance, whole)

    def test_a_coarse_picture_comes_first_and_it_can_be_cancelled(self):
        shares = []

        class Once(Progress):
            def step(self, share, message):
                if len(shares) >= 2:
                    raise Cancelled

        def note(canvas):
            shares.append(canvas.taken.mean())
            self.assertEqual(canvas.picture().shape, (40, 60, 3))
            if len(shares) == 1:  # what has no path yet looks like the pixel beside it
                blocks = canvas.picture().reshape(10, 4, 15, 4, 3)
                np.testing.assert_array_equal(blocks, np.broadcast_to(blocks[:, :1, :, :1], blocks.shape))

        with self.assertRaises(Cancelled):
            draw_still(even(ball(20)), self.wanted(), Once(), note)
        self.assertEqual(shares, [1 / 16, 1])

    def test_a_rectangle_goes_first_and_changes_nothing_of_the_picture(self):
        scene, done = even(ball(40)), []

        def note(canvas):
            taken = canvas.taken.reshape(40, 60)
            done.append((taken[10:20, 30:45].min(), taken[:10].max()))

        asked = iter([None, (30, 10, 15, 10)])
        first = draw_still(scene, self.wanted(), None, note, lambda: next(asked, (30, 10, 15, 10)))
        self.assertIn((4, 1), done, "it is done before the rest has more than the coarse picture")
        np.testing.assert_allclose(first.radiance, draw_still(scene, self.wanted()).radiance, atol=1e-6)
        for odd in ((900, 900, 5, 5), (0, 0, 0, 0), (-50, -50, 60, 60), (0, 0, 10**9, 10**9)):
            found = draw_still(scene, self.wanted(samples=1), goes_first=lambda odd=odd: odd)
            self.assertEqual(found.samples, 1)

    def test_it_stops_at_a_noise_that_is_asked_for(self):
        scene, wanted = even(ball(40), ground=True), self.wanted(light=Light(size=20), samples=256, smooth=False)
        enough = draw_still(scene, replace(wanted, noise=0.05))
        self.assertTrue(4 <= enough.samples < 256, enough.samples)
        self.assertLessEqual(enough.noise, 0.05)
        true = draw_still(scene, wanted).radiance.mean(axis=2)
        off = np.abs(enough.radiance.mean(axis=2) - true) / true
        self.assertLess(off.mean(), 0.06, "the stated error is about the true one")

    def test_noise_falls_with_samples_and_is_taken_out(self):
        scene = even(ball(60), ground=True)
        wanted = self.wanted(light=Light(size=20), smooth=False)
        few, many = (draw_still(scene, replace(wanted, samples=samples)) for samples in (4, 64))
        self.assertLess(many.noise, 0.4 * few.noise)
        smooth = draw_still(scene, replace(wanted, smooth=True))
        off = [np.abs(each.radiance - many.radiance).mean() for each in (few, smooth)]
        self.assertLess(off[1], 0.7 * off[0])

    def test_an_edge_stays_where_noise_is_taken_out(self):
        light = np.full((30, 30, 3), 0.2, np.float32)
        light[:, 15:] = 0.8
        normal = np.zeros((30, 30, 3), np.float32)
        normal[:, :15, 2] = normal[:, 15:, 0] = 1
        noisy = light + np.random.default_rng(0).normal(0, 0.05, light.shape).astype(np.float32)
        far = np.ones((30, 30), np.float32)
        found = denoise(noisy, np.ones_like(light), normal, far, np.full((30, 30), 0.05, np.float32))
        self.assertLess(np.abs(found - light).mean(), 0.3 * np.abs(noisy - light).mean())
        self.assertLess(np.abs(found[:, 13:17] - light[:, 13:17]).mean(), 0.04)

    def test_what_cannot_be_drawn_is_refused_in_a_sentence(self):
        scene = even(ball(10))
        nowhere = Camera((1, 2, 3), (1, 2, 3))
        for wanted, words in (
            (self.wanted(width=100_000), "1 to 16384 pixels"), (self.wanted(samples=0), "1 to 4096 samples"),
            (self.wanted(region=(50, 0, 20, 10)), "within the picture"), (self.wanted(region=(0, 0, 0, 5)), "within"),
            (replace(self.wanted(), camera=nowhere), "where it looks at"),
            (replace(self.wanted(), camera=Camera((0, 0, 9), (0, 0, 0), 0)), "The lens"),
            (replace(self.wanted(), camera=Camera((math.nan, 0, 9), (0, 0, 0))), "where it looks at"),
            (replace(self.wanted(), camera=Camera((0, 0, 9), (0, 0, 0), opening=math.nan)), "f-number"),
            (replace(self.wanted(), camera=Camera((0, 0, 9), (0, 0, 0), focus=-1)), "focus"),
            (self.wanted(noise=1.5), "noise"), (self.wanted(light=Light(size=400)), "disc"),
            (self.wanted(light=Light(math.nan)), "not numbers"),
            (self.wanted(light=Light(lamp=Lamp((0, 0, 1), -1))), "0 or more"),
        ):  # fmt: skip
            with self.assertRaisesRegex(ReliefError, words):
                draw_still(scene, wanted)

    def test_from_within_the_mesh_and_of_nothing_a_picture_comes(self):
        inside = replace(self.wanted(), camera=Camera((0, 0, 0), (1, 0, 0), 20, up=2))
        self.assertTrue(np.isfinite(draw_still(even(ball(20)), inside).radiance).all())
        away = replace(self.wanted(), camera=Camera((0, 0, 9), (0, 0, 20), 50, up=2))
        found = draw_still(even(ball(20)), away)
        np.testing.assert_allclose(found.radiance, np.broadcast_to(np.float32(away.backdrop), found.radiance.shape))
        self.assertEqual(found.noise, 0)

    def test_the_time_is_said_before(self):
        """Only that it is a time, and grows with the picture; that it is right is measured by `relief bench`."""
        scene = even(ball(40))
        small, large = (forecast_still(scene, self.wanted(width=w, height=w, samples=8)) for w in (200, 800))
        self.assertGreater(small, 0)
        self.assertGreater(large, 4 * small)


class StillCommandTests(CommandTestCase):
    """Stills of a height image, as files that other libraries read."""

    def setUp(self):
        super().setUp()
        self.scan = self.folder / "wall_height.png"
        Image.fromarray(np.rint(65535 * rough(96, 128, 5)).astype(np.uint16)).save(self.scan)

    def draw(self, *more):
        out = self.folder / "still.png"
        size = ("--width", 90, "--height", 60, "--samples", 2, "--level", 3)
        return self.run_command("still", self.scan, "--out", out, *size, *more), out

    def test_a_png_that_says_how_it_was_made_and_an_exr_in_linear_light(self):
        (code, out, _), path = self.draw("--sun", 20, 35, "--lens", 85)
        self.assertEqual(code, 0)
        told = json.loads(out)
        picture = Image.open(path)
        self.assertEqual(picture.size, (90, 60))
        made = json.loads(picture.text["Comment"])
        self.assertEqual((made["light"]["azimuth"], made["camera"]["lens"]), (20, 85))
        self.assertEqual(told["faces"], 16 * 12 * 4**3)
        exr = self.folder / "still.exr"
        code, _, _ = self.run_command(
            "still", self.scan, "--out", exr, "--width", 90, "--height", 60, "--samples", 2, "--level", 3,
            "--sun", 20, 35, "--lens", 85,
        )  # fmt: skip
        with OpenEXR.File(str(exr)) as file:
            linear = file.channels()["RGB"].pixels
        toned = map_tones(linear)
        shown = np.where(toned <= 0.0031308, 12.92 * toned, 1.055 * np.maximum(toned, 0) ** (1 / 2.4) - 0.055)
        off = np.abs(np.asarray(picture, float) / 255 - np.clip(shown, 0, 1))
        self.assertLess(off.max(), 0.01, "sRGB (IEC 61966-2-1) of the same light through the tone curve")

    @long
    def test_flat_with_its_normal_map_it_is_lit_alike_but_casts_no_shadow(self):
        """High light: nothing is in shadow, so that slopes alone decide; the two are then nearly the same."""
        pictures = []
        for flat in ((), ("--flat",)):
            (code, _, _), path = self.draw(
                "--sun", 90, 60, "--sky", 0, "--amplitude", 4, "--camera", 0, 0, 500, "--clay", "--noisy", "--level", 5,
                "--width", 120, "--height", 120, "--samples", 16, *flat,
            )  # fmt: skip
            self.assertEqual(code, 0)
            pictures.append(np.asarray(Image.open(path), float)[30:90, 30:90, 0])
        self.assertGreater(np.corrcoef(pictures[0].ravel(), pictures[1].ravel())[0, 1], 0.9)
        self.assertAlmostEqual(pictures[0].mean() / pictures[1].mean(), 1, delta=0.05)

    @long
    def test_a_forecast_and_what_is_refused(self):
        code, out, _ = self.run_command("still", self.scan, "--forecast", "--width", 90, "--height", 60, "--level", 2)
        self.assertEqual(code, 0)
        sizes = [row["width"] for row in json.loads(out)["forecast"]]
        self.assertEqual(sizes, [640, 1280, 2560, 90])
        for more, words in (
            (("--width", 100000), "1 to 16384 pixels"), (("--lens", 0), "The lens"),
            (("--backdrop", "pink"), "a colour"),
            (("--camera", 0, 0, 9, "--look-at", 0, 0, 9), "where it looks at"), (("--region", 80, 0, 20, 5), "within"),
            (("--samples", 0), "samples"), (("--out", self.folder / "a.jpg"), "must end in .png, .exr"),
            (("--level", 10), "faces"),
        ):  # fmt: skip
            (code, _, err), _ = self.draw(*more)
            self.assertEqual(code, 2, more)
            self.assertIn(words, err)
            self.assertEqual(err.count("\n"), 1)

    @long
    def test_a_sweep_is_an_animation_or_a_numbered_series(self):
        sweep = ("--sweep", "sun", "--frames", 24, "--samples", 1, "--width", 40, "--height", 30)
        out = self.folder / "round.webp"
        code, said, _ = self.run_command("still", self.scan, "--out", out, "--level", 2, *sweep)
        self.assertEqual((code, json.loads(said)["frames"]), (0, 24))
        with Image.open(out) as moving:
            self.assertEqual((moving.n_frames, moving.size, moving.info["loop"]), (24, (40, 30), 0))
            moving.seek(12)
            half = np.asarray(moving.convert("RGB"), float)
        series = self.folder / "turn.png"
        code, _, _ = self.run_command(
            "still", self.scan, "--out", series, "--level", 2, "--sweep", "view", "--frames", 24, "--samples", 1,
            "--width", 40, "--height", 30,
        )  # fmt: skip
        files = sorted(self.folder.glob("turn_*.png"))
        self.assertEqual((code, len(files), files[0].name), (0, 24, "turn_001.png"))
        made = [json.loads(Image.open(file).text["Comment"]) for file in (files[0], files[6])]
        one, quarter = (np.subtract(each["camera"]["position"], each["camera"]["look_at"]) for each in made)
        np.testing.assert_allclose(quarter, [-one[1], one[0], one[2]], atol=1e-3)
        _, path = self.draw("--samples", 1, "--width", 40, "--height", 30, "--level", 2, "--sun", 315, 40)
        self.assertLess(np.abs(np.asarray(Image.open(path), float) - half).mean(), 4, "half way the sun is opposite")
        for more, words in ((("--frames", 3), "24 to 120 frames"), (("--frames", 100000), "24 to 120 frames")):
            code, _, err = self.run_command("still", self.scan, "--out", out, *sweep, *more)
            self.assertEqual(code, 2)
            self.assertIn(words, err)


class ToneTests(TestCase):
    """Khronos PBR Neutral Tone Mapper, the same figures as in browser/units/scripts.test.js, worked out by hand."""

    def test_what_is_shown_of_light(self):
        for light, shown in (
            ((0, 0, 0), (0, 0, 0)),
            ((0.18, 0.18, 0.18), (0.14, 0.14, 0.14)),
            ((0.04, 0.04, 0.04), (0.01, 0.01, 0.01)),
            ((1, 1, 1), (0.869091, 0.869091, 0.869091)),
            ((2, 1, 0.5), (0.96, 0.534090, 0.321136)),
        ):
            np.testing.assert_allclose(map_tones(np.array([[light]])), [[shown]], atol=1e-5)

    def test_more_light_is_never_darker_and_never_more_than_white(self):
        light = np.linspace(0, 60, 4000)[:, None] * np.array([1, 0.9, 0.7])
        shown = map_tones(light)
        self.assertTrue((np.diff(shown.max(axis=1)) >= 0).all())
        self.assertLessEqual(float(shown.max()), 1)
        self.assertEqual(float(shown.min()), 0)

    def test_a_swatch_keeps_the_base_colour_of_what_faces_the_light(self):
        """A flat field that faces up has one shade, that of clay under sun and sky; what leans away is darker."""
        flat = in_clay(np.tile(np.array([0, 0, 1], np.float32), (4, 4, 1)))
        self.assertEqual(np.ptp(flat.reshape(-1, 3), axis=0).max(), 0)
        leans = in_clay(np.tile(np.array([0.6, -0.6, 0.53], np.float32), (4, 4, 1)))
        self.assertLess(int(leans.max()), int(flat.min()))
        self.assertGreater(int(leans.min()), 20, "the sky lights what the sun does not reach")

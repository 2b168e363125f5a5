"""Depth from light against closed forms, a real elevation model and a renderer that shares no code with it."""

import json
from collections.abc import Sequence
from unittest import TestCase

import numpy as np
from matplotlib import cbook
from PIL import Image
from scipy.ndimage import gaussian_filter
from scipy.ndimage import shift as move

from relief.depth.lamps import Lamps
from relief.depth.light import Ball, Light, find_highlight, light_of_ball
from relief.depth.series import lights_of, measure_series, measure_shifts
from relief.depth.stereo import solve_series
from relief.depth.unknown import estimate_lights, reverse_lights
from relief.errors import ReliefError
from relief.maps.height_from_normals import height_from_slopes
from relief.sources.colour import luminance
from relief.synthetic.rendering import light_vector, photograph, photograph_ball, true_normals
from relief.synthetic.rig import take_series
from relief.synthetic.surfaces import find_surface
from relief.tests.command import CommandTestCase
from relief.tests.tags import long

AROUND = [(40 + 360 * number / 8, 35 + 18 * (number % 2)) for number in range(8)]


def apart(one: np.ndarray, other: np.ndarray) -> float:
    """The mean angle between two fields of normals, degrees."""
    return float(np.degrees(np.arccos(np.clip((one * other).sum(axis=2), -1, 1))).mean())


def sphere(side: int = 121) -> tuple[np.ndarray, np.ndarray]:
    """A half sphere's normals in closed form (side, side, 3), and where it is, up to 65 degrees of slope."""
    across, down = np.meshgrid(np.linspace(-1, 1, side), np.linspace(-1, 1, side))
    square = across**2 + down**2
    normals = np.dstack([across, -down, np.sqrt(np.maximum(1 - square, 0))])
    return normals, square < np.sin(np.radians(65)) ** 2


def elevation_model() -> np.ndarray:
    """The real elevation model that matplotlib ships, made steep, as heights in texels."""
    with cbook.get_sample_data("jacksboro_fault_dem.npz") as model:
        return gaussian_filter(model["elevation"].astype(float), 0.7)[:180, :211] / 30


class StereoTests(TestCase):
    """Woodham 1980: I = a n . l, solved by least squares from three lights up."""

    def test_a_sphere_without_shadows_is_exact(self):
        normals, inside = sphere()
        lights = [light_vector(azimuth, 70) for azimuth in (10, 130, 250)]
        photos = np.stack([0.7 * np.maximum(normals @ light, 0) for light in lights]).astype(np.float32)
        gentle = inside & (normals[..., 2] > np.cos(np.radians(15)))  # every light reaches it
        found = solve_series(photos, Lamps(np.array(lights)))
        self.assertLess(apart(found.normals[gentle][None], normals[gentle][None]), 0.02)
        np.testing.assert_allclose(found.brightness[gentle], 0.7, rtol=1e-3)

    def test_a_sphere_that_lies_partly_in_its_own_shadow(self):
        normals, inside = sphere()
        lights = [light_vector(*light) for light in AROUND]
        photos = np.stack([0.7 * np.maximum(normals @ light, 0) for light in lights]).astype(np.float32)
        found = solve_series(photos, Lamps(np.array(lights)))
        self.assertLess(apart(found.normals[inside][None], normals[inside][None]), 0.5)

    @long
    def test_a_real_elevation_model_with_cast_shadows_and_light_from_everywhere(self):
        height = elevation_model()
        truth = true_normals(height, 1)
        flat = apart(np.broadcast_to([0, 0, 1.0], truth.shape), truth)
        self.assertGreater(flat, 30)
        lights = np.array([light_vector(*light) for light in AROUND])
        for sky, most in ((0.0, 0.3), (0.3, 2.5)):
            photos = np.stack([photograph(height, 1, *light, sky=sky)[..., 0] for light in AROUND])
            found = solve_series(photos, Lamps(lights))
            plain = np.linalg.lstsq(lights, photos.reshape(8, -1), rcond=None)[0].T.reshape(truth.shape)
            plain /= np.linalg.norm(plain, axis=2, keepdims=True)
            self.assertLess(apart(found.normals, truth), most)
            self.assertLess(apart(found.normals, truth), 0.5 * apart(plain, truth), "a plain fit is led astray")
            self.assertAlmostEqual(found.around, sky / (1 - sky), delta=0.12)

    def test_light_from_everywhere_is_told_without_a_shadow_by_lights_at_two_heights(self):
        """I = a (n . l + s) on a gentle slope that every light reaches, with a little grain."""
        truth = true_normals(elevation_model() / 4, 1)
        grain = np.random.default_rng(4).normal(0, 0.003, (8, *truth.shape[:2]))
        for lights, share, most in ((AROUND, 0.43, 0.7), ([(azimuth, 45) for azimuth, _ in AROUND], 0.0, 9)):
            directions = np.array([light_vector(*light) for light in lights])
            lit = np.stack([np.maximum(truth @ direction, 0) + 0.43 for direction in directions])
            found = solve_series((0.5 * lit + grain).astype(np.float32), Lamps(directions))
            self.assertAlmostEqual(found.around, share, delta=0.02)
            self.assertLess(apart(found.normals, truth), most)

    def test_highlights_are_left_out(self):
        normals, inside = sphere()
        lights = np.array([light_vector(*light) for light in AROUND])
        photos = np.stack([0.5 * np.maximum(normals @ light, 0) for light in lights]).astype(np.float32)
        halfway = lights + np.array([0, 0, 1.0])
        halfway /= np.linalg.norm(halfway, axis=1, keepdims=True)
        gloss = np.stack([0.6 * np.maximum(normals @ half, 0) ** 300 for half in halfway]).astype(np.float32)
        found = solve_series(photos + gloss, Lamps(lights))
        plain = np.linalg.lstsq(lights, (photos + gloss).reshape(8, -1), rcond=None)[0].T.reshape(normals.shape)
        plain /= np.linalg.norm(plain, axis=2, keepdims=True)
        led_astray = apart(plain[inside][None], normals[inside][None])
        self.assertLess(apart(found.normals[inside][None], normals[inside][None]), min(2.0, 0.5 * led_astray))

    def test_lights_that_tell_nothing_are_refused(self):
        photos = np.ones((4, 5, 5), np.float32)
        row = np.array(
            [light_vector(azimuth, elevation) for azimuth, elevation in ((0, 20), (0, 50), (0, 80), (180, 60))]
        )
        with self.assertRaisesRegex(ReliefError, "coplanar"):
            solve_series(photos, Lamps(row))
        with self.assertRaisesRegex(ReliefError, "3 to 24 photos"):
            solve_series(photos[:2], Lamps(row[:2]))


class LightTests(TestCase):
    def test_a_ball_gives_its_light_within_a_degree(self):
        """The mirror law: rendered from the lamp's side, read back from the highlight."""
        for azimuth, elevation in ((0, 80), (135, 40), (260, 25), (318, 60)):
            light = light_vector(azimuth, elevation)
            grey = photograph_ball(240, 300, (161.3, 118.7, 83.4), light)
            found = light_of_ball(grey, Ball(161.3, 118.7, 83.4))
            self.assertLess(np.degrees(np.arccos(min(1, found.direction @ light))), 1)
            self.assertAlmostEqual(found.elevation, elevation, delta=1)

    def test_a_direction_in_degrees_and_back(self):
        for azimuth, elevation in ((0, 10), (90, 45), (200.5, 70)):
            back = Light.towards(3 * Light(azimuth, elevation).direction)
            self.assertAlmostEqual(back.azimuth, azimuth)
            self.assertAlmostEqual(back.elevation, elevation)

    def test_a_ball_that_is_not_there_is_said(self):
        grey = np.full((40, 40), 0.2, np.float32)
        with self.assertRaisesRegex(ReliefError, "No highlight"):
            find_highlight(grey, Ball(20, 20, 10))
        with self.assertRaisesRegex(ReliefError, "outside"):
            find_highlight(grey, Ball(200, 20, 10))


class SeriesTests(TestCase):
    @long
    def test_a_shake_of_the_camera_is_taken_out_and_moved_light_is_none(self):
        height = gaussian_filter(np.random.default_rng(4).random((220, 260)), 3) * 20
        spots = 0.2 + 0.6 * (gaussian_filter(np.random.default_rng(5).random((220, 260)), 2.5) > 0.5)[..., None]
        photos = [photograph(height, 1, *light, colour=spots)[..., 0] for light in AROUND]
        directions = np.array([light_vector(*light) for light in AROUND])
        self.assertLess(np.abs(measure_shifts(photos, Lamps(directions))).max(), 0.3)
        shaken = [(0, 0), (2.3, -1.6), (-3.2, 0.4), *[(0, 0)] * (len(AROUND) - 3)]
        moved = [
            move(photo, (down, across), mode="nearest") for photo, (across, down) in zip(photos, shaken, strict=True)
        ]
        np.testing.assert_allclose(measure_shifts(moved, Lamps(directions)), shaken, atol=0.7)

    @long
    def test_a_shaken_camera_moves_the_ball_too(self):
        """Lights that lie up to over ten degrees off, as the ball lies beside its outline, come out within five."""
        height = 60 * gaussian_filter(np.random.default_rng(8).random((240, 320)), 6)
        paint = np.full((240, 320, 3), 0.6)
        ball = (260.0, 180.0, 46.0)
        photos = list(take_series(height, 1, paint, AROUND, ball, seed=4))

        def farthest(lights):
            pairs = zip(lights, AROUND, strict=True)
            return max(np.degrees(np.arccos(min(1, light.direction @ light_vector(*asked)))) for light, asked in pairs)

        alone = [light_of_ball(luminance(photo, encoded=False), Ball(*ball)) for photo in photos]
        self.assertGreater(farthest(alone), 7)
        self.assertLess(farthest(lights_of(photos, Ball(*ball))), 5)

    @long
    def test_shadows_that_move_with_the_light_are_no_shake(self):
        """Slabs that cast shadows: laid on each other these photos seem moved by over a texel."""
        down, across = np.mgrid[:160, :200]
        slabs = ((across // 40 + down // 32) % 2).astype(float)
        height = 5 * gaussian_filter(slabs, 1.2)
        photos = [photograph(height, 1, *light, sky=0.3)[..., 0] for light in AROUND]
        found = measure_shifts(photos, Lamps(np.array([light_vector(*light) for light in AROUND])))
        self.assertLess(np.abs(found).max(), 0.7)

    @long
    def test_photos_that_were_exposed_differently_are_evened(self):
        """A camera that exposes by itself: strengths known here; photos that were exposed alike stay as they are."""
        height = 14 * gaussian_filter(np.random.default_rng(8).random((130, 170)), 3)
        strengths = np.array([1, 0.8, 1.15, 0.9, 1.25, 0.85, 1.05, 0.75])
        strengths /= strengths.mean()
        lights = [Light(*light) for light in AROUND]
        truth = true_normals(height, 1)
        off = []
        for exposed in (np.ones(8), strengths):
            photos = [
                photograph(height, 1, *light, sky=0.3) * np.float32(strength)
                for light, strength in zip(AROUND, exposed, strict=True)
            ]
            found = measure_series(photos, lights, (1, 1))
            np.testing.assert_allclose(found.strengths, exposed, rtol=0.02)
            off.append(apart(found.solution.normals, truth))
        self.assertLess(off[1], off[0] + 0.5)

    def test_height_colour_and_normals_of_a_whole_series(self):
        """In mm: a dome of known height on texels that are not square is found again."""
        across, down = np.meshgrid(np.linspace(-1, 1, 150), np.linspace(-1, 1, 100))
        height = 8 * np.exp(-3 * (across**2 + down**2))
        texel = 0.5
        colours = np.where(across[..., None] > 0, [0.7, 0.3, 0.2], [0.2, 0.4, 0.6])
        photos = [photograph(height, texel, *light, colour=colours) for light in AROUND]
        lights = [Light(*light) for light in AROUND]
        found = measure_series(photos, lights, (texel, texel))
        self.assertAlmostEqual(float(np.ptp(found.height)), 8, delta=0.4)
        self.assertGreater(np.corrcoef(found.height.ravel(), height.ravel())[0, 1], 0.999)
        np.testing.assert_allclose(found.colours / found.colours.max(), colours / 0.7, atol=0.03)

    def test_photos_and_lights_go_in_pairs(self):
        with self.assertRaisesRegex(ReliefError, "each photo needs one"):
            measure_series([np.ones((4, 4, 3), np.float32)] * 4, [Light(0, 40)] * 3, (1, 1))


class UnknownLightsTests(TestCase):
    def photos(self, sky: float) -> list[np.ndarray]:
        height = 50 * gaussian_filter(np.random.default_rng(8).random((140, 180)), 4)
        spots = 0.3 + 0.5 * (gaussian_filter(np.random.default_rng(5).random((140, 180)), 4) > 0.5)[..., None]
        return [photograph(height, 1, *light, colour=spots, sky=sky)[..., 0] for light in AROUND]

    @long
    def test_lights_of_one_strength_are_found_but_for_half_a_turn(self):
        """Hayakawa 1994; light from everywhere, which that knows nothing of, lifts them a little."""
        for sky, most in ((0.0, 8), (0.25, 14)):
            self.assertLess(self.farthest_off(estimate_lights(self.photos(sky)).lights), most)

    def test_lights_of_several_strengths_are_found_by_the_evenness_of_the_paint(self):
        """Hayakawa 1994: of two paints one covers more and is even; a camera that exposes by itself does such."""
        strengths = (1, 0.8, 1.15, 0.9, 1.25, 0.85, 1.05, 0.75)
        photos = [photo * np.float32(each) for photo, each in zip(self.photos(0.0), strengths, strict=True)]
        self.assertLess(self.farthest_off(estimate_lights(photos).lights), 20)

    def farthest_off(self, found: Sequence[Light]) -> float:
        """How far the light that is farthest off is from the true one, degrees, hills taken for hills."""
        off = []
        for lights in (found, reverse_lights(found)):
            pairs = zip(lights, AROUND, strict=True)
            off.append([np.degrees(np.arccos(min(1, one.direction @ light_vector(*two)))) for one, two in pairs])
        return min(max(each) for each in off)

    def test_photos_that_cannot_tell_are_said(self):
        for photos, words in (
            (self.photos(0)[:5], "needs 6 or more photos"),
            ([np.full((40, 40), 0.3, np.float32)] * 8, "cannot be found"),
            ([np.zeros((40, 40), np.float32)] * 8, "is in shadow"),
        ):
            with self.assertRaisesRegex(ReliefError, words):
                estimate_lights(photos)


class HillsTests(TestCase):
    """Which of two answers is hills: the truth is known, as the surfaces are made."""

    @long
    def test_hills_that_cast_shadows_and_hollows_that_do_are_told_apart(self):
        rough = 70 * gaussian_filter(np.random.default_rng(2).random((150, 190)), 4)
        lights = [(20 + 60 * number, 24 + 12 * (number % 2)) for number in range(6)]
        for height in (rough, -rough):
            found = estimate_lights([photograph(height, 1, *light, sky=0.1)[..., 0] for light in lights])
            self.assertEqual(found.ground, "shadows")
            off = [one.direction @ light_vector(*two) for one, two in zip(found.lights, lights, strict=True)]
            self.assertGreater(min(off), np.cos(np.radians(30)), "hills are taken for hollows")
            self.assertEqual(found.other, reverse_lights(found.lights))

    @long
    def test_what_cannot_be_told_is_said(self):
        """A gentle surface throws no shadow; planks that all rise one way do not fix the lights."""
        gentle = 6 * gaussian_filter(np.random.default_rng(8).random((140, 180)), 4)
        found = estimate_lights([photograph(gentle, 1, *light)[..., 0] for light in AROUND])
        self.assertNotEqual(found.ground, "shadows")
        self.assertIn("Compare both", found.doubts)
        planks = np.tile(2 * np.abs(np.sin(np.arange(140) / 9))[:, None], (1, 180))
        planks = planks + 0.2 * gaussian_filter(np.random.default_rng(8).random((140, 180)), 3)
        found = estimate_lights([photograph(planks, 1, *light)[..., 0] for light in AROUND])
        self.assertFalse(found.trusted)
        self.assertIn("roughly", found.doubts)


class HeightOfNormalsTests(TestCase):
    @long
    def test_steep_rims_do_not_bend_the_whole(self):
        """Shingles and a basket with sheer steps, photographed from four sides."""
        lights = [Light(11 + 90 * number, (38, 52)[number % 2]) for number in range(4)]
        for key, most in (("pavilion-shingle", 0.45), ("fish-basket", 0.2)):
            made = find_surface(key).make(192)
            photos = [
                photograph(made.height, made.texel, one.azimuth, one.elevation, made.paint, 0.2, openness=made.openness)
                for one in lights
            ]
            spacing = (made.texel, made.texel)
            found = measure_series(photos, lights, spacing, distance=np.inf)
            normals = found.solution.normals
            slopes = (-normals[..., side] / normals[..., 2] for side in (0, 1))
            alike = height_from_slopes(*slopes, spacing, (False, False))
            self.assertLess((found.height - made.height).std(), most * made.height.std(), key)
            self.assertLess((found.height - made.height).std(), 0.5 * (alike - made.height).std(), key)

    def test_weights_that_are_all_alike_change_nothing_and_wrapping_ones_keep_true_slopes(self):
        rng = np.random.default_rng(3)
        height = gaussian_filter(rng.random((64, 90)), 3, mode="wrap") * 40
        for wraps in (False, True):
            mode = "wrap" if wraps else "nearest"
            up = -np.pad(np.diff(np.pad(height, ((0, 1), (0, 0)), mode=mode if wraps else "edge"), axis=0), 0)
            across = np.diff(np.pad(height, ((0, 0), (0, 1)), mode=mode if wraps else "edge"), axis=1)
            arguments = (across.astype("f"), up.astype("f"), (1, 1), (wraps, wraps))
            one = height_from_slopes(*arguments, np.ones(height.shape, np.float32))
            some = height_from_slopes(*arguments, np.full(height.shape, 0.4, np.float32))
            np.testing.assert_allclose(one, some, atol=1e-3)
            smooth = gaussian_filter(height, 1, mode="wrap")
            self.assertGreater(np.corrcoef(one.ravel(), smooth.ravel())[0, 1], 0.99)


class LightsCommandTests(CommandTestCase):
    def write(self, name: str, light: np.ndarray):
        """A photo as a camera keeps it: sRGB with 8 bits (IEC 61966-2-1)."""
        encoded = np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 1e-9) ** (1 / 2.4) - 0.055)
        Image.fromarray(np.rint(np.clip(encoded, 0, 1) * 255).astype(np.uint8)).save(self.folder / name)
        return self.folder / name

    def test_photos_with_a_ball_become_maps(self):
        height = gaussian_filter(np.random.default_rng(8).random((90, 140)), 4) * 60
        ball = (112.0, 45.0, 24.0)
        paths = []
        for number, light in enumerate(AROUND[::2]):
            photo = photograph(height, 1, *light)
            mirrored = photograph_ball(90, 140, ball, light_vector(*light))[..., None]
            inside = Ball(*ball).texels(90, 140)[..., None]
            paths.append(self.write(f"panel_{number}.png", np.where(inside, mirrored, photo)))
        out = self.folder / "out"
        code, told, said = self.run_command("lights", *paths, "--ball", *ball, "--footprint", 140, 90, "--out", out)
        self.assertEqual((code, said), (0, ""))
        told = json.loads(told)
        for found, asked in zip(told["lights"], AROUND[::2], strict=True):
            self.assertAlmostEqual(found[0], asked[0], delta=2)
            self.assertAlmostEqual(found[1], asked[1], delta=2)
        normals = np.asarray(Image.open(out / "panel_0_colour.png"))
        self.assertEqual(normals.shape, (90, 140, 3))
        heights = np.asarray(Image.open(out / "panel_0_displacement.png"), float) / 65535 * told["amplitude_mm"]
        left = np.s_[10:80, 5:80]
        self.assertGreater(np.corrcoef(heights[left].ravel(), height[left].ravel())[0, 1], 0.9)

    def test_what_does_not_go_together_is_one_line(self):
        paths = [self.write(f"{number}.png", np.full((8, 8, 3), 0.2 + number / 10)) for number in range(3)]
        other = self.write("wide.png", np.full((8, 9, 3), 0.3))
        lights = [part for _ in range(3) for part in ("--light", 40, 50)]
        for arguments, words in (
            ((*paths,), "one --light for each photo"),
            ((*paths[:2], other, *lights), "the same size"),
            ((*paths, *lights), "coplanar"),
            ((*paths, *lights[:6]), "each photo needs one"),
            ((*paths, *lights[:6], "--light", 40, -5), "above 0 and at most 90"),
        ):
            code, _, said = self.run_command("lights", *arguments, "--out", self.folder / "out")
            self.assertEqual((code, said.count("\n")), (2, 1))
            self.assertIn(words, said)

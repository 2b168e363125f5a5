"""Treatments against their references, and what they do where a field wraps."""

import io
import math
from dataclasses import replace
from itertools import pairwise
from unittest import TestCase

import cv2
import numpy as np
import scipy.ndimage
import skimage.data
import skimage.filters
import skimage.transform
from PIL import Image

from relief.errors import RecipeError
from relief.filters.curve import apply_stops
from relief.filters.gaussian import gaussian
from relief.height import HeightField
from relief.inspect.readings import steepest
from relief.maps.slopes import slopes, steepness
from relief.maps.vectors import of_slopes
from relief.recipe.layer import Layer, Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from relief.sources.colour import linear_from_srgb
from relief.sources.facts import seam_ratios
from relief.tests.folders import kinds_written
from relief.tests.height_fields import CLAMP, WRAP, centres, field, rough, sinusoid
from relief.tests.tags import long
from relief.treat import TREATMENTS
from relief.treat.clamp import Clamp
from relief.treat.close_seam import CloseSeam
from relief.treat.crop import Crop
from relief.treat.detail_bands import DetailBands
from relief.treat.edge_fade import EdgeFade
from relief.treat.even_light import EvenLight
from relief.treat.heal import Heal, Mark
from relief.treat.invert import Invert
from relief.treat.levels import Levels, levels
from relief.treat.median import Median, median
from relief.treat.normalise import Normalise
from relief.treat.remove_steps import RemoveSteps
from relief.treat.sharpen import Sharpen
from relief.treat.shift import Shift
from relief.treat.slope_limit import SlopeLimit
from relief.treat.soften import Soften
from relief.treat.soften_between_edges import SoftenBetweenEdges, bilateral, filter_guided
from relief.treat.straighten import Straighten
from relief.treat.terrace import Terrace, terrace
from relief.treat.tone_curve import ToneCurve
from relief.treat.turn import Turn


class LevelsTests(TestCase):
    def test_ends_middle_and_what_lies_beyond(self):
        samples = np.array([0, 0.2, 0.5, 0.8, 1], np.float32)
        np.testing.assert_allclose(levels(samples, 0.2, 0.8, 1), [0, 0, 0.5, 1, 1], atol=1e-6)

    def test_gamma_is_a_plain_power(self):
        """Common practice, no source: 2.2 on mid grey gives 0.5 ** (1 / 2.2) = 0.7297."""
        np.testing.assert_allclose(levels(np.float32([0, 0.5, 1]), 0, 1, 2.2), [0, 0.72974, 1], atol=1e-5)

    def test_the_plain_setting_changes_nothing(self):
        samples = rough(20, 20).astype(np.float32)
        np.testing.assert_array_equal(levels(samples, 0, 1, 1), samples)


class SoftenTests(TestCase):
    def test_against_scipy(self):
        """`scipy.ndimage.gaussian_filter`, modes `wrap` and `nearest`, with different widths across and down."""
        samples = rough(50, 70, seed=2).astype(np.float32)
        for sigma in ((0.6, 0.6), (3, 1.5), (9, 0)):
            for wraps, mode in (((True, True), "wrap"), ((False, False), "nearest")):
                expected = scipy.ndimage.gaussian_filter(samples, sigma[::-1], mode=mode)
                np.testing.assert_allclose(gaussian(samples, sigma, wraps), expected, atol=2e-6)

    def test_a_wide_blur_is_within_a_thousandth_of_the_range(self):
        samples = rough(300, 400, seed=4).astype(np.float32)
        for sigma in ((17, 17), (40, 30), (9, 60)):
            for wraps, mode in (((True, True), "wrap"), ((False, False), "nearest")):
                expected = scipy.ndimage.gaussian_filter(samples, sigma[::-1], mode=mode)
                self.assertLess(np.abs(gaussian(samples, sigma, wraps) - expected).max(), 1e-3, (sigma, mode))

    def test_a_radius_in_mm_looks_the_same_at_every_resolution(self):
        fine = field(rough(512, 512, seed=3), width=100, edges=WRAP)
        coarse = field(fine.samples.reshape(256, 2, 256, 2).mean(axis=(1, 3)), width=100, edges=WRAP)
        softened = Soften(radius=2).treat(fine).samples.reshape(256, 2, 256, 2).mean(axis=(1, 3))
        np.testing.assert_allclose(Soften(radius=2).treat(coarse).samples, softened, atol=2e-3)

    def test_a_radius_wider_than_the_footprint_levels_all(self):
        softened = Soften(radius=1000).treat(field(rough(24, 24), width=10, edges=WRAP)).samples
        self.assertLess(np.ptp(softened), 1e-3)


class ToneTests(TestCase):
    def test_a_straight_curve_is_numpys_interpolation_and_two_stops_change_nothing(self):
        samples = rough(30, 30).astype(np.float32)
        np.testing.assert_allclose(apply_stops(samples, ((0, 0), (1, 1)), "straight"), samples, atol=1e-6)
        stops = ((0.1, 0.9), (0.4, 0.2), (0.9, 0.6))
        expected = np.interp(samples, *zip(*stops, strict=True))
        np.testing.assert_allclose(apply_stops(samples, stops, "straight"), expected, atol=1e-6)

    def test_a_smooth_curve_goes_through_its_stops_and_never_overshoots(self):
        """Fritsch & Butland 1984: a monotone cubic stays between neighbouring stops."""
        stops = ((0, 0), (0.3, 0.02), (0.35, 0.9), (1, 1))
        places, values = np.array(stops).T
        np.testing.assert_allclose(apply_stops(np.float32(places), stops, "smooth"), values, atol=2e-3)
        fine = apply_stops(np.linspace(0, 1, 5000, dtype=np.float32), stops, "smooth")
        self.assertTrue((np.diff(fine) >= -1e-6).all())

    def test_steps_hold_until_the_next_stop(self):
        out = apply_stops(np.float32([-1, 0, 0.29, 0.3, 0.99, 1, 2]), ((0, 0.1), (0.3, 0.5), (1, 0.9)), "stepped")
        np.testing.assert_allclose(out, [0.1, 0.1, 0.1, 0.5, 0.5, 0.9, 0.9], atol=1e-6)

    def test_stops_are_sorted_read_from_text_and_refused_when_they_coincide(self):
        self.assertEqual(ToneCurve(stops="[[1, 0], [0, 1]]").stops, ((0, 1), (1, 0)))
        for text in ("[[0, 0], [0, 1]]", "[[0, 0]]", "nonsense", '"x"', "[[0, 0], [1]]", "[[0, 0], [NaN, 1]]"):
            with self.assertRaises(RecipeError):
                ToneCurve.create(stops=text)

    def test_clamp_is_numpys_clip(self):
        samples = rough(20, 20) * 3 - 1
        np.testing.assert_allclose(
            Clamp(low=-0.2, high=0.9).treat(field(samples)).samples, samples.clip(-0.2, 0.9), atol=1e-6
        )

    def test_normalise_puts_the_percentiles_on_0_and_1(self):
        """`numpy.percentile`."""
        out = Normalise(low=2, high=5).treat(field(rough(200, 200) * 0.3 + 0.2)).samples
        np.testing.assert_allclose(np.percentile(out, (2, 95)), [0, 1], atol=1e-3)
        flat = field(np.full((9, 9), 0.3))
        np.testing.assert_array_equal(Normalise().treat(flat).samples, flat.samples)

    def test_terraces_have_their_count_of_levels_and_a_full_passage_changes_nothing(self):
        ramp = np.linspace(0, 1, 1001, dtype=np.float32)
        np.testing.assert_allclose(np.unique(terrace(ramp, 5, 0)), [0, 0.25, 0.5, 0.75, 1], atol=1e-6)
        np.testing.assert_allclose(terrace(ramp, 5, 1), ramp, atol=1e-6)
        self.assertTrue((np.diff(terrace(ramp, 7, 0.3)) >= -1e-6).all())


class DetailTests(TestCase):
    def test_sharpen_is_unsharp_masking(self):
        """`skimage.filters.unsharp_mask`, range preserved; its Gaussian ends its edge by reflection, so inside only."""
        samples = rough(80, 80).astype(np.float32)
        expected = skimage.filters.unsharp_mask(samples, radius=3, amount=1.4, preserve_range=True)
        out = Sharpen(radius=3, amount=1.4).treat(field(samples, width=80)).samples
        np.testing.assert_allclose(out[14:-14, 14:-14], expected[14:-14, 14:-14], atol=1e-5)

    def test_bands_with_gains_of_1_return_the_input_and_without_all_leave_the_mean(self):
        """Burt & Adelson 1983: the levels of a Laplacian pyramid add up to the picture."""
        here = field(rough(128, 128), width=100, edges=WRAP)
        np.testing.assert_allclose(DetailBands().treat(here).samples, here.samples, atol=1e-6)
        none = DetailBands(broad=0, middle=0, fine=0).treat(here).samples
        np.testing.assert_allclose(none, here.samples.mean(), atol=1e-5)

    def test_each_gain_moves_its_own_wavelengths(self):
        slow, quick = sinusoid(16, 512, 2, 0.2), sinusoid(16, 512, 128, 0.05)
        here = field(slow + quick - 0.5, width=400, edges=WRAP)  # 200 mm and 3.1 mm long
        bands = DetailBands(fine=3, fine_limit=12, broad_limit=60).treat(here).samples
        np.testing.assert_allclose(bands, slow + 3 * (quick - 0.5), atol=0.01)

    def test_median_for_radii_1_and_2_is_scipys(self):
        """`scipy.ndimage.median_filter` of size 3 and 5, modes `wrap` and `nearest`."""
        samples = np.random.default_rng(3).random((40, 50), np.float32)
        for radius in (1, 2):
            for wraps, mode in (((True, True), "wrap"), ((False, False), "nearest")):
                expected = scipy.ndimage.median_filter(samples, 2 * radius + 1, mode=mode)
                np.testing.assert_array_equal(median(samples, (radius, radius), wraps), expected)

    @long
    def test_a_wide_median_is_that_of_its_whole_window(self):
        """`scipy.ndimage.median_filter`, on texels of every shape: 1e-4 of the range in the mean, 1e-3 at most."""
        grain = np.random.default_rng(4).normal(0, 0.03, (97, 141))
        samples = (rough(97, 141, seed=3) + grain).astype(np.float32)
        steps = np.rint(samples * 255).astype(np.float32) / 255
        for across, down in ((3, 3), (16, 16), (9, 4), (0, 6), (1, 2)):
            for wraps, mode in (((True, True), "wrap"), ((False, False), "nearest")):
                size = 2 * down + 1, 2 * across + 1
                apart = np.abs(
                    median(samples, (across, down), wraps) - scipy.ndimage.median_filter(samples, size, mode=mode)
                )
                self.assertLess(apart.mean(), 1e-4 * np.ptp(samples))
                self.assertLess(apart.max(), 1e-3 * np.ptp(samples))
                expected = scipy.ndimage.median_filter(steps, size, mode=mode)
                np.testing.assert_array_equal(median(steps, (across, down), wraps), expected)

    def test_a_wider_median_leaves_less_grain(self):
        grain = np.random.default_rng(5).normal(0, 0.03, (256, 256)).astype(np.float32)
        left = [median(0.5 + grain, (radius, radius), (True, True)).std() for radius in (1, 2, 4, 8, 16)]
        for wide, narrow in zip(left[1:], left[:-1], strict=True):
            self.assertLess(wide, 0.62 * narrow)

    def test_a_wide_median_takes_specks_away_and_keeps_a_cliff(self):
        cliff = np.where(np.arange(200) < 100, 0.2, 0.8) * np.ones((200, 1))
        specked = cliff.copy()
        specked[20:24, 30:34] = 1
        out = Median(radius=6).treat(field(specked, width=200)).samples
        np.testing.assert_allclose(out, cliff, atol=1e-6)

    def test_guided_filter_by_its_definition_and_in_its_limits(self):
        """He 2010: with the field as guide q = mean(a) I + mean(b), a = var / (var + eps), b = mean (1 - a)."""
        samples = rough(60, 60).astype(np.float32)
        means = lambda values: scipy.ndimage.uniform_filter(values.astype(float), 7, mode="wrap")  # noqa: E731
        middle = means(samples)
        share = (variance := means(samples.astype(float) ** 2) - middle**2) / (variance + 0.1**2)
        expected = means(share) * samples + means((1 - share) * middle)
        np.testing.assert_allclose(filter_guided(samples, (3, 3), 0.1, (True, True)), expected, atol=1e-5)
        np.testing.assert_allclose(filter_guided(samples, (3, 3), 1e-4, (True, True)), samples, atol=1e-3)

    def test_bilateral_against_opencv(self):
        """`cv2.bilateralFilter`, whose window is round; so it reaches four standard deviations."""
        cliff = (np.where(np.arange(64) < 32, 0.25, 0.75) + 0.1 * (rough(64, 64) - 0.5)).astype(np.float32)
        expected = cv2.bilateralFilter(cliff, 25, 0.12, 3, borderType=cv2.BORDER_REPLICATE)
        out = bilateral(cliff, (3, 3), 0.12, (False, False))
        self.assertLess(np.abs(out - expected).max(), 1e-3)
        self.assertGreater(out[:, 40].min() - out[:, 24].max(), 0.4, "the edge stays")


class FaultTests(TestCase):
    def test_even_light_takes_a_gradient_out_and_keeps_the_mean(self):
        texture = 0.5 + 0.1 * np.sign(sinusoid(256, 256, 32) - 0.5)
        lit = texture * np.linspace(0.4, 1.4, 256)
        for way in ("divide", "subtract"):
            evened = EvenLight(window=40, way=way).treat(field(lit, width=256)).samples
            self.assertAlmostEqual(evened.mean(), lit.mean(), places=5)
            thirds = [part.mean() for part in np.array_split(evened[:, 32:-32], 3, axis=1)]
            self.assertLess(np.ptp(thirds), 0.02, way)
        divided = EvenLight(window=40).treat(field(lit, width=256)).samples[:, 48:-48]
        np.testing.assert_allclose(divided / divided.mean(), texture[:, 48:-48] / texture.mean(), atol=0.03)

    def test_steps_of_an_eight_bit_ramp_are_gone_and_nothing_moves_by_more_than_half_a_level(self):
        ramp = np.tile(np.linspace(0.2, 0.3, 1024), (16, 1))
        stepped = HeightField(np.float32(np.rint(ramp * 255) / 255), *place(1024, 16), grain=1 / 255)
        out = RemoveSteps(reach=40).treat(stepped).samples
        self.assertLessEqual(np.abs(out - stepped.samples).max(), 0.5 / 255 + 1e-7)
        rises = np.diff(out[8, 60:-60])
        self.assertLess(rises.std(), 0.1 * rises.mean(), "as good as straight")
        self.assertLess(np.abs(out - ramp)[:, 60:-60].max(), 0.1 / 255)

    def test_the_bound_holds_on_a_real_photo_after_levels(self):
        """scikit-image's `gravel` (CC0)."""
        gravel = skimage.data.gravel() / np.float32(255)
        here = HeightField(gravel, *place(512, 512), grain=1 / 255)
        stretched = Levels(black=0.2, white=0.7).treat(here)
        self.assertAlmostEqual(stretched.grain, 1 / 255 / 0.5)
        moved = np.abs(RemoveSteps(reach=3).treat(stretched).samples - stretched.samples).max()
        self.assertLessEqual(moved, stretched.grain / 2)
        self.assertGreater(moved, stretched.grain / 3)

    def test_steps_are_removed_as_well_with_any_reach(self):
        """Normals of hills rounded to 60 levels, against those of the hills: 23 degrees off before."""
        hills = scipy.ndimage.gaussian_filter(np.random.default_rng(0).standard_normal((512, 512)), 13, mode="wrap")
        hills = (hills - hills.min()) / np.ptp(hills)
        true = of_slopes(slopes(field(hills, 150, edges=WRAP), 20))
        rounded = replace(field(np.rint(hills * 60) / 60, 150, edges=WRAP), grain=1 / 60)
        for reach in (0.5, 1, 5, 30, 300):
            smooth = RemoveSteps(reach=reach).treat(rounded)
            cosine = (of_slopes(slopes(smooth, 20)) * true).sum(axis=-1)
            self.assertLess(np.degrees(np.arccos(np.clip(cosine, -1, 1))).mean(), 2.4, reach)

    def test_no_sample_of_a_dark_photo_moves_by_more_than_half_its_level(self):
        """IEC 61966-2-1: near black a level of 8 bits is 1 / 12.92 as wide in linear light."""
        codes = np.rint(np.tile(np.linspace(0, 40, 400), (60, 1))).astype(np.uint8)
        data = io.BytesIO()
        Image.fromarray(codes).save(data, "PNG")
        content = Picture(source="picture", reading="photo")
        source = SourceReference(digest="0" * 64, filename="dark.png")
        recipe = Recipe.of(Relief(layers=(Layer(name="dark", content=content),)), {"picture": source})
        light = Engine().run(Pipeline.of(recipe, lambda _: data.getvalue()).untreated())
        smooth = RemoveSteps(reach=20).treat(light).samples
        level = np.array([linear_from_srgb(np.array((code + 0.5, code - 0.5)) / 255) for code in range(42)])
        half = (level[:, 0] - level[:, 1])[codes] / 2
        self.assertLessEqual((np.abs(smooth - light.samples) / half).max(), 1.03)
        self.assertGreater(np.unique(smooth).size, 5 * np.unique(light.samples).size)

    def test_heal_fills_a_hole_from_around_and_touches_nothing_else(self):
        x, y = np.meshgrid(centres(128), centres(128))
        slope = 0.3 + 0.4 * x + 0.1 * y
        holed = slope.copy()
        holed[54:70, 30:46] = 1
        mark = Mark(points=((38 / 128, 62 / 128),), radius=12)
        out = Heal(marks=(mark,)).treat(field(holed, width=128)).samples
        self.assertLess(np.abs(out - slope).max(), 0.03)
        far = np.hypot(x - 38 / 128, y - 62 / 128) > 13.5 / 128
        np.testing.assert_allclose(out[far], slope[far], atol=1e-6)

    def test_heal_replays_at_twice_the_size_and_across_the_edge(self):
        mark = Mark(points=((0.02, 0.5), (0.06, 0.6)), radius=8)
        tile = rough(128, 128)
        small = Heal(marks=(mark,)).treat(field(tile, width=128, edges=WRAP)).samples
        large = Heal(marks=(mark,)).treat(field(np.kron(tile, np.ones((2, 2))), width=128, edges=WRAP)).samples
        changed = np.abs(small - tile) > 1e-6
        self.assertTrue(changed[60:68, -4:].any(), "the stroke comes in again on the other side")
        self.assertLess(np.abs(large.reshape(128, 2, 128, 2).mean(axis=(1, 3)) - small).mean(), 0.01)

    def test_slopes_are_limited_and_gentle_ones_stay(self):
        for edges in (WRAP, CLAMP):
            here = field(rough(96, 96, seed=8), width=96, edges=edges)
            here = HeightField(here.samples, here.footprint, edges, amplitude=30)
            self.assertGreater(steepest(here, 30), 60)
            out = SlopeLimit(angle=45).treat(here)
            steep = np.hypot(*np.moveaxis(slopes(out, 30, "central"), 2, 0))
            self.assertLess(np.degrees(np.arctan(steep.max())), 46)
            self.assertGreater(np.degrees(np.arctan(np.percentile(steep, 98))), 38, "no more than is asked for")
            gentle = HeightField(here.samples, here.footprint, edges, amplitude=0.5)
            np.testing.assert_allclose(SlopeLimit(angle=45).treat(gentle).samples, here.samples, atol=1e-6)

    def test_the_limit_holds_on_texels_of_any_shape_and_leaves_what_is_less_steep(self):
        for rows, columns in ((160, 160), (320, 80), (80, 320)):
            for edges in (WRAP, CLAMP):
                here = replace(field(rough(rows, columns, seed=1), 100, 100, edges), amplitude=60)
                angles = steepness(SlopeLimit(angle=40).treat(here), 60)
                self.assertLess(angles.max(), 42)
                self.assertLess(np.percentile(angles, 99.9), 41)
                self.assertGreater(np.percentile(angles, 90), 34, "no more than needed is laid back")
            x, y = np.meshgrid(centres(columns), centres(rows))
            for angle in (38, 39.9):
                for way in map(math.radians, (0, 30, 45, 77)):
                    heights = 100 * (x * math.cos(way) + y * math.sin(way)) * math.tan(math.radians(angle)) / 60
                    plane = replace(field(heights, 100, 100), amplitude=60)
                    np.testing.assert_allclose(SlopeLimit(angle=40).treat(plane).samples, plane.samples, atol=1e-5)

    @long
    def test_no_slope_stays_above_the_limit_on_texels_of_any_shape(self):
        """Rough ground whose texels are up to eight times as long as wide; slopes by differences over two texels."""
        for rows, columns, width, height in (
            (201, 300, 300, 201), (201, 300, 2400, 201), (201, 300, 300, 1608), (257, 190, 95, 514), (256, 256, 64, 256)
        ):  # fmt: skip
            for edges in (WRAP, CLAMP):
                with self.subTest(texel=(width / columns, height / rows), edges=edges):
                    noise = rough(rows, columns, 4)
                    here = replace(field(noise, width, height, edges), amplitude=60)
                    samples = SlopeLimit(angle=40).treat(here).samples.astype(float) * 60
                    wide = np.pad(samples, 1, mode="wrap" if edges == WRAP else "edge")
                    across = (wide[1:-1, 2:] - wide[1:-1, :-2]) / (2 * width / columns)
                    down = (wide[2:, 1:-1] - wide[:-2, 1:-1]) / (2 * height / rows)
                    inner = np.degrees(np.arctan(np.hypot(across, down)))
                    self.assertLess(inner.max(), 41)

    def test_edge_fade_leaves_nothing_at_the_edge_and_all_inside(self):
        here = field(rough(200, 300), width=300)
        for depth in (0, 20):
            out = EdgeFade(width=15, level=0.5, depth=depth, chip=10).treat(here)
            border = np.concatenate([out.alpha[0], out.alpha[-1], out.alpha[:, 0], out.alpha[:, -1]])
            self.assertLess(border.max(), 0.01)
            np.testing.assert_array_equal(out.alpha[60:140, 60:240], 1)
            np.testing.assert_allclose(out.samples[60:140, 60:240], here.samples[60:140, 60:240], atol=1e-6)
            np.testing.assert_allclose(out.samples[0], 0.5, atol=0.01)
        straight, chipped = (EdgeFade(width=15, depth=depth).treat(here).alpha for depth in (0, 20))
        self.assertGreater((straight - chipped).max(), 0.5)

    def test_chips_are_the_same_at_every_resolution(self):
        coarse, fine = (
            EdgeFade(width=12, depth=30, chip=15).treat(field(np.ones((size, size)), width=200)).alpha
            for size in (256, 512)
        )
        self.assertLess(np.abs(fine.reshape(256, 2, 256, 2).mean(axis=(1, 3)) - coarse).max(), 0.05)


def place(columns: int, rows: int):
    """Footprint and edges with a texel to the mm."""
    here = field(np.zeros((rows, columns)), width=columns)
    return here.footprint, here.edges


ALIKE_AT_EVERY_SIZE = (
    Levels(black=0.2, white=0.8, gamma=1.3), ToneCurve(stops=((0, 0), (0.4, 0.7), (1, 1))), Invert(), Clamp(low=0.3),
    Normalise(low=2, high=2), Terrace(count=4, passage=0.8), Soften(radius=3), Sharpen(radius=3),
    SoftenBetweenEdges(radius=4, edge=0.3), SoftenBetweenEdges(radius=4, edge=0.3, way="bilateral"), Median(radius=4),
    DetailBands(fine=2, broad=0.5, fine_limit=8, broad_limit=60), EvenLight(window=60), Turn(angle=7), Shift(),
    Crop(left=20, top=10, width=50, height=60), CloseSeam(way="fade", band=20), CloseSeam(way="mirror", band=20),
    CloseSeam(way="contrast", band=20), Straighten(corners=((0.1, 0.1), (0.9, 0.2), (0.8, 0.9), (0.2, 0.8))),
    EdgeFade(width=20, depth=15), Heal(marks=(Mark(points=((0.5, 0.5),), radius=8),)),
)  # fmt: skip
"""Every treatment but those that look at single texels (remove steps, slope limit) or may take another path (cut)."""


class EveryTreatmentTests(TestCase):
    def test_every_file_of_the_folder_is_found_and_says_what_it_does(self):
        self.assertEqual(sorted(TREATMENTS), kinds_written("treat"))
        for kind, model in TREATMENTS.items():
            self.assertTrue(model.title and model.family, kind)
            self.assertRegex(model.__doc__, r"^[A-Z].*\.$", kind)
            self.assertIsInstance(model().treat(field(rough(40, 50))), HeightField)

    def test_what_tiles_keeps_tiling_and_keeps_its_shape_and_type(self):
        samples = rough(64, 96, seed=5)
        here = field(samples, width=96, edges=WRAP)
        for treatment in (
            Levels(black=0.1, white=0.9, gamma=0.7), Soften(radius=3), Soften(radius=30), Invert(), Median(radius=1),
            Sharpen(radius=2), SoftenBetweenEdges(radius=3), SoftenBetweenEdges(radius=2, way="bilateral"),
            DetailBands(fine=2), EvenLight(window=20), SlopeLimit(angle=5), RemoveSteps(reach=3), Terrace(),
        ):  # fmt: skip
            here = HeightField(here.samples, here.footprint, WRAP, grain=1 / 255)
            treated = treatment.treat(here).samples
            self.assertEqual((treated.shape, treated.dtype), ((64, 96), np.float32))
            moved = treatment.treat(here.with_samples(np.roll(samples, (20, 33), (0, 1)))).samples
            tolerance = 2e-3 if treatment == Soften(radius=30) else 1e-5
            np.testing.assert_allclose(
                moved, np.roll(treated, (20, 33), (0, 1)), atol=tolerance, err_msg=str(treatment)
            )
            self.assertLess(max(seam_ratios(treated)), 1.6, treatment)

    @long
    def test_lengths_in_mm_look_the_same_at_384_768_and_1536(self):
        broad = scipy.ndimage.gaussian_filter(np.random.default_rng(6).random((384, 384)), 6, mode="wrap")
        broad = (broad - broad.min()) / np.ptp(broad)
        fields = [field(scipy.ndimage.zoom(broad, size // 384, order=1, mode="grid-wrap", grid_mode=True), width=300)
                  for size in (384, 768, 1536)]  # fmt: skip
        for treatment in ALIKE_AT_EVERY_SIZE:
            done = [treatment.treat(here) for here in fields]
            size = done[0].samples.shape[::-1]
            looks = [cv2.resize(out.samples, size, interpolation=cv2.INTER_AREA) for out in done]
            for coarse, fine in pairwise(looks):
                self.assertLess(np.abs(coarse - fine)[8:-8, 8:-8].mean(), 0.012, treatment)
            self.assertAlmostEqual(done[0].footprint.width, done[2].footprint.width, places=6)

    def test_invert_twice_is_nothing(self):
        here = field(rough(10, 10), edges=CLAMP)
        np.testing.assert_allclose(Invert().treat(Invert().treat(here)).samples, here.samples, atol=1e-6)

    def test_tiny_and_flat_fields_pass_through_everything(self):
        for samples in (np.full((1, 1), 0.4), np.full((2, 7), 0.4), np.full((33, 1), 0.4)):
            for model in TREATMENTS.values():
                out = model().treat(HeightField(np.float32(samples), *place(*samples.shape[::-1]), grain=1 / 255))
                self.assertTrue(np.isfinite(out.samples).all(), model)
                self.assertGreater(out.samples.size, 0)

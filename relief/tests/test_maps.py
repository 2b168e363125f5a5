"""Slopes and maps against analytic surfaces, other libraries, and a real elevation model."""

import threading
from unittest import TestCase

import cv2
import matplotlib.cbook
import numpy as np
import scipy.ndimage
import skimage.filters
from matplotlib.colors import LightSource

from relief.filters.bands import Bands
from relief.maps.displacement import bump_range, displacement, displacement_range
from relief.maps.normal import Normal, normal_map
from relief.maps.slopes import KERNEL_NAMES, slopes, steepness
from relief.maps.vectors import vectors_of
from relief.tests.height_fields import CLAMP, WRAP, centres, field, rough, sinusoid
from relief.treat.detail_bands import DetailBands


def plain_normals(samples, spacing, rise, wrap):
    """Central differences and encoding written out in NumPy: the reference of the compiled kernel."""
    padded = np.pad(samples.astype(float), 1, mode="wrap" if wrap else "edge")
    steps = [np.full(count, 2.0) for count in samples.shape]
    if not wrap:
        for step in steps:
            step[[0, -1]] = 1
    across = (padded[1:-1, 2:] - padded[1:-1, :-2]) / steps[1][None, :] * rise / spacing[0]
    up = (padded[:-2, 1:-1] - padded[2:, 1:-1]) / steps[0][:, None] * rise / spacing[1]
    normals = np.dstack([-across, -up, np.ones_like(across)])
    return normals / np.linalg.norm(normals, axis=2, keepdims=True)


class SlopeTests(TestCase):
    def test_every_kernel_gives_the_exact_slope_of_a_ramp_up_to_the_border(self):
        x, y = np.meshgrid(centres(40), 1 - centres(30))
        ramp = field(0.7 * x - 0.4 * y, width=200, height=60)
        for kernel in KERNEL_NAMES:
            found = slopes(ramp, 10, kernel)
            np.testing.assert_allclose(found[..., 0], 10 * 0.7 / 200, rtol=2e-4)
            np.testing.assert_allclose(found[..., 1], 10 * -0.4 / 60, rtol=2e-4)

    def test_a_sinusoid_that_wraps(self):
        """The derivative of a sine is a cosine; a central difference over 2 texels is it times sinc."""
        wave = field(sinusoid(8, 256, 3), width=90, edges=WRAP)
        phase = 2 * np.pi * 3 * centres(256)
        spacing = 2 * np.pi * 3 / 256
        expected = 4 * 0.5 * 2 * np.pi * 3 / 90 * np.cos(phase) * np.sin(spacing) / spacing
        np.testing.assert_allclose(slopes(wave, 4)[3, :, 0], expected, atol=1e-5)

    def test_against_scipy_and_scikit_image(self):
        """scikit-image `sobel_h`, `scharr_v` and so on; SciPy `ndimage.correlate1d`. Interior: their borders differ."""
        samples = rough(60, 50)
        inner = (slice(2, -2), slice(2, -2))
        for kernel, across, down in (
            ("sobel", skimage.filters.sobel_v, skimage.filters.sobel_h),
            ("scharr", skimage.filters.scharr_v, skimage.filters.scharr_h),
        ):
            found = slopes(field(samples, width=50, height=60), 1, kernel)
            # scikit-image halves nothing: its kernels weigh a step of two texels
            np.testing.assert_allclose(found[..., 0][inner], across(samples)[inner] / 2, atol=1e-6)
            np.testing.assert_allclose(found[..., 1][inner], -down(samples)[inner] / 2, atol=1e-6)
        wrapped = slopes(field(samples, width=50, height=60, edges=WRAP), 1)
        expected = scipy.ndimage.correlate1d(samples, [-0.5, 0, 0.5], axis=1, mode="wrap")
        np.testing.assert_allclose(wrapped[..., 0], expected, atol=1e-6)

    def test_the_smooth_kernel_is_opencv_sobel_of_five_taps(self):
        """`cv2.Sobel` with `ksize=5`, whose weights sum to 128 for a step of one texel."""
        samples = rough(60, 50).astype(np.float32)
        found = slopes(field(samples, width=50, height=60, edges=WRAP), 1, "smooth")
        wide = np.pad(samples, 4, mode="wrap")
        across, down = (
            cv2.Sobel(wide, cv2.CV_32F, *axes, ksize=5, scale=1 / 128)[4:-4, 4:-4] for axes in ((1, 0), (0, 1))
        )
        np.testing.assert_allclose(found[..., 0], across, atol=1e-6)
        np.testing.assert_allclose(found[..., 1], -down, atol=1e-6)

    def test_steepness_of_a_ramp_of_45_degrees(self):
        np.testing.assert_allclose(steepness(field(np.tile(centres(32), (32, 1)), width=10), 10), 45, atol=1e-3)

    def test_hillshade_of_a_real_elevation_model(self):
        """matplotlib `LightSource.hillshade` on the elevation model in its package (`jacksboro_fault_dem.npz`)."""
        with matplotlib.cbook.get_sample_data("jacksboro_fault_dem.npz") as model:
            elevation = model["elevation"].astype(np.float32)
        dx, dy = 90.0, 70.0
        light = LightSource(azdeg=315, altdeg=45)
        expected = light.hillshade(elevation, dx=dx, dy=dy)
        rows, columns = elevation.shape
        rise = slopes(field(elevation, width=dx * columns, height=dy * rows, edges=CLAMP), 1)
        normals = np.dstack([-rise, np.ones(elevation.shape)])
        normals /= np.linalg.norm(normals, axis=2, keepdims=True)
        shade = normals @ light.direction
        shade = (shade - shade.min()) / np.ptp(shade)
        np.testing.assert_allclose(shade, expected, atol=2e-4)


class NormalMapTests(TestCase):
    def test_its_own_soften_is_a_gaussian_before_the_slopes(self):
        """SciPy's `gaussian_filter` at 2 mm of 1 mm texels; the heights themselves stay."""
        samples = rough(64, 64)
        own = normal_map(field(samples, width=64, edges=WRAP), 9, Normal(soften=2), 16)
        blurred = scipy.ndimage.gaussian_filter(samples, 2, mode="wrap", truncate=6)
        expected = normal_map(field(blurred, width=64, edges=WRAP), 9, Normal(), 16)
        np.testing.assert_allclose(own.astype(int), expected.astype(int), atol=60)
        self.assertGreater(
            np.abs(own.astype(int) - normal_map(field(samples, width=64, edges=WRAP), 9, Normal(), 16)).max(), 2000
        )

    def test_its_own_bands_are_those_of_the_treatment(self):
        """Without fine detail it is the map of a field that went through detail bands; gains of 1 change nothing."""
        here = field(rough(64, 64), width=64, edges=WRAP)
        settings = {"fine": 0, "middle": 1.5, "fine_limit": 6, "broad_limit": 30}
        own = normal_map(here, 9, Normal(bands=Bands(**settings)))
        np.testing.assert_array_equal(own, normal_map(DetailBands(**settings).treat(here), 9, Normal()))
        self.assertGreater(np.abs(own.astype(int) - normal_map(here, 9, Normal())).max(), 20)
        np.testing.assert_array_equal(normal_map(here, 9, Normal(bands=Bands())), normal_map(here, 9, Normal()))

    def test_flat_is_the_well_known_blue(self):
        """Common practice, no source: (128, 128, 255) in 8 bit."""
        flat = field(np.full((5, 9), 0.3))
        self.assertEqual(np.unique(normal_map(flat, 7, Normal()).reshape(-1, 3), axis=0).tolist(), [[128, 128, 255]])
        sixteen = normal_map(flat, 7, Normal(), 16)
        self.assertEqual(sixteen[0, 0].tolist(), [32768, 32768, 65535])

    def test_a_spherical_cap_has_the_normals_of_the_sphere(self):
        radius, size = 50.0, 301
        x, y = np.meshgrid((centres(size) - 0.5) * 60, (0.5 - centres(size)) * 60)
        cap = np.sqrt(radius**2 - x**2 - y**2)
        for kernel in KERNEL_NAMES:
            normals = vectors_of(normal_map(field(cap, width=60), 1, Normal(kernel=kernel), 16))
            expected = np.dstack([x, y, cap]) / radius
            angles = np.degrees(np.arccos(np.clip((normals * expected).sum(axis=2), -1, 1)))
            self.assertLess(angles[2:-2, 2:-2].max(), 0.05, kernel)

    def test_compiled_kernel_against_numpy_at_both_depths_and_edges(self):
        samples = rough(33, 47, seed=4).astype(np.float32)
        for edges in (WRAP, CLAMP):
            here = field(samples, width=120, height=40, edges=edges)
            expected = plain_normals(samples, here.spacing, 9, edges is WRAP)
            for bits in (8, 16):
                most = 2**bits - 1
                found = normal_map(here, 9, Normal(kernel="central"), bits).astype(float)
                self.assertLessEqual(np.abs(found - np.floor((expected * 0.5 + 0.5) * most + 0.5)).max(), 1)

    def test_green_up_is_brighter_on_slopes_that_face_up(self):
        """Common practice, no source: with green up the upper flank of a bump is light green."""
        bump = np.exp(-((centres(64)[:, None] - 0.5) ** 2 + (centres(64)[None] - 0.5) ** 2) / 0.02)
        up = normal_map(field(bump), 10, Normal(green="up"))
        self.assertGreater(up[20, 32, 1], 140)
        self.assertGreater(up[32, 44, 0], 140)
        down = normal_map(field(bump), 10, Normal(green="down"))
        np.testing.assert_array_equal(down[..., 1], 255 - up[..., 1])
        np.testing.assert_array_equal(down[..., [0, 2]], up[..., [0, 2]])

    def test_strength_is_a_factor_on_slopes_and_its_sign_turns_them(self):
        here = field(rough(40, 40), width=30)
        once, twice = (vectors_of(normal_map(here, 5, Normal(strength=s), 16)) for s in (1, 2))
        slope = [-vectors[..., 0] / vectors[..., 2] for vectors in (once, twice)]
        np.testing.assert_allclose(slope[1], 2 * slope[0], atol=2e-3)
        reversed_ = vectors_of(normal_map(here, 5, Normal(strength=-1), 16))
        np.testing.assert_allclose(reversed_[..., :2], -once[..., :2], atol=1e-4)

    def test_a_wrapping_map_does_not_know_where_its_edge_is(self):
        samples = rough(32, 48)
        rolled = np.roll(samples, (7, 11), (0, 1))
        map_ = normal_map(field(samples, edges=WRAP), 5, Normal())
        np.testing.assert_array_equal(
            normal_map(field(rolled, edges=WRAP), 5, Normal()), np.roll(map_, (7, 11), (0, 1))
        )

    def test_the_smallest_fields(self):
        for shape in ((1, 1), (1, 5), (5, 1), (2, 2)):
            for edges in (WRAP, CLAMP):
                self.assertEqual(
                    normal_map(field(np.ones(shape), edges=edges), 5, Normal())[0, 0].tolist(), [128, 128, 255]
                )

    def test_kernels_bear_several_threads_at_once(self):
        here = field(rough(300, 300), edges=WRAP)
        expected, results = normal_map(here, 5, Normal()), []

        def work():
            results.extend(np.array_equal(normal_map(here, 5, Normal()), expected) for _ in range(20))

        threads = [threading.Thread(target=work) for _ in range(6)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(results, [True] * 120)


class HeightMapTests(TestCase):
    def test_black_in_white_out_mid_grey_stays(self):
        """Common practice, no source."""
        distances = displacement(np.array([0, 0.5, 1], np.float32), 8, 0.5)
        self.assertLess(distances[0], 0)
        self.assertEqual(distances[1], 0)
        self.assertGreater(distances[2], 0)

    def test_midlevel_lands_on_mid_grey_and_nothing_is_cut_off(self):
        samples = np.linspace(0, 1, 101, dtype=np.float32)
        for midlevel in (0, 0.3, 0.5, 1):
            bump = bump_range(samples, midlevel)
            self.assertEqual(bump.encode(np.array([midlevel], np.float32), 8)[0], 128)
            coded = bump.encode(samples, 8).astype(float) / 255
            back = (coded - bump.midlevel(midlevel)) * bump.amplitude(12)
            np.testing.assert_allclose(back, (samples - midlevel) * 12, atol=bump.amplitude(12) / 255)

    def test_displacement_of_plain_heights_is_the_heights_and_what_goes_beyond_is_kept(self):
        plain = np.linspace(0, 1, 65536, dtype=np.float32)
        np.testing.assert_array_equal(displacement_range(plain).encode(plain, 16), np.arange(65536))
        beyond = np.array([-1, 0, 2], np.float32)
        whole = displacement_range(beyond)
        back = (whole.encode(beyond, 16) / 65535 - whole.midlevel(0.5)) * whole.amplitude(6)
        np.testing.assert_allclose(back, (beyond - 0.5) * 6, atol=6 * 3 / 65535)

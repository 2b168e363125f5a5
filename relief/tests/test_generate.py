"""Noise and patterns: right by their papers, exact in their sizes, tiling, and the same at every resolution."""

import json
import sys
import types
from itertools import pairwise
from typing import ClassVar, Literal
from unittest import TestCase, mock

import numpy as np
import scipy.spatial

from relief.generate import GENERATORS
from relief.generate.cellular_noise import CellularNoise
from relief.generate.courses import Courses
from relief.generate.dots import Dots
from relief.generate.flutes import Flutes
from relief.generate.generator import Generator, Grid
from relief.generate.gradient_noise import GradientNoise
from relief.generate.hexagons import Hexagons
from relief.generate.lattice import Lattice
from relief.generate.net import Net
from relief.generate.pyramids import Pyramids
from relief.generate.rings import Rings
from relief.generate.squares import Squares
from relief.generate.value_noise import ValueNoise
from relief.generate.waves import Waves
from relief.generate.weave import Weave
from relief.height import Footprint
from relief.parameters import controls, discover, number
from relief.progress import Progress
from relief.tests.folders import kinds_written
from relief.tests.tags import long

TILE = Footprint(width=600, height=600)
OBLONG = Footprint(width=900, height=500)


def drawn(generator: Generator, size: int = 256, footprint: Footprint = TILE) -> np.ndarray:
    rows = round(size * footprint.height / footprint.width)
    return generator.draw(Grid(rows, size, footprint))


def highest_correlation(one: np.ndarray, other: np.ndarray) -> float:
    """The correlation of two tiles where one is moved over the other so that they are most alike."""
    one, other = ((part - part.mean()) / part.std() for part in (one, other))
    return float(np.abs(np.fft.ifft2(np.fft.fft2(one) * np.conj(np.fft.fft2(other)))).max() / one.size)


class NoiseTests(TestCase):
    def test_gradient_noise_is_zero_at_lattice_points(self):
        """Perlin 2002."""
        out = GradientNoise(size=50, octaves=1, contrast=1).draw(Grid(3, 3, Footprint(width=300, height=300)))
        np.testing.assert_allclose(out, 0.5, atol=1e-6)

    def test_first_and_second_derivatives_are_continuous_across_cells(self):
        """Perlin 2002: the quintic fade has no kink in its slope and none in its curvature at a lattice line."""
        fine = GradientNoise(size=300, octaves=1).draw(Grid(4, 4096, Footprint(width=600, height=600)))[1].astype(float)
        slope = np.diff(fine) * 4096
        bend = np.diff(slope) * 4096
        edge = 2048
        self.assertLess(abs(slope[edge] - slope[edge - 2]), 0.02 * np.ptp(slope))
        wide = bend.reshape(-1)[:4064].reshape(-1, 32).mean(axis=1)  # float32 noise averaged out
        self.assertLess(np.abs(np.diff(wide)).max(), 0.12 * np.ptp(wide))

    def test_statistics_of_gradient_noise_are_within_its_bounds(self):
        """With unit gradients in the plane |n| is at most sqrt(1/2), and its mean is 0."""
        out = (GradientNoise(size=8, octaves=1).draw(Grid(1024, 1024, TILE)) - 0.5) / 0.5
        self.assertLessEqual(np.abs(out).max(), 1 + 1e-5)
        self.assertAlmostEqual(float(out.mean()), 0, delta=0.01)
        self.assertGreater(out.std(), 0.25)

    def test_fractal_sums_fall_off_as_their_gain_says(self):
        """Musgrave: with lacunarity 2 and gain g the amplitude spectrum falls by g for each doubling of frequency."""
        for gain in (0.5, 0.7):
            noise = GradientNoise(size=100, octaves=6, gain=gain).draw(Grid(1024, 1024, TILE)) - 0.5
            power = np.abs(np.fft.fft2(noise)) ** 2
            radius = np.hypot(np.fft.fftfreq(1024)[:, None], np.fft.fftfreq(1024)[None, :]) * 1024
            bands = [power[(radius >= low) & (radius < 2 * low)].sum() for low in (6, 12, 24, 48)]
            ratios = np.sqrt(np.array(bands[1:]) / bands[:-1])
            np.testing.assert_allclose(ratios.mean(), gain, atol=0.12)

    def test_cellular_distances_against_a_search_tree(self):
        """`scipy.spatial.cKDTree` over the points of the tile and its eight neighbours; Worley 1996, F1 and F2."""
        noise = CellularNoise(size=60, jitter=1)
        lattice = noise.lattice(TILE)
        randoms = lattice.randoms(noise.seed, 3)
        first_u, first_v, many_u, many_v = lattice.bounds()
        u, v = np.meshgrid(np.arange(many_u) + first_u, np.arange(many_v) + first_v)
        points = np.stack([u + randoms[..., 0], v + randoms[..., 1]], axis=-1).reshape(-1, 2)
        nearest, second, _ = noise.distances(Grid(120, 120, TILE))
        places = (np.arange(120) + 0.5) / 120 * 10
        grid = np.stack(np.meshgrid(places, places), axis=-1).reshape(-1, 2)
        far, _ = scipy.spatial.cKDTree(points).query(grid, k=2)
        np.testing.assert_allclose(nearest.ravel(), far[:, 0], atol=1e-4)
        np.testing.assert_allclose(second.ravel(), far[:, 1], atol=1e-4)

    def test_square_and_diamond_distances(self):
        """Minkowski norms of SciPy: p infinite and p 1."""
        for shape, power in (("square", np.inf), ("diamond", 1)):
            noise = CellularNoise(size=60, jitter=0, shape=shape)
            nearest, _, _ = noise.distances(Grid(60, 60, TILE))
            place = (np.arange(60) + 0.5) / 60 * 10 % 1 - 0.5
            offsets = np.stack(np.meshgrid(place, place), axis=-1)
            np.testing.assert_allclose(nearest, np.linalg.norm(offsets, power, axis=-1), atol=1e-5)

    def test_every_lattice_tiles_whatever_its_turn_and_stretch(self):
        for footprint in (TILE, OBLONG):
            for turn, stretch in ((0, 1), (30, 1), (45, 3), (-77, 0.4), (90, 2)):
                lattice = Lattice.over(footprint, 40 * stretch, 40, turn)
                randoms = lattice.randoms(5, 1)[..., 0]
                # one step over the tile's edge is (a, c) cells across and (b, d) down
                for du, dv in ((lattice.a, lattice.c), (lattice.b, lattice.d)):
                    rows, columns = randoms.shape
                    here = randoms[max(0, -dv) : rows - max(0, dv), max(0, -du) : columns - max(0, du)]
                    there = randoms[max(0, dv) : rows + min(0, dv), max(0, du) : columns + min(0, du)]
                    if here.size:
                        np.testing.assert_array_equal(here, there)
                self.assertGreater(lattice.cells, 20)

    def test_noise_crosses_the_edge_as_it_crosses_any_line(self):
        for noise in (
            GradientNoise(), GradientNoise(sum="ridged", turn=30), GradientNoise(sum="billowed", warp=60),
            CellularNoise(measure="nearest", warp=30), CellularNoise(turn=45, stretch_across=2), ValueNoise(turn=20),
        ):  # fmt: skip
            out = drawn(noise, 256, OBLONG)
            for axis in (0, 1):
                rolled = np.roll(out, out.shape[axis] // 2, axis)
                steps = np.abs(np.diff(rolled, axis=axis)).mean(axis=1 - axis)
                self.assertLess(steps[out.shape[axis] // 2 - 1], 1.8 * np.median(steps), noise)

    @long
    def test_noise_at_contrast_1_stays_from_0_to_1(self):
        for seed in range(2):
            for octaves in (1, 3, 8):
                for sum_ in ("fractal", "ridged", "billowed"):
                    for model in (GradientNoise, ValueNoise):
                        noise = model(size=40, octaves=octaves, seed=seed, sum=sum_, gain=0.7)
                        out = drawn(noise, 256)
                        self.assertGreaterEqual(out.min(), -1e-6, noise)
                        self.assertLessEqual(out.max(), 1 + 1e-6, noise)
                for measure in ("nearest", "second", "edges", "value"):
                    out = drawn(CellularNoise(size=40, octaves=octaves, seed=seed, measure=measure), 256)
                    self.assertTrue(0 <= out.min() <= out.max() <= 1, measure)
        one, two = drawn(GradientNoise(seed=4)), drawn(GradientNoise(seed=4, contrast=2))
        np.testing.assert_allclose(two - 0.5, 2 * (one - 0.5), atol=1e-6)

    def test_ridges_have_no_crest_on_every_point_of_the_lattice(self):
        """Gradient noise is 0 on its lattice (Perlin 2002); octaves on the same lattice all have their crest there."""
        noise = GradientNoise(size=100, octaves=6, gain=0.7, sum="ridged")
        fine = noise.draw(Grid(600, 600, TILE))  # lattice points fall between four texels
        at = np.stack([np.roll(fine, (down, right), (0, 1))[::100, ::100] for down in (0, 1) for right in (0, 1)])
        on_lattice = at.mean(axis=0)
        self.assertLess(on_lattice.mean(), 0.93, "the first octave alone has its crest there")
        self.assertGreater(on_lattice.std(), 0.02)
        lines = fine.mean(axis=0)
        self.assertLess(np.abs(lines[::100] - lines.mean()).mean(), 2.5 * lines.std())

    def test_octaves_and_seeds_do_not_meet(self):
        """However one is moved over the other: the highest of all their correlations is that of strangers."""
        for model in (GradientNoise, ValueNoise):
            first = drawn(model(size=60, octaves=1, seed=1, contrast=1))
            second = 1.5 * drawn(model(size=60, octaves=2, seed=1)) - first  # what the second octave adds
            for other in (model(size=30, octaves=1, seed=2), model(size=30, octaves=1, seed=1)):
                self.assertLess(highest_correlation(second, drawn(other)), 0.4)
        cells = [drawn(CellularNoise(size=30, measure="value", seed=seed)) for seed in (1, 2)]
        self.assertLess(highest_correlation(*cells), 0.4)

    def test_another_seed_is_another_surface_and_the_same_seed_the_same(self):
        one, two = drawn(GradientNoise(seed=1)), drawn(GradientNoise(seed=2))
        np.testing.assert_array_equal(one, drawn(GradientNoise(seed=1)))
        self.assertLess(abs(np.corrcoef(one.ravel(), two.ravel())[0, 1]), 0.3)


class PatternTests(TestCase):
    def test_joints_counts_and_heights_of_courses_are_measured_in_the_result(self):
        bricks = Courses(length=200, height=75, joint=20, chamfer=0, rise=0, tilt=0)
        out = drawn(bricks, 1200)
        row = out[int(0.5 * 75 * 2)]
        joints = np.flatnonzero(np.diff((row > 0.5).astype(int)) == 1)
        self.assertEqual(len(joints) + int(row[0] > 0.5 and row[-1] <= 0.5), 3)
        self.assertAlmostEqual((row <= 0.5).sum() / 2, 3 * 20, delta=1.5)  # mm of joint along one course
        column = out[:, 300]
        self.assertAlmostEqual((column <= 0.5).sum() / 2, 8 * 20, delta=4)
        self.assertEqual(set(np.round(np.unique(out), 3)) - {0.0, 1.0}, set())

    def test_bricks_of_every_bond_have_their_share_of_the_face(self):
        """Each brick of 200 x 100 mm with a joint of 10 mm leaves 190 x 90 of it."""
        for bond in ("running", "stack", "third", "herringbone", "basket"):
            out = drawn(
                Courses(bond=bond, length=200, height=100, joint=10, chamfer=0, rise=0, tilt=0),
                1200,
                Footprint(width=1200, height=1200),
            )
            self.assertAlmostEqual((out > 0.5).mean(), 190 * 90 / (200 * 100), delta=0.01, msg=bond)

    def test_twenty_repeats_are_a_twentieth_of_the_width_each(self):
        """Common practice, no source: 20 repeats across is a cell of 1 / 20 = 0.05 of the width."""
        out = drawn(Squares(width=30, height=30, joint=4, chamfer=0), 1200)
        starts = np.flatnonzero(np.diff((out[30] > 0.5).astype(int)) == 1)
        self.assertEqual(len(starts), 20)
        np.testing.assert_allclose(np.diff(starts) / 1200, 0.05, atol=1e-3)

    def test_profiles_are_exact(self):
        """A round groove of radius r is a circle; a hexagon of width w covers its part of the plane; a stepped pyramid
        has its number of levels; a sine its heights."""
        flutes = drawn(Flutes(width=60, fillet=0), 1200)[0]
        place = ((np.arange(1200) + 0.5) / 2) % 60 - 30
        np.testing.assert_allclose(flutes, 1 - np.sqrt(1 - (place / 30) ** 2), atol=0.02)
        hexagons = drawn(
            Hexagons(width=60, joint=6, chamfer=0), 1200, Footprint(width=600, height=600 * np.sqrt(3) / 2)
        )
        self.assertAlmostEqual((hexagons > 0.5).mean(), ((60 - 6) / 60) ** 2, delta=0.01)
        levels = drawn(Pyramids(width=100, steps=4, riser=0), 1200)
        counts = np.histogram(levels, np.linspace(-0.125, 1.125, 6))[0] / levels.size
        np.testing.assert_allclose(counts[1:], [0.4375, 0.3125, 0.1875, 0.0625], atol=0.01)
        waves = drawn(Waves(length=60, turn=0), 1200)[0]
        np.testing.assert_allclose(waves, 0.5 - 0.5 * np.cos(2 * np.pi * (np.arange(1200) + 0.5) / 120), atol=1e-3)
        dots = drawn(Dots(form="disc", spacing=60, radius=20, staggered=False), 1200)
        self.assertAlmostEqual(dots.mean(), np.pi * 20**2 / 60**2, delta=0.005)

    def test_what_was_nudged_is_said(self):
        self.assertEqual(Squares(width=100, height=100).nudges(TILE), [])
        self.assertEqual(
            Squares(width=110, height=100).nudges(TILE), ["The field is 120 mm instead of 110 mm, so that 5 fit."]
        )
        self.assertRegex(GradientNoise(size=150, turn=20).nudges(TILE)[0], r"^Rotated by .*° instead of 20°")
        self.assertEqual(GradientNoise(size=60).nudges(TILE), [])

    def test_what_was_nudged_down_is_said_too(self):
        """On 900 x 500 mm lengths that fit across do not fit down."""
        self.assertEqual(
            GradientNoise(size=90).nudges(OBLONG), ["Shapes are 83.33 mm high instead of 90 mm, so that 6 fit."]
        )
        for pattern in (Net(mesh=90), Weave(strand=75), Dots(spacing=90, staggered=False), Rings(width=90)):
            self.assertRegex(" ".join(pattern.nudges(OBLONG)), r"^Down: The \w+ is 83.33 mm instead of")
        self.assertIn("The row is", " ".join(Dots(spacing=90, staggered=True).nudges(OBLONG)))


class EveryGeneratorTests(TestCase):
    @long
    def test_all_tile_and_look_the_same_at_512_1024_and_2048(self):
        for kind, model in GENERATORS.items():
            for footprint, sizes in ((TILE, (512, 1024)), (OBLONG, (512, 1024, 2048))):
                looks = []
                for size in sizes:
                    out = drawn(model(), size, footprint)
                    self.assertEqual(out.dtype, np.float32)
                    factor = size // 512
                    rows = out.shape[0] // factor
                    looks.append(out[: rows * factor].reshape(rows, factor, 512, factor).mean(axis=(1, 3)))
                for coarse, fine in pairwise(looks):
                    self.assertLess(np.abs(coarse - fine).mean(), 0.035, kind)
                half = np.roll(looks[0], (looks[0].shape[0] // 2, 256), (0, 1))
                steps = np.abs(np.diff(half, axis=1)).mean(axis=0)
                self.assertLessEqual(steps[255], steps.max() + 1e-6)

    def test_every_one_says_what_it_is_and_has_controls_in_bounds(self):
        self.assertEqual(sorted(GENERATORS), kinds_written("generate"))
        for kind, model in GENERATORS.items():
            self.assertRegex(model.about(), r"^[A-Z].*\.$", kind)
            for known in controls(model):
                self.assertRegex(known.help, r"\.$", (kind, known.name))

    @long
    def test_the_smallest_and_largest_values_draw_something_finite(self):
        for kind, model in GENERATORS.items():
            numeric = [known for known in controls(model) if known.kind == "number" and known.name != "octaves"]
            for ends in ("low", "high"):
                for known in numeric:
                    whole = model.model_fields[known.name].annotation is int
                    value = getattr(known, ends)
                    values = {known.name: int(value) if whole else value}
                    out = model.create(**values).draw(Grid(24, 32, TILE))
                    self.assertTrue(np.isfinite(out).all(), (kind, values))

    def test_adding_one_is_adding_a_file(self):
        """A module that appears in the folder is found, with its controls, without being listed anywhere."""
        module = types.ModuleType("relief.generate.slope")

        class Slope(Generator):
            """A slope to the right."""

            title: ClassVar[str] = "Slope"
            family: ClassVar[str] = "pattern"
            kind: Literal["slope"] = "slope"
            rise: float = number(1, 0, 2, label="Rise", help="How much it rises.")

            def draw(self, grid: Grid) -> np.ndarray:
                return np.broadcast_to(grid.across() * self.rise, (grid.rows, grid.columns))

        module.Slope = Slope
        info = types.SimpleNamespace(name="slope")
        with (
            mock.patch.dict(sys.modules, {"relief.generate.slope": module}),
            mock.patch("pkgutil.iter_modules", return_value=[info]),
        ):
            found = discover("relief.generate", Generator)
        self.assertEqual(found, {"slope": Slope})
        self.assertEqual([known.name for known in controls(Slope)], ["rise"])
        self.assertEqual(json.loads(Slope(rise=0.5).model_dump_json()), {"kind": "slope", "rise": 0.5})


class BandTests(TestCase):
    def test_what_is_drawn_part_by_part_is_what_is_drawn_at_once(self):
        grid = Grid(101, 77, Footprint(width=300, height=410))
        for kind, model in GENERATORS.items():
            with self.subTest(kind):
                with mock.patch("relief.generate.generator.BAND", 16):
                    slowly = model().draw_slowly(grid, Progress())
                np.testing.assert_array_equal(slowly, model().draw(grid))

"""What allowed values cost is known before it starts: counted, never timed."""

import itertools
from unittest import TestCase

import numpy as np

from relief.compose.imprints import Imprints, cost_of_presses, places_of_presses, stamp
from relief.compose.pressing import Press, press_and_count
from relief.compose.strokes import Stroke, count_texels
from relief.cost import Cost
from relief.errors import TooDearError
from relief.filters.warp import BEYOND, cubic_at
from relief.generate import GENERATORS
from relief.generate.generator import Grid
from relief.generate.gradient_noise import GradientNoise
from relief.height import Footprint
from relief.parameters import controls
from relief.run.engine import Engine, Stage
from relief.tests.height_fields import WRAP, field
from relief.tests.tags import long

TILE = Footprint().resize(600, 450)
GRID = Grid(180, 240, TILE)


class ImprintTests(TestCase):
    @long
    def test_imprints_over_each_other_cost_about_what_they_cover(self):
        """Domes as wide as half the tile: of 400 that lie over each texel in the mean few are looked at."""
        imprints = Imprints(size=300, count=2000, spacing=0, vary=0.4, turn=180)
        small = stamp(imprints, None)
        places = places_of_presses(imprints, TILE, WRAP.wraps)
        self.assertEqual(len(places), 2000)
        grid = Grid(540, 720, TILE)
        _, _, looked_at = press_and_count(small, places, grid, WRAP.wraps)
        self.assertLess(looked_at, 25 * grid.rows * grid.columns)
        few = press_and_count(small, places[:4], grid, WRAP.wraps)[2]
        self.assertLess(few, 4 * grid.rows * grid.columns)

    def test_what_is_left_out_could_not_be_seen(self):
        """The plain way, every imprint over the whole field one after the other, gives the same relief."""
        rng = np.random.default_rng(5)
        for shape, wraps in (("rings", (True, True)), ("dome", (False, True))):
            imprints = Imprints(shape=shape, size=170, fade=30)
            small = stamp(imprints, None)
            places = [
                Press(*rng.random(2), turn, size)
                for turn, size in zip(rng.random(12) * 6, rng.random(12) + 0.5, strict=True)
            ]
            together, cover, _ = press_and_count(small, places, GRID, wraps)
            tallest = np.full(together.shape, -np.inf)
            plain, covered = np.zeros_like(together), np.zeros_like(together)
            for place in places:
                alone, alpha, _ = press_and_count(small, [place], GRID, wraps)
                wins = (alpha > 0) & (alone * alpha > tallest)
                plain, tallest = np.where(wins, alone, plain), np.where(wins, alone * alpha, tallest)
                covered = np.maximum(covered, alpha)
            np.testing.assert_allclose(cover, covered, atol=1e-6)
            # an imprint that is larger than the tile may meet itself, which `alone` decides by height and alpha too
            np.testing.assert_allclose(together, plain, atol=1e-6)

    def test_bicubic_values_stay_below_the_bound_of_their_block(self):
        from relief.compose.pressing import BLOCK, _highest_of_blocks

        rng = np.random.default_rng(2)
        wide = rng.random((24 + 2 * BEYOND, 20 + 2 * BEYOND, 2)).astype(np.float32)
        flat = np.ascontiguousarray(wide).reshape(len(wide), -1)
        most = _highest_of_blocks(flat, 2)
        for x, y in rng.random((500, 2)) * (18.9, 22.9):
            height, alpha = (cubic_at.__wrapped__(flat, 2, channel, x, y) for channel in (0, 1))
            bound = most[int(y) // BLOCK, int(x) // BLOCK]
            self.assertLessEqual(height * min(alpha, 1), bound[0] + 1e-5)
            self.assertLessEqual(min(alpha, 1), bound[1] + 1e-5)

    def test_a_line_too_long_or_an_imprint_too_large_is_refused_with_the_number_to_change(self):
        for values, words in (
            ({"line": ((0, 0), (1, 1)), "along": 0.1}, "Spacing on the line"),
            ({"size": 100_000_000, "count": 1}, "Size"),
        ):
            imprints = Imprints(**values)
            grid = Grid(64, 64, Footprint().resize(100_000, 100_000))
            cost = cost_of_presses(
                imprints, grid, stamp(Imprints(), None) if "line" in values else stamp(imprints, None)
            )
            with self.assertRaisesRegex(TooDearError, words):
                cost.refuse_beyond(1_000_000, "Imprints")


class BudgetTests(TestCase):
    def test_a_stage_over_the_budget_is_not_begun(self):
        def begin(_: int) -> None:
            self.fail("it was begun")

        four = Stage("Four", lambda: 4)
        stage = Stage("Many", begin, inputs=(four,), cost=lambda count: Cost(count * 10**9, "Take fewer."))
        with self.assertRaisesRegex(TooDearError, "Many would touch 4 billion texels.*Take fewer"):
            Engine(budget=10**9).run(stage)
        self.assertEqual(Engine(budget=10**10).run(Stage("Few", lambda: 1, cost=lambda: Cost(5, ""))), 1)

    def test_long_strokes_with_a_wide_brush_are_counted(self):
        ground = field(np.zeros((100, 120)), 240, 200, WRAP)
        short = Stroke(work="raise", points=((0.1, 0.1, 1), (0.1, 0.1, 1)), radius=4)
        long = Stroke(work="raise", points=tuple((x / 500, 0.5, 1) for x in range(500)), radius=10_000)
        self.assertLess(count_texels(ground, short), 50)
        self.assertGreater(count_texels(ground, long), 499 * 100 * 120)

    @long
    def test_two_numbers_at_their_ends_are_drawn_or_refused(self):
        """Every pair of ends of every noise and pattern, on few texels."""
        grid = Grid(12, 16, TILE)
        for kind, model in GENERATORS.items():
            ends = [
                (item.name, end) for item in controls(model) if item.kind == "number" for end in (item.low, item.high)
            ]
            for (one, low), (other, high) in itertools.combinations(ends, 2):
                try:
                    generator = model(**{one: low, other: high})
                except ValueError:
                    continue  # values that do not go together are refused by the model
                cost = generator.cost(grid)
                if one != other and (cost is None or cost.texels < 3_000_000):
                    with self.subTest(kind, **{one: low, other: high}):
                        self.assertEqual(generator.draw(grid).shape, (12, 16))


class WarpTests(TestCase):
    def test_a_warp_over_many_repeats_needs_no_larger_lattice_and_still_tiles(self):
        noise = GradientNoise(size=100, warp=100_000_000, warp_size=450, octaves=2)
        self.assertLess(noise.cost(GRID).texels, 10_000_000)
        drawn = noise.draw(GRID)
        inside = np.abs(np.diff(drawn, axis=1)).mean()
        self.assertLess(np.abs(drawn[:, 0] - drawn[:, -1]).mean(), 2 * inside)

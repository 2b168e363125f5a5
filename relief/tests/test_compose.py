"""Layers put together: blends by NumPy, masks, layout, imprints and strokes, and what is computed again."""

import io
import json
import tempfile
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np

from relief.__main__ import main
from relief.compose.blend import blend_layers
from relief.compose.imprints import Imprints, places_of_presses, scatter_places, stamp
from relief.compose.layout import Layout
from relief.compose.masks import Mask, between
from relief.compose.pressing import Press, press_stamp
from relief.compose.strokes import Stroke, draw_strokes
from relief.deliver.delivery import delivery_files
from relief.errors import RecipeError
from relief.filters.resample import resample_by_area
from relief.generate.generator import Grid
from relief.generate.gradient_noise import GradientNoise
from relief.height import Footprint
from relief.inspect.start import start_from_nothing
from relief.progress import Progress
from relief.recipe import layer_edits, map_edits, treatment_edits
from relief.recipe.layer import Picture, SourceReference
from relief.recipe.recipe import Recipe
from relief.recipe.relief import MOST_LAYERS
from relief.run.engine import Engine
from relief.run.finished import finish_map
from relief.run.pipeline import Pipeline
from relief.run.stages import find_second_copy, repeat_field, repeat_samples
from relief.tests.height_fields import CLAMP, WRAP, centres, field, rough
from relief.tests.tags import long
from relief.tests.test_inspect import png
from relief.treat.close_seam import CloseSeam
from relief.treat.crop import Crop

TILE = Footprint(width=400, height=400)
GRID = Grid(200, 200, TILE)


class BlendTests(TestCase):
    def setUp(self):
        self.below, self.over = rough(40, 50, 1).astype(np.float32), rough(40, 50, 2).astype(np.float32)

    def test_every_blend_is_its_numpy_formula(self):
        below, over = self.below, self.over
        for blend, expected in (
            ("add", below + 0.3 * (over - 0.5)),
            ("subtract", below - 0.3 * (over - 0.5)),
            ("multiply", below * (1 + 0.3 * (over - 1))),
            ("replace", below + 0.3 * (over - below)),
            ("taller", np.maximum(below, 0.3 * over + 0.2)),
            ("lower", np.minimum(below, 0.3 * over + 0.2)),
        ):
            out, _ = blend_layers(below, over, blend, 0.3, rest=0.5, offset=0.2)
            np.testing.assert_allclose(out, expected, atol=1e-6, err_msg=blend)

    def test_who_won_adds_up_and_a_passage_is_smooth(self):
        _, sharp = blend_layers(self.below, self.over, "taller", 1)
        np.testing.assert_array_equal(sharp, self.over > self.below)
        _, lower = blend_layers(self.below, self.over, "lower", 1)
        np.testing.assert_array_equal(sharp + lower, 1)
        soft, seen = blend_layers(self.below, self.over, "taller", 1, passage=0.1)
        self.assertTrue((soft >= np.maximum(self.below, self.over) - 1e-6).all())
        self.assertLess((soft - np.maximum(self.below, self.over)).max(), 0.1 / 4 + 1e-6)
        self.assertTrue(((seen > 0.01) & (seen < 0.99)).any())

    def test_a_mask_lays_the_layer_where_it_is_white_only(self):
        mask = np.zeros((40, 50), np.float32)
        mask[:, 25:] = 1
        out, seen = blend_layers(self.below, self.over, "replace", 1, mask=mask)
        np.testing.assert_array_equal(out[:, :25], self.below[:, :25])
        np.testing.assert_allclose(out[:, 25:], self.over[:, 25:], atol=1e-6)
        np.testing.assert_array_equal(seen, mask)

    def test_amount_nothing_changes_nothing(self):
        for blend in ("add", "subtract", "multiply", "replace"):
            np.testing.assert_array_equal(blend_layers(self.below, self.over, blend, 0)[0], self.below)


class MaskTests(TestCase):
    def test_limits_and_their_passage(self):
        values = np.linspace(0, 1, 1001, dtype=np.float32)
        np.testing.assert_array_equal(between(values, 0.2, 0.6, 0), (values > 0.2) & (values <= 0.6))
        soft = between(values, 0.2, 0.6, 0.1)
        self.assertAlmostEqual(soft[200], 0.5, places=3)
        self.assertEqual((soft[100], soft[400]), (0, 1))

    def test_heights_slopes_noise_and_painted_places(self):
        heights = np.tile(np.linspace(0, 1, 64), (64, 1))
        here = field(heights, width=64)
        cover = Mask(source="height", low=0.5, high=2, soft=0).cover(here)
        np.testing.assert_array_equal(cover[:, 33:], 1)
        np.testing.assert_array_equal(
            Mask(source="height", low=0.5, high=2, soft=0, inverted=True).cover(here), 1 - cover
        )
        steep = Mask(source="slope", low=0.4, high=1, soft=0)
        self.assertEqual(steep.cover(here).max(), 0)
        self.assertEqual(steep.cover(replace(here, amplitude=64)).min(), 1)  # 45 degrees is 0.5
        noise = Mask(source="noise", size=20, soft=0.1).cover(here)
        self.assertTrue(0.2 < noise.mean() < 0.8)
        marks = Mask.create(source="strokes", marks='[{"points": [[0.5, 0.5]], "radius": 8}]')
        self.assertAlmostEqual(marks.cover(here).sum(), np.pi * 64, delta=20)
        self.assertIsNone(Mask().cover(here))

    @long
    def test_a_mask_of_slopes_is_the_same_at_every_resolution(self):
        """Rough ground at 512, 1024 and 2048 texels, 4 % and 1 % apart on the mean square."""
        footprint = Footprint(width=300, height=300)
        ground = GradientNoise(size=60, octaves=7, gain=0.55).draw(Grid(2048, 2048, footprint))
        mask = Mask(source="slope", low=0.4, high=1, soft=0.1)
        covers = []
        for size in (512, 1024, 2048):
            here = replace(field(resample_by_area(ground, size, size), 300, edges=WRAP), amplitude=60)
            covers.append(resample_by_area(mask.cover(here), 512, 512))
        for cover, apart in ((covers[0], 0.04), (covers[1], 0.01)):
            self.assertLess(np.sqrt(np.square(cover - covers[2]).mean()), apart)


class LayoutTests(TestCase):
    def test_repeats_shift_and_turn(self):
        layout = Layout(repeats_across=3, repeats_down=2)
        cell = layout.cell(GRID)
        samples = rough(cell.rows, cell.columns).astype(np.float32)
        laid = layout.repeat(samples, GRID)
        self.assertEqual(laid.shape, (200, 200))
        np.testing.assert_allclose(laid[:100], laid[100:], atol=1e-5)
        self.assertAlmostEqual(cell.footprint.width, 400 / 3)
        moved = Layout(shift_across=25).repeat(samples, GRID)
        np.testing.assert_array_equal(moved, np.roll(Layout().repeat(samples, GRID), 50, 1))
        turned = Layout(quarters=1, repeats_across=2)
        self.assertEqual(turned.cell(GRID).footprint.width, 400)
        gradient = np.tile(np.linspace(0, 1, 200, dtype=np.float32), (100, 1))
        self.assertGreater(turned.repeat(gradient, GRID)[20].mean(), turned.repeat(gradient, GRID)[180].mean())

    def test_every_other_row_or_column_is_moved_by_half(self):
        """Common practice, no source: brick moves rows, half drop moves columns; both need pairs to tile."""
        for arrangement, counts in (("brick", (3, 4)), ("half_drop", (4, 3))):
            layout = Layout(repeats_across=3, repeats_down=3, arrangement=arrangement)
            self.assertEqual(layout.counts, counts)
            self.assertRegex(layout.nudges()[0], "4 repeats (across|down) instead of 3")
            grid = Grid(240, 240, TILE)
            cell = layout.cell(grid)
            mark = np.zeros((cell.rows, cell.columns), np.float32)
            mark[cell.rows // 2, cell.columns // 2] = 1
            rows, columns = np.nonzero(layout.repeat(mark, grid) > 0.5)
            along, lines = (columns, rows) if arrangement == "brick" else (rows, columns)
            self.assertEqual(len(along), 12)
            for line, place in zip(lines, along, strict=True):
                self.assertEqual((place - 40 * (line // 60 % 2)) % 80, 40)
        self.assertEqual(Layout(repeats_across=3).nudges(), [])

    def test_a_drawing_is_laid_at_the_centre_and_over_the_corners(self):
        layout = Layout(arrangement="centre_corners")
        grid = Grid(200, 160, TILE)
        place = np.hypot(centres(200)[:, None] - 0.55, centres(160)[None, :] - 0.5)
        drawing = field(np.clip(0.3 - place, 0, 1), 400)
        second = find_second_copy(layout, drawing, grid)
        laid = repeat_field(layout, WRAP, drawing, grid, second).samples
        self.assertAlmostEqual(float(laid[110, 80]), 0.3, delta=0.01)
        self.assertAlmostEqual(float(laid[10, 0]), 0.3, delta=0.01)
        np.testing.assert_allclose(np.roll(laid, (100, 80), (0, 1)), laid, atol=1e-6)
        colours = np.zeros((200, 160, 3), np.float32)
        colours[90:130, 60:100, 0] = 1  # red round the middle of the drawing goes where the drawing goes
        red = repeat_samples("colour", layout, colours, grid, second)[..., 0]
        self.assertEqual((red[110, 80], red[10, 0], red[60, 20]), (1, 1, 0))


class PictureMaskTests(TestCase):
    """Two materials distributed by a picture, and by a map of the set itself."""

    def setUp(self):
        heights = np.full((64, 64), 255, np.uint8)
        spread = np.zeros((64, 64), np.uint8)
        spread[:, :16] = 255
        self.files = {"1" * 64: png(heights), "2" * 64: png(spread)}
        sources = {
            name: SourceReference(digest=digit * 64, filename=f"{name}.png")
            for name, digit in (("height", "1"), ("roughness", "2"))
        }
        content = Picture(source="height", reading="height", companions={"roughness": "roughness"})
        recipe = start_from_nothing("gradient_noise", self.files.__getitem__, Engine())
        self.plain = recipe
        self.recipe, _ = layer_edits.add_picture(recipe, "Shell", sources, content)

    def seen(self, **changes) -> np.ndarray:
        """Where the layer is seen, at its mask's columns 8 and 40 of 64."""
        changes = {f"layers.1.{path}": value for path, value in changes.items()}
        changed = self.recipe.with_changes({"layers.1.amount": 1, **changes})
        return Engine().run(Pipeline.of(changed, self.files.__getitem__, 64).cover(1))

    def test_a_map_of_the_set_masks_it_and_is_placed_with_it(self):
        seen = self.seen(**{"mask.source": "set"})
        self.assertEqual((seen[30, 8], seen[30, 40]), (1, 0))
        moved = self.seen(**{"mask.source": "set", "layout.shift_across": 50})
        self.assertEqual((moved[30, 8], moved[30, 40]), (0, 1))
        turned = self.seen(**{"mask.source": "set", "layout.quarters": 1, "mask.inverted": True})
        np.testing.assert_array_equal(turned, 1 - np.rot90(seen))

    def test_a_picture_masks_it_wherever_the_layer_is_placed(self):
        self.recipe, key = layer_edits.source_brought(
            self.recipe, "picture", SourceReference(digest="2" * 64, filename="spread.png")
        )
        self.assertEqual(key, "roughness", "the piece has it already")
        masked = {"mask.source": "picture", "mask.picture": key}
        for extra in ({}, {"layout.shift_across": 50, "layout.repeats_down": 3}):
            seen = self.seen(**masked, **extra)
            self.assertEqual((seen[30, 8], seen[30, 40]), (1, 0))
        np.testing.assert_array_equal(self.seen(**{"mask.source": "picture"}), 1)
        with self.assertRaisesRegex(RecipeError, "does not have"):
            self.seen(**{"mask.source": "picture", "mask.picture": "nothing"})

    def test_a_source_is_kept_as_long_as_a_mask_needs_it(self):
        reference = SourceReference(digest="3" * 64, filename="other.png")
        recipe, key = layer_edits.source_brought(self.recipe, "picture", reference)
        recipe = recipe.with_changes({"layers.1.mask.source": "picture", "layers.1.mask.picture": key})
        self.assertIn(key, recipe.with_relief(layer_edits.duplicate_layer(recipe.main, 0)[0]).sources)
        self.assertNotIn(key, recipe.with_relief(layer_edits.remove_layer(recipe.main, 1)[0]).sources)


class ImprintTests(TestCase):
    def test_an_imprint_over_the_edge_comes_in_on_the_other_side(self):
        """It equals the same imprint in the middle, moved by half."""
        small = stamp(Imprints(size=90, fade=5), None)
        edge, edge_cover = press_stamp(small, [Press(0, 0, 0.7, 1)], GRID, (True, True))
        middle, middle_cover = press_stamp(small, [Press(0.5, 0.5, 0.7, 1)], GRID, (True, True))
        np.testing.assert_allclose(np.roll(edge, (100, 100), (0, 1)), middle, atol=1e-4)
        np.testing.assert_allclose(np.roll(edge_cover, (100, 100), (0, 1)), middle_cover, atol=1e-4)
        alone, _ = press_stamp(small, [Press(0, 0, 0, 1)], GRID, (False, False))
        self.assertEqual(alone[150:, 150:].max(), 0)

    def test_no_square_plateau_stays(self):
        picture = field(np.full((64, 64), 0.8))
        small = stamp(Imprints(shape="picture", source="x", size=80, fade=10), picture)
        _, cover = press_stamp(small, [Press(0.5, 0.5, 0, 1)], GRID, (True, True))
        self.assertAlmostEqual(float(cover.max()), 1, places=4)
        self.assertLess(np.abs(np.diff(cover, axis=1)).max(), 0.5)

    def test_scattered_places_keep_their_distance_over_the_edge_too(self):
        places = np.array(scatter_places(60, 40, TILE, (True, True), 3)) * 400
        self.assertGreater(len(places), 40)
        apart = np.abs(places[:, None] - places[None])
        apart = np.minimum(apart, 400 - apart)
        far = np.hypot(apart[..., 0], apart[..., 1]) + 1e9 * np.eye(len(places))
        self.assertGreaterEqual(far.min(), 40)
        self.assertLess(
            len(scatter_places(2000, 200, TILE, (True, True), 3)), 20, "where it is full no more are thrown"
        )

    def test_along_a_line_they_lie_a_step_apart_and_jitter_is_fixed_by_the_seed(self):
        imprints = Imprints(line=((0, 0.5), (1, 0.5)), along=100, turn=30, vary=0.3)
        found = places_of_presses(imprints, TILE, (True, True))
        np.testing.assert_allclose([place.x for place in found], [0, 0.25, 0.5, 0.75, 1])
        self.assertEqual(found, places_of_presses(imprints, TILE, (True, True)))
        self.assertGreater(len({place.turn for place in found}), 3)

    def test_colours_are_pressed_in_at_the_same_places(self):
        small = stamp(Imprints(size=60, fade=0), None)
        colours = np.ones((*small.samples.shape, 3), np.float32) * (0.2, 0.5, 0.9)
        places = [Press(0.3, 0.3, 0, 1), Press(0.9, 0.6, 1, 1.2)]
        heights, cover = press_stamp(small, places, GRID, (True, True))
        laid, _ = press_stamp(small, places, GRID, (True, True), colours)
        inside = (cover > 0.9) & (heights > 0.2)
        np.testing.assert_allclose(laid[inside].mean(axis=0), (0.2, 0.5, 0.9), atol=0.01)


class StrokeTests(TestCase):
    def stroke(self, work="raise", points=((0.3, 0.5, 1), (0.6, 0.5, 1)), **more) -> Stroke:
        return Stroke(work=work, points=points, radius=40, **{"strength": 0.2, **more})

    def test_raise_and_lower_by_their_strength_at_the_line_and_by_nothing_beyond(self):
        flat = field(np.full((200, 200), 0.4), width=400, edges=WRAP)
        out = draw_strokes(flat, (self.stroke(),))
        self.assertAlmostEqual(out[100, 90], 0.6, places=3)
        self.assertAlmostEqual(out[100, 200 - 40], 0.4, places=5)
        back = draw_strokes(flat.with_samples(out), (self.stroke("lower"),))
        np.testing.assert_allclose(back, flat.samples, atol=1e-5)

    def test_pressure_counts_and_density_of_points_does_not(self):
        flat = field(np.zeros((200, 200)), width=400)
        dense = tuple((0.3 + 0.3 * part / 50, 0.5, 1.0) for part in range(51))
        np.testing.assert_allclose(
            draw_strokes(flat, (self.stroke(points=dense),)), draw_strokes(flat, (self.stroke(),)), atol=1e-4
        )
        lighter = draw_strokes(flat, (self.stroke(points=((0.5, 0.5, 0.5),)),))
        self.assertAlmostEqual(float(lighter.max()), 0.1, delta=2e-3)

    def test_level_and_smooth(self):
        here = field(rough(200, 200), width=400, edges=WRAP)
        levelled = draw_strokes(here, (self.stroke("level", strength=1, falloff=0),))
        self.assertLess(np.ptp(levelled[98:102, 70:110]), 0.02)
        smooth = draw_strokes(here, (self.stroke("smooth", strength=1),))
        self.assertLess(smooth[95:105, 70:110].std(), here.samples[95:105, 70:110].std() * 0.5)

    def test_replayed_at_twice_the_size_and_over_the_edge(self):
        """Stated bound: 1 % of the stroke's height on average, away from single texels."""
        strokes = (self.stroke(points=((0.95, 0.2, 1), (1.0, 0.3, 0.5))), self.stroke("lower", points=((0.4, 0.4, 1),)))
        small = draw_strokes(field(np.zeros((200, 200)), width=400, edges=WRAP), strokes)
        large = draw_strokes(field(np.zeros((400, 400)), width=400, edges=WRAP), strokes)
        difference = large.reshape(200, 2, 200, 2).mean(axis=(1, 3)) - small
        self.assertLess(np.abs(difference).mean(), 0.01 * 0.2)
        self.assertGreater(small[45:55, :10].max(), 0.05, "it comes in on the other side")
        clamped = draw_strokes(field(np.zeros((200, 200)), width=400, edges=CLAMP), strokes)
        self.assertEqual(clamped[45:55, :10].max(), 0)


class PileTests(TestCase):
    def setUp(self):
        self.engine = Engine()
        self.recipe = start_from_nothing("gradient_noise", self.read, self.engine)
        self.relief = self.recipe.main

    @staticmethod
    def read(_digest):
        raise AssertionError("relief from nothing reads no file")

    def run_(self, relief, longest=128):
        return self.engine.run(Pipeline(relief, {}, self.read, longest).height())

    def test_layers_are_added_moved_duplicated_renamed_and_removed(self):
        relief, label = layer_edits.add_layer(self.relief, "net")
        self.assertEqual(label, "Added Net")
        relief, _ = layer_edits.add_layer(relief, "strokes")
        relief, _ = layer_edits.move_layer(relief, 1, 0)
        self.assertEqual([layer.name for layer in relief.layers], ["Net", "Gradient noise", "Hand strokes"])
        relief, _ = layer_edits.duplicate_layer(relief, 0)
        relief, _ = layer_edits.rename_layer(relief, 0, "  Fine  net ")
        self.assertEqual([layer.name for layer in relief.layers][:2], ["Fine net", "Net"])
        relief, _ = layer_edits.remove_layer(relief, 1)
        self.assertEqual(len(relief.layers), 3)
        with self.assertRaisesRegex(RecipeError, "needs something to lie on"):
            layer_edits.move_layer(relief, 2, 0)
        with self.assertRaisesRegex(RecipeError, "needs at least one layer"):
            layer_edits.remove_layer(self.relief, 0)
        with self.assertRaisesRegex(RecipeError, "at most 24"):
            self.relief.with_layers([0] * (MOST_LAYERS + 1))
        for work in (lambda: layer_edits.add_layer(relief, "magic"), lambda: layer_edits.remove_layer(relief, 9)):
            with self.assertRaisesRegex(RecipeError, "no such"):
                work()

    def test_masks_keep_looking_at_their_layer(self):
        relief, _ = layer_edits.add_layer(self.relief, "net")
        relief, _ = layer_edits.add_layer(relief, "dots")
        relief = relief.with_changes({"layers.2.mask.layer": 1})
        moved, _ = layer_edits.move_layer(relief, 1, 0)
        self.assertEqual(moved.layers[2].mask.layer, 0)
        gone, _ = layer_edits.remove_layer(relief, 1)
        self.assertEqual(gone.layers[1].mask.layer, -1)

    def test_maps_of_a_layer_keep_to_their_layer(self):
        relief, _ = layer_edits.add_layer(self.relief, "net")
        relief, _ = map_edits.add_map(relief, "layer_mask")
        self.assertEqual(relief.maps.more[0].layer, 1, "begun with the top layer")
        moved, _ = layer_edits.move_layer(relief, 1, 0)
        self.assertEqual(moved.maps.more[0].layer, 0)
        gone, _ = layer_edits.remove_layer(relief, 1)
        mask = self.engine.run(finish_map(Pipeline(gone, {}, self.read, 64), "more-0"))
        self.assertFalse(mask.any(), "a layer that is gone is seen nowhere")

    def test_a_pile_is_its_layers_over_each_other(self):
        relief, _ = layer_edits.add_layer(self.relief, "net")
        relief = relief.with_changes({"layers.1.amount": 0.4})
        pipeline = Pipeline(relief, {}, self.read, 128)
        ground, net = (
            self.engine.run(pipeline.layer_on_grid(0)).samples,
            self.engine.run(pipeline.layer_on_grid(1)).samples,
        )
        np.testing.assert_allclose(self.run_(relief).samples, ground + 0.4 * net, atol=1e-5)
        off = relief.with_changes({"layers.1.on": False})
        np.testing.assert_allclose(self.run_(off).samples, ground, atol=1e-6)
        self.assertEqual(self.run_(relief).edges.wraps, (True, True))

    def test_only_what_depends_on_a_change_is_computed(self):
        relief = self.relief
        for kind in ("net", "dots", "hexagons", "waves", "weave", "flutes", "rings"):
            relief, _ = layer_edits.add_layer(relief, kind)
            for treatment in ("soften", "levels", "sharpen", "invert"):
                relief, _ = treatment_edits.add_treatment(relief, treatment, len(relief.layers) - 1)
        self.run_(relief)
        counts = {}
        for path in ("layers.7.amount", "layers.0.amount", "layers.3.treatments.0.radius", "layers.0.content.seed"):
            before = self.engine.computed
            self.run_(relief.with_changes({path: 0.4 if path != "layers.0.content.seed" else 9}))
            counts[path] = self.engine.computed - before
        self.assertEqual(counts["layers.7.amount"], 3)  # laying it over, the relief, bringing it to size
        self.assertEqual(counts["layers.0.amount"], 11)  # the ground, and laying seven layers over it
        self.assertEqual(counts["layers.3.treatments.0.radius"], 12)
        self.assertEqual(counts["layers.0.content.seed"], 12)

    def test_a_picture_and_its_colours_follow_who_won(self):
        heights = np.zeros((64, 64), np.uint8)
        heights[:, 32:] = 255
        colour = np.zeros((64, 64, 3), np.uint8)
        colour[..., 0] = 200
        files = {"1" * 64: png(heights), "2" * 64: png(colour)}
        sources = {
            "height": SourceReference(digest="1" * 64, filename="a.png"),
            "colour": SourceReference(digest="2" * 64, filename="b.png"),
        }
        content = Picture(source="height", reading="height", companions={"colour": "colour"})
        recipe, _ = layer_edits.add_picture(self.recipe, "Shell", sources, content)
        recipe, _ = layer_edits.add_picture(recipe, "Shell again", sources, content)
        self.assertEqual(set(recipe.sources), {"height", "colour", "height 2", "colour 2"})
        recipe = recipe.with_relief(layer_edits.remove_layer(recipe.main, 2)[0])
        self.assertEqual(set(recipe.sources), {"height", "colour"})
        recipe = recipe.with_changes({"layers.1.blend": "taller", "layers.1.amount": 2, "layers.1.passage": 0})
        pipeline = Pipeline.of(recipe, files.__getitem__, 64)
        seen = self.engine.run(pipeline.cover(1))
        np.testing.assert_array_equal(seen[:, 33:], 1)
        laid = self.engine.run(pipeline.companions.of_role("colour"))
        np.testing.assert_allclose(laid[:, 40:, 0], 200 / 255, atol=0.01)
        np.testing.assert_allclose(laid[:, 40:, 1], 0, atol=0.01)
        np.testing.assert_allclose(laid[seen == 0], 0.5, atol=0.01)

    def test_a_companion_is_cut_and_closed_just_as_its_height(self):
        heights = np.rint(rough(96, 96) * 65535).astype(np.uint16)
        files = {"1" * 64: png(heights), "2" * 64: png(np.rint(heights / 257).astype(np.uint8))}
        sources = {
            key: SourceReference(digest=digit * 64, filename="a.png")
            for key, digit in (("height", "1"), ("roughness", "2"))
        }
        content = Picture(source="height", reading="height", companions={"roughness": "roughness"})
        from relief.inspect.start import first_recipe

        recipe = first_recipe(sources, content, files.__getitem__, self.engine)
        recipe = recipe.with_relief(
            recipe.main.with_treatments([Crop(left=10, width=80, height=90), CloseSeam(band=30)])
        )
        pipeline = Pipeline.of(recipe, files.__getitem__)
        height = self.engine.run(pipeline.height()).samples
        np.testing.assert_allclose(self.engine.run(pipeline.companions.of_role("roughness")), height, atol=0.01)

    def test_repeats_make_slopes_steeper_and_halving_the_amount_makes_up_for_it(self):
        """Common practice, no source: 2 x 2 repeats want half the amount."""
        relief, _ = layer_edits.add_layer(self.relief, "net")
        relief = relief.with_changes(
            {"layers.1.layout.repeats_across": 2, "layers.1.layout.repeats_down": 2, "layers.1.amount": 0.4}
        )
        halved, label = layer_edits.divide_amount(relief, 1, 2)
        self.assertEqual((halved.layers[1].amount, label), (0.2, "Net: amount to 0.2"))

    def test_the_same_recipe_gives_the_same_bytes_on_the_command_line(self):
        recipe = Recipe.of(layer_edits.add_layer(self.relief, "imprints")[0])
        recipe = recipe.with_changes({"layers.1.content.count": 8, "maps.resolution": 64, "surface.level": 0})
        files = {file.name: file.data for file in delivery_files(recipe, self.read, Engine(), "sand", Progress())}
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder, "sand.json")
            place.write_text(recipe.as_text())
            with redirect_stdout(io.StringIO()) as out:
                self.assertEqual(main(["run", str(place), "--out", str(Path(folder, "out"))]), 0)
            for name, data in files.items():
                self.assertEqual(Path(folder, "out", name).read_bytes(), data, name)
            self.assertEqual(len(json.loads(out.getvalue())["files"]), len(files))
            for text, words in (("{}", "not a recipe"), ("[", "not a recipe"), ('{"version": 9}', "version 9")):
                place.write_text(text)
                with redirect_stderr(io.StringIO()) as err:
                    self.assertEqual(main(["run", str(place), "--out", folder]), 2)
                self.assertIn(words, err.getvalue())

    def test_a_recipe_with_layers_is_read_back(self):
        relief = self.relief
        for kind in ("cellular_noise", "imprints", "strokes", "courses"):
            relief, _ = layer_edits.add_layer(relief, kind)
        recipe = Recipe.of(relief)
        self.assertEqual(Recipe.read(json.loads(recipe.as_text())), recipe)
        with self.assertRaisesRegex(RecipeError, "Size must be at least 0.05 mm"):
            recipe.with_changes({"layers.1.content.size": 0})

"""What the stage is sent: the arrays of the computation, unchanged."""

from unittest import mock

import numpy as np
from django.urls import reverse

from relief.inspect.find import measure_and_find
from relief.maps.normal import normal_map
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from studio.bench.pages.measured import MEASURING
from studio.bench.pixels.previews import VIEWS
from studio.bench.tests.case import HEIGHTS, StudioTestCase, png, unpacked
from studio.shelf.models import read_source, source_path


class PreviewTests(StudioTestCase):
    def test_the_normal_map_on_the_stage_is_the_one_that_is_delivered(self):
        piece = self.piece()
        self.post("bench:change", piece, 1, **{"maps.normal.strength": "-1.5", "maps.normal.green": "down"})
        recipe = self.recipe(piece)
        height = Engine().run(Pipeline.of(recipe, read_source).height())
        _, arrays = unpacked(self.get("bench:preview", piece, base=2, view="normal"))
        np.testing.assert_array_equal(
            arrays["pixels"], normal_map(height, recipe.main.amplitude, recipe.main.maps.normal)
        )

    def test_displacement_and_section_are_the_samples_of_the_source(self):
        piece = self.piece()
        header, arrays = unpacked(self.get("bench:preview", piece, base=1, view="displacement", section="0,0.5,1,0.5"))
        np.testing.assert_array_equal(arrays["pixels"], np.rint(HEIGHTS / 65535 * 255))
        self.assertEqual(len(arrays["section"]), 600)
        middle = HEIGHTS[23:25].mean(axis=0) / 65535
        self.assertAlmostEqual(float(arrays["section"].max()), middle.max(), delta=0.01)
        self.assertAlmostEqual(header["section_length"], self.recipe(piece).main.footprint.width, places=3)

    def test_the_dashed_line_is_named_in_the_same_words_whatever_was_changed(self):
        piece = self.piece()
        for number, change in enumerate(({"amplitude": 7}, {"maps.normal.green": "down"}), 1):
            self.post("bench:change", piece, number, **change)
            header, _ = unpacked(self.get("bench:preview", piece, base=number + 1))
            self.assertEqual(header["before_label"], "before the last change")

    def test_a_draft_is_shown_and_not_kept(self):
        piece = self.piece()
        kept, _ = unpacked(self.get("bench:preview", piece, base=1))
        tried, _ = unpacked(self.get("bench:preview", piece, base=1, **{"d.amplitude": "40"}))
        self.assertEqual((tried["amplitude"], tried["before_label"]), (40, "before this change"))
        self.assertEqual(self.recipe(piece).main.amplitude, kept["amplitude"])
        refused = self.get("bench:preview", piece, base=1, **{"d.amplitude": "-4"})
        self.assertContains(refused, "Amplitude must be at least 0 mm.", status_code=422)

    def test_every_view_of_every_step_answers_and_nonsense_is_not_found(self):
        piece = self.piece()
        self.post("bench:treatments", piece, 1, action="add", kind="even_light")
        for view in VIEWS.keys() - {"paint"}:  # a grey photo shows none
            _, arrays = unpacked(self.get("bench:preview", piece, base=2, view=view, longest=32))
            sides = arrays["pixels"].shape[1:3] if view == "horizons" else arrays["pixels"].shape[:2]
            self.assertEqual(sides, (24, 32), view)
            self.assertGreater(np.ptp(arrays["pixels"].astype(int)), 20, view)
        for values in (
            {"view": "x"},
            {"section": "0,0,2,0"},
            {"section": "nan,0,0,0"},
            {"section": ","},
            {"longest": "0"},
        ):
            self.assertEqual(self.get("bench:preview", piece, base=1, **values).status_code, 404, values)

    def test_height_is_ochre_above_and_blue_below(self):
        piece = self.piece()
        _, arrays = unpacked(self.get("bench:preview", piece, base=1, view="height"))
        colour = arrays["pixels"].astype(int)
        above = self.recipe(piece).main.midlevel + 0.1 < HEIGHTS / 65535
        below = self.recipe(piece).main.midlevel - 0.1 > HEIGHTS / 65535
        self.assertTrue((colour[above][:, 0] > colour[above][:, 2]).all())
        self.assertTrue((colour[below][:, 0] < colour[below][:, 2]).all())


class ToolTests(StudioTestCase):
    def test_a_tool_sees_the_relief_as_it_reaches_its_treatment(self):
        piece = self.piece()
        self.post("bench:treatments", piece, 1, action="add", kind="crop")
        self.post("bench:change", piece, 2, **{"layers.0.treatments.3.width": "50"})
        _, cut = unpacked(self.get("bench:preview", piece, base=3, view="displacement"))
        header, whole = unpacked(self.get("bench:preview", piece, base=3, view="displacement", until=3))
        self.assertEqual((cut["pixels"].shape, whole["pixels"].shape), ((48, 32), (48, 64)))
        self.assertEqual(header["footprint"][0], self.recipe(piece).main.footprint.width)
        header, arrays = unpacked(self.get("bench:preview", piece, base=3, view="whole"))
        self.assertEqual((arrays["pixels"].shape[:2], header["whole"]), ((48, 64), True))
        self.assertEqual(self.get("bench:preview", piece, base=3, until="x").status_code, 404)

    def test_repeats_and_histogram_answer(self):
        piece = self.piece()
        found = self.get("bench:repeats", piece, base=1).json()
        self.assertEqual(set(found), {"motif", "telltales"})
        crops = self.get("bench:repeats", piece, base=1, crops=1, until=0).json()["crops"]
        self.assertTrue(crops and all(crop["left"] + crop["width"] <= 100.01 for crop in crops))
        counted = self.get("bench:histogram", piece, base=1, until=0).json()
        self.assertEqual((counted["low"], counted["high"]), (0, 1))

    def test_the_light_that_was_taken_out_is_shown(self):
        slope = np.rint(np.linspace(40, 200, 64)[None, :] * np.ones((48, 1))).astype(np.uint8)
        piece = self.piece(png(slope), "lit.png")
        self.post("bench:treatments", piece, 1, action="add", kind="even_light")
        page = self.client.get(reverse("bench:step", args=[piece.pk, "relief"]))
        self.assertContains(page, "Removed shading")
        _, arrays = unpacked(self.get("bench:preview", piece, base=2, view="light"))
        self.assertGreater(arrays["pixels"][:, -8:].mean(), arrays["pixels"][:, :8].mean() + 80)


class SurfaceTests(StudioTestCase):
    def test_the_surface_is_displaced_in_mm_or_flat(self):
        piece = self.piece()
        recipe = self.recipe(piece)
        header, arrays = unpacked(self.get("bench:mesh", piece, base=1))
        self.assertEqual(header["faces"], len(arrays["triangles"]) // 2)
        reach = recipe.main.amplitude * max(recipe.main.midlevel, 1 - recipe.main.midlevel)
        self.assertGreater(np.abs(arrays["positions"][:, 2]).max(), reach * 0.8)
        self.assertLessEqual(np.abs(arrays["positions"][:, 2]).max(), reach * 1.02)  # bicubic swings over a little
        _, flat = unpacked(self.get("bench:mesh", piece, base=1, displaced=0))
        np.testing.assert_array_equal(flat["positions"][:, 2], 0)

    def test_a_dragged_control_gets_a_coarser_surface(self):
        piece = self.piece()
        self.post("bench:change", piece, 1, **{"surface.level": "5"})
        whole, _ = unpacked(self.get("bench:mesh", piece, base=2))
        quick, _ = unpacked(self.get("bench:mesh", piece, base=2, **{"d.amplitude": "3"}))
        self.assertEqual(whole["faces"], 64 * 64 * 12 * 4)
        self.assertLessEqual(quick["faces"], 150_000)


class RightSideTests(StudioTestCase):
    def test_readings_and_cost(self):
        answer = self.get("bench:measured", self.piece(), base=1)
        for words in ("Range", "Steepest 5 %", "Finest detail", "Cost at level 4", "49\N{NO-BREAK SPACE}152"):
            self.assertContains(answer, words)

    def test_a_source_that_is_gone_from_the_disk_is_said(self):
        piece = self.piece()
        source_path(self.recipe(piece).sources["picture"].digest).unlink()
        for module in ("pixels.stage", "pages.measured", "pixels.previews"):
            self.enterContext(mock.patch(f"studio.bench.{module}.get_engine", return_value=Engine()))
        for name in ("bench:measured", "bench:facts"):
            self.assertContains(self.get(name, piece, base=1), "is missing", msg_prefix=name)
        self.assertContains(self.get("bench:preview", piece, base=1), "is missing", status_code=422)


class MeasuringTests(StudioTestCase):
    def test_what_a_page_asked_for_before_is_not_measured_to_the_end_once_it_asks_anew(self):
        piece = self.piece()
        for page, status in (("mine", 204), ("another window", 200)):

            def asks_anew(*arguments, page=page, **named):
                """While the first request measures, a page asks again."""
                MEASURING.follow((piece.pk, page))
                return measure_and_find(*arguments, **named)

            asking = mock.patch("relief.inspect.find.measure_and_find", asks_anew)
            with asking, mock.patch("studio.bench.pages.measured.get_engine", return_value=Engine()):
                address = reverse("bench:measured", args=[piece.pk])
                answer = self.client.get(address, {"base": 1}, headers={"X-Page": "mine"})
            self.assertEqual(answer.status_code, status)


class LightTests(StudioTestCase):
    def test_a_photo_read_by_its_light_says_how_sure_it_is(self):
        piece = self.piece()
        self.post("bench:change", piece, 1, **{"layers.0.content.reading": "light"})
        said = self.get("bench:measured", piece, base=2, step="source")
        self.assertContains(said, "Expected error")
        self.assertContains(said, "estimated, ")
        self.post("bench:change", piece, 2, **{"layers.0.content.light.azimuth": "211"})
        with mock.patch("relief.run.photo.look_for_light", side_effect=AssertionError("nobody asks")):
            self.assertContains(self.get("bench:measured", piece, base=3, step="source"), "as you set it")
        kept = self.recipe(piece).main
        self.assertEqual((kept.picture.light.azimuth, kept.picture.reading), (211, "light"))
        self.assertIn("layers.0.content.light.elevation", kept.suggested)
        self.assertNotIn("layers.0.content.light.azimuth", kept.suggested)
        facts = self.get("bench:facts", piece)
        self.assertNotContains(facts, "Bright is high")

    def test_brightness_is_turned_around_and_back(self):
        grey = (HEIGHTS.astype(float) / HEIGHTS.max() * 200).astype(np.uint8)
        piece = self.piece(png(np.dstack([grey, grey, grey // 2])), "wall.png")
        self.assertContains(self.get("bench:facts", piece), "Bright is high")
        for way in ("bright", "dark"):
            picture = self.client.get(reverse("bench:way-picture", args=[piece.pk, 1, way]))
            self.assertEqual(picture["Content-Type"], "image/png")
        self.post("bench:invert", piece, 1, inverted="1")
        self.assertTrue(any(item.kind == "invert" and item.on for item in self.recipe(piece).main.layers[0].treatments))
        self.post("bench:invert", piece, 2, inverted="0")
        self.assertFalse(
            any(item.kind == "invert" and item.on for item in self.recipe(piece).main.layers[0].treatments)
        )

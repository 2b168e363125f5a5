"""Changes as the bench posts them: taken, refused with a sentence, or refused because the page is old."""

import json

import numpy as np
from django.contrib.auth import get_user_model
from django.test import Client
from django.urls import reverse

from relief.deliver.delivery import map_files
from relief.deliver.plan import plan
from relief.maps.slope_map import SlopeMap
from relief.run.engine import Engine
from relief.run.pipeline import Pipeline
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.bench.tests.case import HEIGHTS, StudioTestCase, png, unpacked
from studio.shelf.intake import keep_source
from studio.shelf.models import read_source


class ChangeTests(StudioTestCase):
    def test_a_change_answers_with_the_parts_that_read_otherwise(self):
        piece = self.piece()
        answer = self.post("bench:change", piece, 1, amplitude="7.5")
        self.assertContains(answer, 'id="group-depth"')
        self.assertContains(answer, 'data-revision="2"')
        self.assertNotContains(answer, 'id="group-levels"')
        self.assertEqual(json.loads(answer["HX-Trigger-After-Settle"]), {"revision": {"number": 2}})
        self.assertEqual(self.recipe(piece).main.amplitude, 7.5)

    def test_what_cannot_be_taken_is_said_in_a_sentence_and_nothing_changes(self):
        piece = self.piece()
        for values, sentence in (
            ({"amplitude": "10000001"}, "Amplitude must be at most 10000000 mm."),
            ({"amplitude": ""}, "Amplitude must be a number."),
            ({"amplitude": ["3", "4"]}, "was given 2 times"),
            ({"depth": "3"}, "There is no parameter"),
            ({"layers.0.content.reading": "poem"}, "Read as cannot be set to that."),
            ({"surface.level": "10"}, "The largest level that fits is 6."),
        ):
            answer = self.post("bench:change", piece, 1, **values)
            self.assertContains(answer, sentence, status_code=422)
        self.assertEqual(Revision.objects.filter(piece=piece).count(), 1)

    def test_a_double_click_and_a_second_window_are_told(self):
        piece = self.piece()
        self.assertEqual(self.post("bench:change", piece, 1, amplitude="6").status_code, 200)
        for values in ({"amplitude": "6"}, {"amplitude": "9"}):
            answer = self.post("bench:change", piece, 1, **values)
            self.assertContains(answer, "changed in another window", status_code=409)
        self.assertEqual(self.recipe(piece).main.amplitude, 6)

    def test_undo_and_redo(self):
        piece = self.piece()
        start = self.recipe(piece)
        self.post("bench:change", piece, 1, amplitude="6")
        self.assertContains(self.post("bench:undo", piece, 2), "Redo: Amplitude")
        self.assertEqual(self.recipe(piece), start)
        self.assertContains(self.post("bench:redo", piece, 1), "Undo: Amplitude")

    def test_bases_and_steps_that_do_not_exist_are_not_found(self):
        piece = self.piece()
        for base in ("0", "-1", "2", "x", "", "99999999999999999999"):
            self.assertEqual(self.post("bench:change", piece, base, amplitude="6").status_code, 404)
        answer = self.client.post(reverse("bench:change", args=[piece.pk]), {"base": 1, "step": "dance"})
        self.assertEqual(answer.status_code, 404)

    def test_a_post_from_elsewhere_is_not_taken(self):
        piece = self.piece()
        strict = Client(enforce_csrf_checks=True)
        answer = strict.post(reverse("bench:change", args=[piece.pk]), {"base": 1, "step": "relief", "amplitude": 6})
        self.assertContains(answer, "did not come from a page of this studio", status_code=403)


class TreatmentTests(StudioTestCase):
    def kinds(self, piece) -> list[str]:
        return [treatment.kind for treatment in self.recipe(piece).main.layers[0].treatments]

    def test_treatments_are_added_moved_duplicated_reset_removed_and_undone(self):
        piece = self.piece()
        self.assertContains(
            self.post("bench:treatments", piece, 1, action="add", kind="terrace"), "Undo: Added Terrace"
        )
        self.post("bench:treatments", piece, 2, action="move", number=3, to=0)
        self.post("bench:treatments", piece, 3, action="duplicate", number=0)
        self.assertEqual(self.kinds(piece), ["terrace", "terrace", "levels", "soften", "invert"])
        self.post("bench:change", piece, 4, **{"layers.0.treatments.1.count": "9"})
        self.post("bench:treatments", piece, 5, action="reset", number=1)
        self.assertEqual(self.recipe(piece).main.layers[0].treatments[1].count, 5)
        self.post("bench:treatments", piece, 6, action="remove", number=0)
        self.assertEqual(self.kinds(piece), ["terrace", "levels", "soften", "invert"])
        for number in range(7, 1, -1):
            self.post("bench:undo", piece, number)
        self.assertEqual(self.kinds(piece), ["levels", "soften", "invert"])

    def test_what_cannot_be_arranged_is_refused(self):
        piece = self.piece()
        for values in (
            {"action": "add", "kind": "magic"},
            {"action": "remove", "number": "9"},
            {"action": "move", "number": "-1", "to": "0"},
        ):
            self.assertContains(self.post("bench:treatments", piece, 1, **values), "no such treatment", status_code=422)
        for values in (
            {"action": "dance"},
            {"action": "remove", "number": "x"},
            {"action": "move", "number": "nan", "to": "0"},
            {},
        ):
            self.assertEqual(self.post("bench:treatments", piece, 1, **values).status_code, 404)
        self.assertEqual(Revision.objects.filter(piece=piece).count(), 1)

    def test_what_is_drawn_comes_as_json_and_nonsense_is_said(self):
        piece = self.piece()
        self.post("bench:treatments", piece, 1, action="add", kind="tone_curve")
        path = "layers.0.treatments.3.stops"
        self.post("bench:change", piece, 2, **{path: "[[0, 0.2], [0.5, 0.9], [1, 1]]"})
        self.assertEqual(len(self.recipe(piece).main.layers[0].treatments[3].stops), 3)
        for text in ("", "[", "[[0, 0]]", '{"a": 1}', "[[0, 0], [0, 1]]", "[" * 5000):
            answer = self.post("bench:change", piece, 3, **{path: text})
            self.assertEqual(answer.status_code, 422, text[:20])
            self.assertNotContains(answer, "Traceback", status_code=422)

    def test_a_grey_map_is_added_looked_at_delivered_and_removed(self):
        piece = self.piece()

        def slope(base: int) -> np.ndarray:
            return unpacked(self.get("bench:preview", piece, base=base, view="more-0"))[1]["pixels"]

        self.assertContains(
            self.post("bench:change-maps", piece, 1, step="maps", action="add", kind="slope"), 'id="map-0"'
        )
        pixels, recipe = slope(2), self.recipe(piece)
        height = Engine().run(Pipeline.of(recipe, read_source).height())
        np.testing.assert_array_equal(pixels, SlopeMap().encode(height, recipe.main.amplitude))
        self.post("bench:change", piece, 2, **{"maps.more.0.steepest": 30})
        np.testing.assert_allclose(slope(3), np.minimum(pixels * 3.0, 255), atol=2)
        page = self.client.get(reverse("bench:step", args=[piece.pk, "deliver"]))
        self.assertContains(page, "<dt>Slope</dt>")
        self.assertContains(page, 'data-view="more-0"')
        self.post("bench:change-maps", piece, 3, action="remove-map", number=0)
        self.assertEqual(self.recipe(piece).main.maps.more, ())
        self.assertEqual(self.get("bench:preview", piece, base=4, view="more-0").status_code, 404)
        for values in ({"action": "add", "kind": "glitter"}, {"action": "remove-map", "number": 5}):
            self.assertEqual(self.post("bench:change-maps", piece, 4, **values).status_code, 422)

    def test_what_is_said_to_be_in_the_bundle_is_in_it(self):
        """For a height image, a photo without and with colours, and colours that are left out."""
        grey = np.rint(np.random.default_rng(0).random((24, 32)) * 255).astype(np.uint8)
        colours = np.dstack([grey, grey // 2, grey // 3])
        for changes, data, name in (
            ({}, png(HEIGHTS), "dunes-height.png"),
            ({}, png(grey), "wall.png"),
            ({}, png(colours), "wall-photo.png"),
            ({"maps.colour.on": False}, png(colours), "wall-photo.png"),
        ):
            with self.subTest(name, **changes):
                piece = self.piece(data, name)
                if changes:
                    Revision.objects.change(piece, 1, changes)
                recipe = self.recipe(piece)
                said = [file for file in plan(recipe, "x") if file.bits]
                files = map_files(Pipeline.of(recipe, read_source), Engine(), "x")
                made = [(file.name, file.entry.depth) for file in files]
                self.assertEqual([(file.filename, file.depth) for file in said], made)

    def test_a_place_is_healed_and_the_light_is_set_off_in_one_click(self):
        piece = self.piece()
        self.assertContains(self.post("bench:heal", piece, 1, x="0.5", y="0.4", radius="6"), "Undo: Healed a place")
        self.assertEqual(self.kinds(piece)[-1], "heal")
        self.assertEqual(self.post("bench:heal", piece, 2, x="inf", y="0", radius="1").status_code, 404)
        self.assertContains(self.post("bench:start-off", piece, 2), "Undo: Started off")
        self.assertEqual(self.kinds(piece), ["even_light", "levels", "soften"])

    def test_a_finding_is_mended_and_one_that_is_gone_is_said(self):
        piece = self.piece()
        self.post("bench:change", piece, 1, midlevel="0.2")
        self.assertContains(self.post("bench:mend", piece, 2, finding="swell"), "Undo: Set midlevel to mean")
        self.assertContains(self.post("bench:mend", piece, 3, finding="swell"), "nothing to mend", status_code=422)

    def test_a_finding_is_set_aside_for_this_piece_and_shown_again(self):
        piece = self.piece()
        self.post("bench:change", piece, 1, midlevel=0.9)
        self.assertContains(self.get("bench:measured", piece, base=2), 'data-finding="swell"')
        aside = self.post("bench:set-aside", piece, 2, finding="swell")
        self.assertNotContains(aside, 'data-finding="swell"')
        self.assertContains(aside, "Set aside: sinking")
        self.post("bench:change", piece, 2, midlevel=0.95)
        self.assertNotContains(self.get("bench:measured", piece, base=3), 'data-finding="swell"')
        self.assertContains(self.post("bench:set-aside", piece, 3, finding=""), 'data-finding="swell"')


class OtherArtistTests(StudioTestCase):
    def test_another_artists_piece_is_not_found(self):
        other = get_user_model().objects.create(username="somebody-else")
        source = keep_source(other, "x.png", png(HEIGHTS))
        piece = begin_piece(source, "Theirs")
        for name in (
            "piece",
            "measured",
            "facts",
            "preview",
            "mesh",
            "repeats",
            "histogram",
            "proofs",
            "trial",
            "trial-choose",
        ):
            self.assertEqual(self.get(f"bench:{name}", piece, base=1).status_code, 404, name)
        for name in (
            "change",
            "undo",
            "redo",
            "treatments",
            "layers",
            "change-maps",
            "heal",
            "start-off",
            "mend",
            "set-aside",
            "keep-proof",
        ):
            self.assertEqual(self.post(f"bench:{name}", piece, 1, x=0, y=0, radius=1).status_code, 404, name)
        for name, arguments in (("step", ["relief"]), ("swatch", [1])):
            answer = self.client.get(reverse(f"bench:{name}", args=[piece.pk, *arguments]))
            self.assertEqual(answer.status_code, 404, name)
        self.assertNotContains(self.client.get("/"), "Theirs")

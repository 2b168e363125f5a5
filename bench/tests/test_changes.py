"""Changes as the bench posts them: taken, refused with a sentence, or refused because the page is old."""

import json

from django.contrib.auth import get_user_model
from django.test import Client
from django.urls import reverse

from bench.models import Revision
from bench.tests.case import HEIGHTS, StudioTestCase, png
from shelf.models import Source


class ChangeTests(StudioTestCase):
    def test_a_change_answers_with_the_parts_that_read_otherwise(self):
        piece = self.piece()
        answer = self.post("bench:change", piece, 1, amplitude="7.5")
        self.assertContains(answer, 'id="group-depth"')
        self.assertContains(answer, 'data-revision="2"')
        self.assertNotContains(answer, 'id="group-levels"')
        self.assertEqual(json.loads(answer["HX-Trigger-After-Settle"]), {"revision": {"number": 2}})
        self.assertEqual(self.recipe(piece).amplitude, 7.5)

    def test_what_cannot_be_taken_is_said_in_a_sentence_and_nothing_changes(self):
        piece = self.piece()
        for values, sentence in (
            ({"amplitude": "100001"}, "Amplitude must be at most 100000 mm."),
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
        self.assertEqual(self.recipe(piece).amplitude, 6)

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


class OtherArtistTests(StudioTestCase):
    def test_another_artists_piece_is_not_found(self):
        other = get_user_model().objects.create(username="somebody-else")
        source = Source.objects.keep(other, "x.png", png(HEIGHTS))
        piece = Revision.objects.begin(source, "Theirs")
        for name in ("piece", "measured", "facts", "preview", "mesh"):
            self.assertEqual(self.get(f"bench:{name}", piece, base=1).status_code, 404, name)
        for name in ("change", "undo", "redo"):
            self.assertEqual(self.post(f"bench:{name}", piece, 1, amplitude="6").status_code, 404, name)
        for name, arguments in (("step", ["relief"]), ("swatch", [1])):
            answer = self.client.get(reverse(f"bench:{name}", args=[piece.pk, *arguments]))
            self.assertEqual(answer.status_code, 404, name)
        self.assertNotContains(self.client.get("/"), "Theirs")

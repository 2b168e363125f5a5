"""Every change is a revision; undo and redo move between them, and an old page overwrites nothing."""

from django.urls import reverse

from relief.errors import RecipeError
from studio.bench.beginning import start_anew
from studio.bench.models import Revision, StaleError
from studio.bench.tests.case import StudioTestCase


class RevisionTests(StudioTestCase):
    def test_a_change_makes_a_revision_that_says_what_changed(self):
        piece = self.piece()
        changed = Revision.objects.change(piece, 1, {"amplitude": 8, "maps.normal.green": "down"})
        self.assertEqual((changed.number, changed.parent, piece.position), (2, 1, 2))
        self.assertRegex(changed.label, r"^Amplitude .* mm to 8 mm and 1 more$")
        self.assertEqual(self.recipe(piece).main.amplitude, 8)

    def test_a_change_to_the_same_value_makes_none(self):
        piece = self.piece()
        Revision.objects.change(piece, 1, {"amplitude": 8})
        self.assertEqual(Revision.objects.change(piece, 2, {"amplitude": "8.0"}).number, 2)

    def test_undo_and_redo_to_both_ends_and_down_a_new_branch(self):
        piece = self.piece()
        for number, amplitude in enumerate((6, 7, 8), start=1):
            Revision.objects.change(piece, number, {"amplitude": amplitude})
        self.assertEqual(Revision.objects.undo(piece, 4).read().main.amplitude, 7)
        self.assertEqual(Revision.objects.undo(piece, 3).read().main.amplitude, 6)
        self.assertEqual(Revision.objects.redo(piece, 2).read().main.amplitude, 7)
        self.assertEqual(Revision.objects.change(piece, 3, {"amplitude": 9}).number, 5)
        self.assertEqual(Revision.objects.undo(piece, 5).number, 3)
        self.assertEqual(Revision.objects.redo(piece, 3).number, 5, "redo follows what was done last")
        self.assertEqual(Revision.objects.redo(piece, 5).number, 5)
        for number in (5, 3, 2, 1):
            Revision.objects.undo(piece, number)
        self.assertEqual(piece.position, 1)

    def test_an_old_state_is_refused_and_leaves_no_trace(self):
        piece = self.piece()
        Revision.objects.change(piece, 1, {"amplitude": 6})
        for late in (
            lambda: Revision.objects.change(piece, 1, {"amplitude": 7}),
            lambda: Revision.objects.change(piece, 1, {"amplitude": self.recipe(piece).main.amplitude}),
            lambda: start_anew(piece, 1, {"layers.0.content.reading": "photo"}),
            lambda: Revision.objects.undo(piece, 1),
            lambda: Revision.objects.redo(piece, 1),
        ):
            with self.assertRaises(StaleError):
                late()
        self.assertEqual(Revision.objects.filter(piece=piece).count(), 2)
        self.assertEqual(self.recipe(piece).main.amplitude, 6)

    def test_what_is_not_valid_makes_no_revision(self):
        piece = self.piece()
        with self.assertRaises(RecipeError):
            Revision.objects.change(piece, 1, {"amplitude": -1})
        self.assertEqual(Revision.objects.filter(piece=piece).count(), 1)

    def test_reading_it_otherwise_starts_anew_but_keeps_the_maps(self):
        piece = self.piece()
        Revision.objects.change(piece, 1, {"maps.normal.green": "down", "footprint.width": 50})
        fresh = start_anew(piece, 2, {"layers.0.content.reading": "photo"}).read()
        self.assertEqual(fresh.main.layers[0].content.reading, "photo")
        self.assertTrue(fresh.main.layers[0].treatments[0].on, "a photo gets levels")
        self.assertEqual((fresh.main.maps.normal.green, fresh.main.footprint.width), ("down", 50))
        self.assertIn("amplitude", fresh.main.suggested)


class HistoryTests(StudioTestCase):
    def test_any_state_is_listed_with_its_label_and_taken_back(self):
        piece = self.piece()
        for base, amplitude in enumerate((4, 6, 9), start=1):
            self.post("bench:change", piece, base, amplitude=str(amplitude))
        page = self.get("bench:revisions", piece)
        for words in ("Suggested start", "to 4 mm", "to 9 mm", "the piece now"):
            self.assertContains(page, words)
        self.assertContains(self.post("bench:go-to", piece, 4, number=2), 'data-revision="2"')
        self.assertEqual(self.recipe(piece).main.amplitude, 4)
        self.assertContains(self.post("bench:go-to", piece, 2, number=4), 'data-revision="4"')
        self.assertContains(self.post("bench:go-to", piece, 4, number=9), "no such state", status_code=422)
        self.assertContains(self.post("bench:go-to", piece, 1, number=2), "another window", status_code=409)

    def test_the_size_of_the_maps_is_that_of_the_source_until_it_is_set(self):
        piece = self.piece()
        page = self.client.get(reverse("bench:step", args=[piece.pk, "maps"]))
        self.assertContains(page, 'id="control-maps-resolution" value="64"')
        self.assertContains(page, 'id="control-maps-resolution-follows" checked')
        self.assertContains(page, """hx-vals='{"maps.resolution": 64}'> as the source""")
        answer = self.post("bench:change", piece, 1, **{"maps.resolution": 128, "step": "maps"})
        self.assertContains(answer, 'id="control-maps-resolution" value="128"')
        self.assertContains(answer, """hx-vals='{"maps.resolution": 0}'> as the source""")

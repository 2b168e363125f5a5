"""Proofs as the bench keeps, names, compares and takes them back."""

import json

import numpy as np
from django.urls import reverse

from relief.maps.slopes import slopes
from relief.recipe.recipe import Recipe
from relief.run.pipeline import Pipeline
from studio.bench.models import Proof, Revision
from studio.bench.tests.case import StudioTestCase, unpacked
from studio.shelf.engine import get_engine
from studio.shelf.models import read_source


class ProofTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.dunes = self.piece()
        self.post("bench:keep-proof", self.dunes, 1)
        self.post("bench:change", self.dunes, 1, amplitude=3)

    def test_one_is_kept_of_a_revision_named_and_removed(self):
        self.assertContains(self.post("bench:keep-proof", self.dunes, 1), 'data-proof="1"', count=1)
        self.assertContains(self.post("bench:keep-proof", self.dunes, 2), 'data-proof="2"')
        self.assertEqual(Proof.objects.count(), 2)
        named = self.post("bench:name-proof", self.dunes, 2, number=1, name="  <Old>   tide ")
        self.assertContains(named, 'value="&lt;Old&gt; tide"')
        self.assertContains(self.post("bench:name-proof", self.dunes, 2, number=1, name="  "), "tide")
        self.assertNotContains(self.post("bench:remove-proof", self.dunes, 2, number=1), 'data-proof="1"')
        self.assertEqual(Revision.objects.filter(piece=self.dunes).count(), 2)
        self.assertContains(self.get("bench:proofs", self.dunes), 'data-proof="2"')

    def test_going_back_is_a_new_revision_that_can_be_undone(self):
        before = Revision.objects.get(piece=self.dunes, number=1).read()
        answer = self.post("bench:back-to-proof", self.dunes, 2, number=1)
        self.assertContains(answer, "Undo: Back to Suggested start")
        self.assertEqual(self.recipe(self.dunes), before)
        self.post("bench:undo", self.dunes, 3)
        self.assertEqual(self.recipe(self.dunes).main.amplitude, 3)

    def test_the_stage_is_sent_both_in_one_view(self):
        now = unpacked(self.get("bench:preview", self.dunes, base=2, view="lit"))[1]
        then = unpacked(self.get("bench:preview", self.dunes, base=1, view="lit"))[1]
        header, both = unpacked(self.get("bench:preview", self.dunes, base=2, view="lit", against=1))
        np.testing.assert_array_equal(both["pixels"], now["pixels"])
        np.testing.assert_array_equal(both["pixels_against"], then["pixels"])
        self.assertEqual(header["before_label"], "the proof “Suggested start”")
        held = unpacked(self.get("bench:preview", self.dunes, base=2, view="lit", against=1, before=1))[1]
        np.testing.assert_array_equal(held["pixels"], then["pixels"])

    def test_the_difference_is_ochre_where_it_stands_out_farther(self):
        self.post("bench:change", self.dunes, 2, amplitude=3, midlevel=0)
        self.post("bench:keep-proof", self.dunes, 3)
        self.post("bench:change", self.dunes, 3, amplitude=6)
        _, arrays = unpacked(self.get("bench:preview", self.dunes, base=4, view="apart-heights", against=3))
        self.assertNotIn("pixels_against", arrays)
        red, blue = arrays["pixels"][..., 0].astype(int), arrays["pixels"][..., 2].astype(int)
        self.assertTrue((red >= blue - 4).all())
        self.assertGreater((red - blue).max(), 60)
        header, arrays = unpacked(self.get("bench:preview", self.dunes, base=3, view="apart-heights", against=3))
        self.assertEqual((np.ptp(arrays["pixels"], axis=(0, 1)).max(), header["most"]), (0, 0))

    def test_what_moves_no_height_shows_in_the_angles(self):
        """The largest angle is the one that the strongest turned normal has from itself at half the strength."""
        self.post("bench:keep-proof", self.dunes, 2)
        self.post("bench:change", self.dunes, 2, **{"maps.normal.strength": 2})
        heights, _ = unpacked(self.get("bench:preview", self.dunes, base=3, view="apart-heights", against=2))
        header, arrays = unpacked(self.get("bench:preview", self.dunes, base=3, view="apart-angles", against=2))
        self.assertEqual(heights["most"], 0)
        recipe = self.recipe(self.dunes)
        field = get_engine().run(Pipeline.of(recipe, read_source).height())
        once = np.hypot(*np.moveaxis(slopes(field, recipe.main.amplitude, "scharr"), -1, 0))
        expected = np.degrees(np.arctan(2 * once) - np.arctan(once))
        self.assertAlmostEqual(header["most"], expected.max(), places=2)
        dark = arrays["pixels"][..., 0]
        self.assertEqual(dark.ravel()[expected.argmax()], dark.min())

    def test_a_view_that_the_proof_has_not_is_shown_of_now_alone(self):
        self.post("bench:change-maps", self.dunes, 2, action="add", kind="slope")
        _, arrays = unpacked(self.get("bench:preview", self.dunes, base=3, view="more-0", against=1))
        self.assertIn("pixels", arrays)
        self.assertNotIn("pixels_against", arrays)
        self.post("bench:layers", self.dunes, 3, action="add", kind="net")
        for view in ("seen", "normal"):
            _, arrays = unpacked(self.get("bench:preview", self.dunes, base=4, view=view, against=1, layer=1))
            self.assertIn("pixels_against", arrays)

    def test_differences_in_words_and_figures(self):
        page = self.get("bench:differences", self.dunes, number=1)
        self.assertContains(page, "mm to 3 mm")
        self.assertContains(page, "Height apart, RMS")
        self.assertNotContains(page, "No parameter differs")

    def test_its_recipe_is_a_file_that_can_be_read_again(self):
        answer = self.client.get(reverse("bench:proof-recipe", args=[self.dunes.pk, 1]))
        self.assertIn("attachment", answer["Content-Disposition"])
        self.assertEqual(
            Recipe.read(json.loads(answer.content)), Revision.objects.get(piece=self.dunes, number=1).read()
        )
        self.assertEqual(self.client.get(reverse("bench:proof-recipe", args=[self.dunes.pk, 2])).status_code, 404)

    def test_two_proofs_are_set_side_by_side_in_words(self):
        self.post("bench:keep-proof", self.dunes, 2)
        self.post("bench:change", self.dunes, 2, amplitude=7)
        page = self.get("bench:differences", self.dunes, number=2, other=1)
        self.assertContains(page, "Amplitude 3 mm to")
        self.assertNotContains(page, "to 7 mm")
        self.assertEqual(self.get("bench:differences", self.dunes, number=2, other=3).status_code, 404)

    def test_what_is_no_proof_is_not_found(self):
        for number in ("2", "99", "x", ""):
            self.assertEqual(self.get("bench:differences", self.dunes, number=number).status_code, 404, number)
            self.assertEqual(self.post("bench:back-to-proof", self.dunes, 2, number=number).status_code, 404, number)
            asked = {"base": 2, "view": "lit", "against": number}
            self.assertEqual(self.client.get(reverse("bench:preview", args=[self.dunes.pk]), asked).status_code, 404)
        self.assertEqual(self.get("bench:preview", self.dunes, base=2, view="apart-angles").status_code, 404)

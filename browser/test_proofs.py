"""In the browser: a proof is kept by key, compared by a wipe, by the difference and in words, and taken back."""

from __future__ import annotations

import numpy as np

from browser.driver import BrowserTestCase
from browser.pictures import png16, waves
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.middleware import the_artist
from studio.shelf.intake import keep_source


class ProofTests(BrowserTestCase):
    density = 1

    def begin(self):
        source = keep_source(the_artist(), "waves-height.png", png16(waves()))
        piece = begin_piece(source, "Waves")
        self.open(f"/piece/{piece.pk}/relief/")
        self.settled()
        self.until(lambda: self.find("#keep-proof").is_displayed())
        return piece

    def test_turn_look_compare_and_turn_it_back(self):
        piece = self.begin()
        first = self.pixels("#flat")
        self.press("p")
        self.until(lambda: self.all("[data-proof]"))
        self.set_number("control-amplitude", "0.5")
        self.until(lambda: self.revision() == "2")
        self.settled()
        second = self.pixels("#flat")

        self.click("[data-compare]")
        self.until(lambda: "0.5 mm" in self.text("#differences"))
        self.settled()
        self.assertIn("dashed: the proof “Suggested start”", self.text("#section-note"))
        grip = self.find("#wipe g")
        middle = self.halves(0.5)
        self.assert_same(self.pixels("#flat"), second, middle[0])
        self.assert_same(self.pixels("#flat"), first, middle[1])
        self.drag(self.find("#wipe .wipe-grip"), (-int(first.shape[1] / 4), 0))
        self.assertEqual(grip.get_attribute("aria-valuenow"), "25")
        quarter = self.halves(0.25)
        self.assert_same(self.pixels("#flat"), second, quarter[0])
        self.assert_same(self.pixels("#flat"), first, quarter[1])

        self.click("[data-how=angles]")
        self.settled()
        self.until(lambda: "normals are turned" in self.text("#apart"))
        for _ in range(9):
            self.click("[data-zoom='2']")
        self.settled()
        self.assertFalse(self.find("#stage-message").is_displayed(), "single texels of a difference")
        self.press("0")
        self.until(lambda: not self.find("#wipe").is_displayed())
        self.click("[data-compare-end]")
        self.settled()
        self.assertFalse(self.find("#differences").is_displayed())
        self.assert_same(self.pixels("#flat"), second, (0, 1))

        self.click("[data-proof] [hx-post$=back-to-proof]")
        self.until(lambda: self.revision() == "3")
        self.settled()
        self.assert_same(self.pixels("#flat"), first, (0, 1))
        self.assertEqual(self.recipe_at(piece, 3), self.recipe_at(piece, 1))

    def test_one_of_a_trial_sheet_is_taken(self):
        piece = self.begin()
        self.open(f"/piece/{piece.pk}/maps/")
        self.settled()
        self.until(lambda: self.find("#open-trial").is_displayed())
        self.click("#open-trial")
        self.until(lambda: self.all(".trial-form .button"))
        self.assertEqual(self.attribute("#trial [name=path]", "value"), "maps.normal.strength")
        self.click(".trial-form .button")
        self.until(lambda: len(self.all("#trial img")) == 5)
        self.assertEqual(len({image.get_attribute("src") for image in self.all("#trial img")}), 5)
        self.all("[data-take]")[3].click()
        self.until(lambda: self.revision() == "2")
        self.until(lambda: not self.find("#trial").is_displayed())
        self.assertEqual(self.recipe_at(piece, 2).main.maps.normal.strength, 2)

    def recipe_at(self, piece, number: int):
        return Revision.objects.get(piece=piece, number=number).read()

    def halves(self, wipe: float) -> tuple[tuple[float, float], tuple[float, float]]:
        """The parts of the stage's width that lie clear of the wipe on its left and on its right."""
        return (0, wipe - 0.1), (wipe + 0.1, 1)

    def assert_same(self, got: np.ndarray, expected: np.ndarray, part: tuple[float, float]):
        """Compares below the buttons and above the section line, with some room for how edges are smoothed."""
        rows, columns = got.shape[:2]
        place = slice(int(rows * 0.32), int(rows * 0.45)), slice(int(columns * part[0]), int(columns * part[1]))
        self.assertLess(float(np.abs(got[place] - expected[place]).mean()), 0.004)

"""Going from step to step by keys: what the stage shows, what is marked and what is found belong to the step."""

from __future__ import annotations

from django.urls import reverse

from browser.driver import BrowserTestCase
from studio.bench.beginning import begin_piece
from studio.bench.pages.steps import STEPS
from studio.bench.tests.case import HEIGHTS, png
from studio.middleware import the_artist
from studio.shelf.intake import keep_source

NAMES = {str(step.number): step.name for step in STEPS}


class StepTests(BrowserTestCase):
    def step(self) -> str:
        return self.run_script("return document.getElementById('state').dataset.step")

    def marked(self) -> str:
        return self.attribute("[data-view][aria-pressed=true]", "data-view")

    def go(self, *keys: str, patient: bool):
        for key in keys:
            self.press(key)
            if patient:
                self.until(lambda key=key: self.step() == NAMES[key])
                self.settled()
        self.until(lambda: self.step() == NAMES[keys[-1]], f"{keys} did not lead to the last step")
        self.settled()

    def test_what_is_marked_is_shown_and_what_is_found_is_that_of_the_step(self):
        piece = begin_piece(
            keep_source(the_artist(), "dunes-height.png", png(HEIGHTS)), "Dunes", {"midlevel": 0.3, "surface.level": 2}
        )
        self.open(reverse("bench:step", args=[piece.pk, "source"]))
        self.settled()
        for keys in ("345", "15", "12345"):
            for patient in (True, False):
                with self.subTest(keys=keys, patient=patient):
                    self.go(*keys, patient=patient)
                    self.assertEqual(self.marked(), "shaded")
                    self.until(lambda: self.attribute("#flat", "data-shown") == "shaded")
                    red, _, blue = self.middle().reshape(-1, 3).mean(axis=0)
                    self.assertLess(blue - red, 0.2, "a normal map is blue, the lit relief is not")
                    self.until(lambda: self.all("#measured [data-finding=midlevel]"), "it is found at this step alone")
                    self.assertTrue(self.driver.current_url.endswith("/deliver/"))
                    self.go("3", patient=True)
                    red, _, blue = self.middle().reshape(-1, 3).mean(axis=0)
                    self.assertGreater(blue - red, 0.2)
                    self.until(lambda: not self.all("#measured [data-finding=midlevel]"))

"""Faces in a real browser: the ladder, a budget that is dragged, the adviser's offer, displacement by key."""

from __future__ import annotations

import threading
from unittest import mock

import numpy as np

from browser.test_surface import SurfaceTestCase
from relief.inspect.adviser import advise


class FacesTests(SurfaceTestCase):
    def faces(self) -> int:
        return int(self.attribute("#solid", "data-faces"))

    def test_levels_a_budget_and_what_the_adviser_offers(self):
        piece = self.begin()
        self.assertEqual(self.faces(), 16 * 16 * 4**2)
        self.click("[data-toggle=wireframe]")
        self.settled()
        coarse = self.middle()
        self.press_button(""".levels [hx-vals='{"surface.level": 4}']""")
        self.until(lambda: self.faces() == 16 * 16 * 4**4, "the ladder's level was not built")
        self.settled()
        self.assertGreater(np.abs(self.middle() - coarse).mean(), 0.02, "the wires have changed")
        self.click("[data-toggle=wireframe]")

        self.press_button("#group-faces [hx-vals*='faces']")
        self.until(lambda: self.find("#control-surface-tessellation-faces").is_displayed())
        self.set_number("control-surface-tessellation-faces", "4000")
        self.settled()
        self.until(lambda: 3900 <= self.faces() <= 4000, "the budget was not kept")
        self.until(lambda: "Detail kept" in self.text("#mesh-cost"))
        plain = self.middle()
        self.click("#overlay option[value=edges]")
        self.settled()
        self.until(lambda: np.abs(self.middle() - plain).mean() > 0.01, "edges are not told apart")
        self.click("#overlay option[value='']")
        self.settled()

        asked, go_on = [], threading.Event()

        def advise_when_told(*arguments):
            asked.append(arguments[-1].step(0.4, "Measuring level 3"))
            go_on.wait()
            return advise(*arguments)

        with mock.patch("studio.bench.pages.measured.advise", advise_when_told):
            self.click_unseen("#adviser button")
            self.until(lambda: self.all("#working"), "nothing says that it takes a while")
            self.assertIn("Measuring level 3", self.text("#working"))
            self.assertEqual(float(self.attribute("#working progress", "value")), 0.4)
            go_on.set()
            self.until(lambda: self.all("#adviser .mends button"))
        self.until(lambda: not self.all("#working"), "it is still said when it is done")
        self.press_button("#adviser .mends [hx-vals*='levels']")
        surface = self.recipe(piece).surface
        self.assertEqual(surface.tessellation.kind, "levels")
        self.until(lambda: self.faces() == 16 * 16 * 4**surface.level)

    def test_the_camera_is_kept_for_the_size_on_the_screen(self):
        piece = self.begin()
        self.press_button("#group-faces [hx-vals*='screen']")
        before = self.recipe(piece).surface.tessellation
        self.drag(self.find("#solid"), (120, 20))
        self.settled()
        self.press_button("[data-keep-camera]")
        kept = self.recipe(piece).surface.tessellation
        self.assertEqual(kept.wide, self.find("#solid").size["width"])
        place = np.array([kept.camera_x, kept.camera_y, kept.camera_z])
        self.assertGreater(kept.camera_z, 100, "it stands above the tile")
        self.assertFalse(np.allclose(place, (before.camera_x, before.camera_y, before.camera_z)))

    def test_displacement_goes_off_and_on_with_a_key(self):
        self.begin()
        lifted = self.middle()
        self.press("d")
        self.settled()
        self.until(lambda: np.abs(self.middle() - lifted).mean() > 0.01, "the key did nothing")
        self.assertEqual(self.attribute("[data-toggle=displaced]", "aria-pressed"), "false")
        self.press("d")
        self.settled()
        self.until(lambda: np.abs(self.middle() - lifted).mean() < 0.01)

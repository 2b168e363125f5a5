"""A delivery in a real browser: a profile taken, its finding mended, built, fetched, and seen as it arrives."""

from __future__ import annotations

import zipfile
from unittest import mock

from PIL import Image

from browser.test_builds import in_a_thread
from browser.test_surface import SurfaceTestCase


class DeliveryTests(SurfaceTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch("studio.background.tasks.carry_out", in_a_thread))

    def show(self, piece):
        self.open(f"/piece/{piece.pk}/deliver/")
        self.until(lambda: self.all("#bundle-forecast"))
        self.settled()
        return piece

    def fetch(self, selector: str, pattern: str):
        self.scroll_to(selector)
        self.click(selector)
        self.until(lambda: list(self.downloads.glob(pattern)), f"{pattern} did not come")
        return next(iter(self.downloads.glob(pattern)))

    def test_from_a_profile_to_what_arrives(self):
        piece = self.begin()
        self.choose("#profile", "Game tile")
        self.until(lambda: self.all("[data-finding=above-source]"), "the size is not found to be too large")
        self.press_button("[data-finding=above-source] .button")
        self.assertEqual(self.recipe(piece).delivery.size, 0)
        self.until(lambda: "Waves_normal_full.png" in self.attribute("#bundle-files", "textContent"))

        self.click_unseen("#build")
        self.until(lambda: self.all("#deliveries [data-state=done]"), "it was not built")
        place = self.fetch("#deliveries a[download]", "*.zip")
        with zipfile.ZipFile(place) as bundle:
            self.assertIn("Waves_plane.glb", bundle.namelist())
            self.assertIsNone(bundle.testzip())
        self.run_script("document.querySelector('#deliveries details').open = true")
        self.until(lambda: self.all("#deliveries details a"))
        with Image.open(self.fetch("#deliveries details a[href$='normal_full.png']", "Waves_normal*.png")) as normal:
            self.assertEqual(normal.mode, "RGB")

        self.click_unseen("[data-receive]")
        self.until(lambda: "Everything arrives as intended" in self.text("#received"))
        self.click("[data-fault=green]")
        self.until(lambda: "green or red may be reversed" in self.text("#received-verdict"))
        self.until(
            lambda: self.run_script(
                "return [...document.querySelectorAll('#received img')].every(picture => picture.complete)"
            )
        )

    def test_one_that_is_cancelled_is_delivered_again(self):
        self.begin()
        with mock.patch("studio.background.elsewhere.run_apart", side_effect=self.wait_until_cancelled):
            self.click_unseen("#build")
            self.until(lambda: self.all("#deliveries progress"))
            self.click("#deliveries [hx-post*='cancel']")
            self.until(lambda: "Cancelled" in self.text("#deliveries"))
        self.click_unseen("#build")
        self.until(lambda: self.all("#deliveries [data-state=done]"), "it was not built again")

    @staticmethod
    def wait_until_cancelled(_work, _arguments, progress):
        while True:
            progress.step(0.5, "Waiting")

"""Depth from light: a photo's sun is dragged and its brightness turned around; eight photos of a rig become maps."""

from __future__ import annotations

from unittest import mock

import numpy as np
import skimage.data
from huey.contrib.djhuey import HUEY
from selenium.webdriver.support.ui import Select

from browser.driver import BrowserTestCase
from browser.pictures import save
from relief.synthetic.rendering import photograph
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.middleware import the_artist
from studio.rig import tasks
from studio.shelf.intake import keep_source
from studio.shelf.models import LitSeries, Piece
from studio.shelf.tests.case import png
from studio.shelf.tests.test_series import BALL, LIGHTS, jpeg, shots


class PhotoTests(BrowserTestCase):
    def begin(self, data: bytes, name: str) -> Piece:
        piece = begin_piece(keep_source(the_artist(), name, data), "Photo")
        self.open(f"/piece/{piece.pk}/source/")
        self.settled()
        return piece

    def content(self, piece: Piece):
        return Revision.objects.now(Piece.objects.get(pk=piece.pk)).read().main.picture

    def changed(self, work) -> None:
        revision = self.revision()
        work()
        self.until(lambda: self.revision() != revision, "no revision was made")
        self.settled()

    def test_a_photo_is_read_by_its_light_and_the_relief_follows_its_sun(self):
        across, down = np.meshgrid(np.linspace(-3, 3, 240), np.linspace(-2, 2, 160))
        height = 9 * np.exp(-6 * ((across % 1 - 0.5) ** 2 + (down % 1 - 0.5) ** 2))
        piece = self.begin(jpeg(photograph(height, 1, 130, 40, 0.7, sky=0.3)), "bumps.jpg")
        self.changed(self.find("[hx-vals*='\"light\"']").click)
        self.assertEqual(self.content(piece).reading, "light")
        for view in ("paint", "certain", "lit"):
            self.click(f'[data-view="{view}"]')
            self.settled()
        before = self.middle()
        self.click('[data-tool="sun"]')
        self.settled()
        self.changed(lambda: self.drag(self.find(".t-sun"), (90, 60)))
        light = self.content(piece).light
        self.assertEqual(self.attribute("#control-layers-0-content-light-azimuth", "value"), f"{light.azimuth:g}")
        self.assertGreater(np.abs(self.middle() - before).mean(), 0.01, "the relief follows")
        self.changed(lambda: self.type(".t-sun", "\ue012"))  # an arrow to the left turns it on
        self.assertEqual(self.content(piece).light.azimuth, (light.azimuth + 2) % 360)

    def test_the_likelier_way_is_marked_and_the_other_taken_with_a_click(self):
        """scikit-image's `brick` (CC0): its joints are bright."""
        piece = self.begin(png(skimage.data.brick()), "brick.png")
        self.until(lambda: len(self.all(".ways img")) == 2, "two ways are shown")
        self.assertIn("more likely", self.all(".ways button")[1].text)
        self.changed(self.all(".ways button")[1].click)
        recipe = Revision.objects.now(Piece.objects.get(pk=piece.pk)).read()
        self.assertTrue(recipe.main.layers[0].treatments[2].on)
        self.until(lambda: self.all(".ways button")[1].get_attribute("aria-pressed") == "true", "it is chosen")


class RigTests(BrowserTestCase):
    def setUp(self):
        super().setUp()
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True

    def test_photos_are_dropped_their_ball_is_marked_and_they_become_maps(self):
        _, photos = shots()
        paths = [save(self.downloads, f"plate-{number}.jpg", jpeg(photo)) for number, photo in enumerate(photos, 1)]
        self.open("/")
        self.type("#pictures", "\n".join(paths))
        self.until(lambda: self.all("[data-ball] .s-ball"), "the series is opened")
        made = LitSeries.objects.get()
        shown = self.find(".lit.large svg").size["width"] / 160
        x, y, radius = (float(self.attribute(f'[name="ball-{name}"]', "value")) for name in ("x", "y", "radius"))
        self.drag(self.find(".s-ball"), (round((BALL[0] - x) * shown), round((BALL[1] - y) * shown)))
        self.drag(self.find(".s-edge"), (round((radius - BALL[2]) * shown), 0))
        self.click('[name="read"]')
        self.until(lambda: LitSeries.objects.get(pk=made.pk).lights != made.lights, "the lights are read")
        made.refresh_from_db()
        for found, asked in zip(made.lights, LIGHTS, strict=True):
            self.assertLess(abs((found[0] - asked[0] + 180) % 360 - 180), 15)
        azimuth = made.lights[0][0]
        self.until(
            lambda: abs(float(self.attribute('[name="azimuth-0"]', "value")) - azimuth) < 0.1,
            "the lights are shown",
        )
        self.until(lambda: self.driver.execute_script("return document.readyState === 'complete'"))
        before = self.attribute('[name="azimuth-0"]', "value")
        self.driver.execute_script(
            "arguments[0].scrollIntoView({block: 'center', behavior: 'instant'})", self.all(".s-sun")[0]
        )
        self.drag(self.all(".s-sun")[0], (0, 12))
        self.assertNotEqual(self.attribute('[name="azimuth-0"]', "value"), before)
        self.drag(self.all(".s-sun")[0], (0, -12))
        self.click(".button.strong")
        self.until(lambda: "/relief/" in self.driver.current_url, "the piece is opened")
        self.settled()
        self.assertEqual(
            set(Piece.objects.get().sources.values_list("role", flat=True)), {"height", "normal", "colour"}
        )

    def test_the_rig_photographs_a_surface_that_waits_on_the_shelf(self):
        self.enterContext(mock.patch.multiple(tasks, SETTLING=0, SIZE=96))
        self.open("/rig/")
        Select(self.find("#rig-surface")).select_by_value("driftwood-panel")
        self.click(".rig-form button")
        self.until(lambda: self.all(".shoot a.button"), "its photos are taken")
        self.assertIn("420 mm across", self.text(".shoot"))
        self.click(".shoot a.button")
        self.until(lambda: len(self.all("[data-sun]")) == 8, "the series is opened")
        self.assertEqual(self.attribute('[name="width"]', "value"), "420")

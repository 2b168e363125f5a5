"""Depth from light: a photo's sun is dragged and its brightness turned around; eight photos of a rig become maps."""

from __future__ import annotations

from unittest import mock

import numpy as np
import skimage.data
from huey.contrib.djhuey import HUEY
from selenium.webdriver.support.ui import Select

from browser.driver import BrowserTestCase
from browser.pictures import png16, save, waves
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


ON_CARD_AND_IN_LOOPS = """
const done = arguments[0], known = performance.getEntriesByType("resource").map((one) => one.name);
const named = (name) => import(known.find((one) => new RegExp(`${name}[.\\w]*js$`).test(one)));
Promise.all([named("studio/painting"), named("studio/card"), named("stage/shadows")]).then(
  ([{ lightFrom, paintPixels }, { lightOnCard }, { shadowsFrom }]) => {
    const [rows, columns] = [150, 211];
    const pixels = new Uint16Array(3 * rows * columns), colours = new Uint8Array(pixels.length);
    pixels.shape = [rows, columns, 3];
    for (let i = 0, n = 0; i < rows * columns; i++, n += 3) {
      const [x, y] = [0.9 * Math.sin(i * 0.013), 0.6 * Math.cos(i * 0.0071)], length = Math.hypot(x, y, 1);
      [x, y, 1].forEach((part, side) => {
        pixels[n + side] = Math.round((part / length / 2 + 0.5) * 65535);
        colours[n + side] = (i * (side + 3)) % 256;
      });
    }
    const horizons = new Uint8Array(16 * 50 * 70).map((_, i) => 60 + 50 * Math.sin(i * 0.002));
    horizons.shape = [16, 50, 70];
    const shadows = shadowsFrom(horizons, rows, columns);
    const lit = { ...lightFrom([-0.5, 0.3, 0.81]) };
    lit.lights = [lit.lights[0], { towards: [0.6, 0.1, 0.79], strength: 0.4, tint: [0.6, 0.8, 1] }];
    const more = { ...lit, lights: [...lit.lights, { towards: [0, 0, 1], strength: 0, tint: [1, 1, 1] }] };
    const painted = (light, asked) => {
      const canvas = document.createElement("canvas");
      paintPixels(canvas, pixels, { lit: light, ...asked });
      return canvas.getContext("2d").getImageData(0, 0, columns, rows).data;
    };
    const off = [{}, { colours }, { shadows }, { colours, shadows }].map((asked) => {
      const [card, loops] = [painted(lit, asked), painted(more, asked)];
      const apart = card.map((value, i) => Math.abs(value - loops[i])).toSorted();
      return [apart[apart.length - 1], apart[Math.floor(apart.length * 0.99)], new Set(card).size];
    });
    const before = painted(lit, { shadows });
    for (let other = 0; other < 14; other++) {
      const copy = pixels.slice();
      copy.shape = pixels.shape;
      paintPixels(document.createElement("canvas"), copy, { lit });
    }
    const after = painted(lit, { shadows });
    const stays = before.every((value, i) => value === after[i]);
    const nothing = { albedo: [1, 1, 1], low: [[0, 0], [0, 0], [0, 0]], around: [0, 0, 0], lights: [] };
    const drawn = lightOnCard(pixels, nothing);
    drawn.getContext("webgl2").getExtension("WEBGL_lose_context").loseContext();
    const again = painted(lit, { shadows });
    const anew = lightOnCard(pixels, nothing);
    const mended = anew !== drawn && before.every((value, i) => value === again[i]);
    done([anew instanceof HTMLCanvasElement, off, stays, mended]);
  },
);
"""
"""The same normals lit by WebGL and by loops (as three lights are), 211 x 150: with and without colours and shadows."""


class CardTests(BrowserTestCase):
    def test_a_card_lights_normals_as_the_loops_do(self):
        piece = begin_piece(keep_source(the_artist(), "waves-height.png", png16(waves())), "Waves")
        self.open(f"/piece/{piece.pk}/relief/")
        self.settled()
        by_card, off, stays, mended = self.driver.execute_async_script(ON_CARD_AND_IN_LOOPS)
        self.assertTrue(by_card)
        self.assertTrue(stays, "it is painted alike once the card has forgotten its textures")
        self.assertTrue(mended, "and once the card was reset")
        for (most, nearly_most, levels), shaded in zip(off, (False, False, True, True), strict=True):
            self.assertGreater(levels, 50)
            self.assertLessEqual(nearly_most, 2)
            self.assertLessEqual(most, 12 if shaded else 2)  # at the edge of a shadow they soften differently

"""The whole route as an artist walks it: a picture in, a look at it, changes, undo, files out."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import skimage.data
import tifffile
import trimesh
from django.templatetags.static import static
from huey.contrib.djhuey import HUEY
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains

from browser.driver import WITHOUT_WEBGL, BrowserTestCase
from browser.pictures import png16, save, waves
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece


class RouteTests(BrowserTestCase):
    def begin(self, name="waves-height.png", heights=None, step="relief", changes=None) -> Piece:
        """A piece made of a height image, opened at a step."""
        data = png16(waves() if heights is None else heights)
        source = keep_source(the_artist(), name, data)
        piece = begin_piece(source, "Waves", changes)
        self.open(f"/piece/{piece.pk}/{step}/")
        self.settled()
        return piece

    def recipe(self, piece: Piece):
        piece.refresh_from_db()
        return Revision.objects.now(piece).read()

    def test_a_photo_is_dropped_and_walks_the_whole_route(self):
        gravel = io.BytesIO()
        Image.fromarray(skimage.data.gravel()).save(gravel, "PNG")
        self.open("/")
        self.assertIn("Nothing here yet", self.text("main"))
        self.type("#pictures", save(self.folder, "gravel.png", gravel.getvalue()))
        self.until(lambda: self.all("#facts dl"))
        self.assertIn("/source/", self.driver.current_url)
        facts = self.text("#facts")
        for fact in ("512 \N{MULTIPLICATION SIGN} 512", "PNG, 8 bit", "grey", "It looks like a photo, because"):
            self.assertIn(fact, facts)
        self.settled()
        # the picture itself is on the stage: its mean grey, within what scaling does
        self.assertAlmostEqual(self.middle().mean(), skimage.data.gravel().mean() / 255, delta=0.06)
        for key, name in enumerate(("source", "relief", "maps", "surface", "deliver"), start=1):
            self.press(str(key))
            self.until(lambda name=name: f"/{name}/" in self.driver.current_url)
            self.settled()
            self.assertGreater(self.middle().std(), 0.02, f"the stage is blank at {name}")
            self.assertTrue(
                self.run_script("return document.querySelector('.s-profile').getAttribute('d').length > 1000")
            )

    def test_work_that_newer_work_waits_for_too_long_is_given_up(self):
        self.open("/")
        said = self.driver.execute_async_script(
            """
            const done = arguments[1];
            import(arguments[0]).then(({ Latest }) => {
              const [latest, said] = [new Latest(), []];
              const endless = (signal) => new Promise((_, reject) => signal.addEventListener("abort", () => {
                said.push("given up");
                reject(signal.reason);
              }));
              latest.run(endless).then(() => done(said));
              for (const name of ["older", "newest"]) latest.run(() => said.push(name));
            });
            """,
            static("studio/ask.js"),
        )
        self.assertEqual(said, ["given up", "newest"])

    def test_the_guess_is_corrected_with_one_click(self):
        piece = self.begin(step="source")
        self.until(lambda: self.all("#facts dl"))
        self.assertIn("its name says “height”", self.text("#facts"))
        self.click("[hx-vals*='\"photo\"']")
        self.until(lambda: self.revision() == "2")
        self.assertEqual(self.recipe(piece).main.layers[0].content.reading, "photo")
        self.until(lambda: self.all("#control-layers-0-content-grey"))

    def test_dragging_the_datum_changes_number_pixels_and_section(self):
        piece = self.begin()
        self.click("[data-view=height]")
        self.settled()
        before, profile = self.middle(), self.attribute(".s-above", "d")
        self.drag(self.find("#datum-handle"), (0, -18))
        self.until(lambda: self.revision() == "2")
        self.settled()
        midlevel = self.recipe(piece).main.midlevel
        self.assertGreater(midlevel, 0.52)
        self.assertEqual(float(self.attribute("#section-midlevel", "value")), midlevel)
        self.assertEqual(float(self.attribute("#control-midlevel", "value")), midlevel)
        self.assertNotEqual(self.attribute(".s-above", "d"), profile)
        # with a higher datum less of the relief comes out: less ochre (red over blue), more blue
        redness = [(picture[..., 0] - picture[..., 2]).mean() for picture in (before, self.middle())]
        self.assertLess(redness[1], redness[0] - 0.02)
        # the mean now lies below midlevel: a finding says so, and its mend sets midlevel back to the mean
        self.until(lambda: self.all("[data-finding=swell]"))
        self.click("[data-finding=swell] button")
        self.until(lambda: self.revision() == "3")
        self.assertAlmostEqual(self.recipe(piece).main.midlevel, 0.5, places=3)
        self.until(lambda: not self.all("[data-finding=swell]"))

    def test_dragging_the_arrow_head_sets_the_amplitude(self):
        piece = self.begin()
        amplitude = self.recipe(piece).main.amplitude
        self.drag(self.find("#amplitude-handle"), (0, 24))
        self.until(lambda: self.revision() == "2")
        lower = self.recipe(piece).main.amplitude
        self.assertLess(lower, amplitude * 0.8)
        self.assertEqual(float(self.attribute("#section-amplitude", "value")), lower)
        self.assertNotIn("amplitude", self.recipe(piece).main.suggested)
        # a value that is what it was is sent back without a redraw; its box stays beside the arrow
        box = self.find("#section-amplitude")
        beside = box.rect
        self.run_script("arguments[0].dispatchEvent(new Event('change', { bubbles: true }))", box)
        self.until(lambda: self.find("#section-amplitude") != box, "nothing came back")
        self.until(lambda: self.find("#section-amplitude").rect == beside, "the box jumps")

    def test_the_light_is_dragged_and_raked_without_asking_the_server(self):
        self.begin()
        before = self.middle()
        asked = "return performance.getEntriesByType('resource').filter(entry => entry.name.includes('preview')).length"
        requests = self.run_script(asked)
        self.drag(self.find("#dome"), (30, -10))
        moved = self.middle()
        self.press("l")
        raked = self.middle()
        self.assertGreater(np.abs(moved - before).mean(), 0.02)
        self.assertGreater(np.abs(raked - moved).mean(), 0.02)
        self.assertEqual(self.run_script(asked), requests)

    def test_holding_b_shows_the_state_before(self):
        self.begin()
        flat = self.middle()
        self.set_number("control-amplitude", "0.2")
        self.settled()
        changed = self.middle()
        self.assertGreater(np.abs(changed - flat).mean(), 0.02)
        self.assertIn("dashed: before the last change", self.text("#section-note"))
        ActionChains(self.driver).key_down("b").perform()
        self.settled()
        held = self.middle()
        ActionChains(self.driver).key_up("b").perform()
        self.settled()
        self.assertLess(np.abs(held - flat).mean(), 0.004)
        self.assertLess(np.abs(self.middle() - changed).mean(), 0.004)

    def test_undo_and_redo_by_key_and_after_a_restart(self):
        piece = self.begin()
        amplitude = self.recipe(piece).main.amplitude
        self.set_number("control-amplitude", "9")
        self.click("#control-layers-0-treatments-2-on")
        self.until(lambda: self.revision() == "3")
        self.assertTrue(self.recipe(piece).main.layers[0].treatments[2].on)
        self.press_with_control("z")
        self.until(lambda: self.revision() == "2")
        self.assertFalse(self.find("#control-layers-0-treatments-2-on").is_selected())
        self.open(f"/piece/{piece.pk}/relief/")  # nothing is kept in the page
        self.settled()
        self.click("#undo")
        self.until(lambda: self.revision() == "1")
        self.assertEqual(float(self.attribute("#control-amplitude", "value")), amplitude)
        self.click("#redo")
        self.until(lambda: self.revision() == "2")
        self.assertEqual(self.recipe(piece).main.amplitude, 9)

    def test_a_slider_tries_out_while_it_moves_and_keeps_when_it_is_let_go(self):
        piece = self.begin()
        slider = self.find("[data-path=amplitude] .slider")
        box = slider.rect
        start = ActionChains(self.driver).move_to_element(slider).click_and_hold()
        start.move_by_offset(int(box["width"] / 4), 0).perform()
        self.until(lambda: "before this change" in self.text("#section-note"))
        self.assertEqual(self.revision(), "1", "a draft is not kept")
        ActionChains(self.driver).release().perform()
        self.until(lambda: self.revision() == "2")
        self.assertEqual(self.recipe(piece).main.amplitude, float(self.attribute("#control-amplitude", "value")))

    def test_section_line_is_dragged_and_swapped(self):
        self.begin(heights=np.tile(np.linspace(0.1, 0.9, 256), (256, 1)))
        length = "return document.querySelector('#section-drawing g').textContent"
        across = self.run_script(length)
        self.drag(self.find("[data-end='1']"), (-150, 40))
        self.until(lambda: self.run_script(length) != across)
        profile = self.attribute(".s-profile", "d")
        self.press("x")
        self.until(lambda: self.attribute(".s-profile", "d") != profile)
        # down a ramp that rises across, the section is level
        self.press("x", "x")
        self.settled()
        heights = [float(point.split()[1]) for point in self.attribute(".s-profile", "d")[1:].split("L")]
        self.assertLess(max(heights) - min(heights), 2)

    def test_map_views_show_the_very_bytes_of_the_maps(self):
        piece = self.begin(step="maps")
        self.click("[data-view=normal]")
        self.settled()
        relief, heights = self.recipe(piece).main, waves()
        rows, columns = heights.shape
        across, down = (
            relief.amplitude * (np.roll(heights, -1, axis) - np.roll(heights, 1, axis)) / 2 / texel
            for axis, texel in ((1, relief.footprint.width / columns), (0, relief.footprint.height / rows))
        )
        vectors = np.stack([-across, down, np.ones_like(across)], axis=-1)
        normal = vectors / np.linalg.norm(vectors, axis=-1, keepdims=True) / 2 + 0.5
        whole = self.middle().mean(axis=(0, 1))
        np.testing.assert_allclose(whole, normal.mean(axis=(0, 1)), atol=0.05)
        self.click("[data-channel=blue]")
        blue = self.middle()
        self.assertLess(np.abs(blue[..., 0] - blue[..., 2]).max(), 0.01, "one channel alone is grey")
        self.press("]")
        self.until(lambda: self.revision() == "2")
        self.assertAlmostEqual(self.recipe(piece).main.maps.normal.strength, 1.1)
        self.press("t")
        self.assertEqual(self.attribute("[data-toggle=repeats]", "aria-pressed"), "true")

    def test_surface_is_drawn_and_differs_when_displaced(self):
        piece = self.begin(step="surface", changes={"surface.level": 3})
        drawn = lambda: int(self.attribute("#solid", "data-drawn") or 0)  # noqa: E731
        self.until(lambda: drawn() > 0)
        self.click("[data-camera=front]")
        self.settled()
        for end in self.all("#solid-line g"):  # away from what is looked at
            self.drag(end, (0, -110))
            self.settled()
        displaced = self.middle().mean(axis=2)
        self.assertGreater(displaced.std(), 0.03)

        def toggled(name):
            before = drawn()
            self.click(f"[data-toggle={name}]")
            self.until(lambda: drawn() > before)
            self.settled()
            return self.middle().mean(axis=2)  # brightness: clay under a warm sun is not grey

        flat = toggled("displaced")
        self.assertGreater(np.abs(flat - displaced).mean(), 0.03)
        self.assertLess(flat.std(), displaced.std() / 3, "without displacement and normal map the plane is plain")
        mapped = toggled("mapped")
        self.assertGreater(mapped.std(), flat.std() * 3, "the normal map shades the flat plane")
        before = drawn()
        self.drag(self.find("#solid"), (90, 30))
        self.until(lambda: drawn() > before)
        self.assertGreater(np.abs(self.middle().mean(axis=2) - mapped).mean(), 0.01, "the pointer turns the surface")
        # the cost is shown before a level is applied, and what is too much cannot be chosen
        rows = {row.text.split()[0]: row.text for row in self.all(".levels tbody tr")}
        self.assertIn("262 144", rows["5"].replace("\N{NO-BREAK SPACE}", " "))
        self.assertIn("too many", rows["8"])
        self.click(".levels [hx-vals*='4']")
        self.until(lambda: self.attribute("#solid", "data-faces") == "65536")
        self.assertEqual(self.recipe(piece).surface.level, 4)

    def test_the_zip_is_downloaded_and_every_file_opens(self):
        piece = self.begin(step="deliver")
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True
        self.click("#build")
        self.until(lambda: self.all("#deliveries [download]"))
        self.click("#deliveries [download]")
        self.until(lambda: list(self.downloads.glob("*.zip")))
        recipe = self.recipe(piece)
        with zipfile.ZipFile(next(self.downloads.glob("*.zip"))) as bundle:
            files = {name: bundle.read(name) for name in bundle.namelist()}
        heights = waves()
        displacement = np.asarray(Image.open(io.BytesIO(files["Waves_displacement.png"])))
        np.testing.assert_array_equal(displacement, np.rint(heights * 65535))
        np.testing.assert_allclose(tifffile.imread(io.BytesIO(files["Waves_displacement.tif"])), heights, atol=1e-5)
        self.assertEqual(Image.open(io.BytesIO(files["Waves_normal.png"])).mode, "RGB")
        self.assertEqual(Image.open(io.BytesIO(files["Waves_bump.png"])).mode, "L")
        mesh = trimesh.load(io.BytesIO(files["Waves_plane.obj"]), "obj", process=False)
        np.testing.assert_allclose(mesh.extents[:2], [300, 300], rtol=1e-5)
        self.assertEqual(json.loads(files["recipe.json"]), recipe.as_data())
        note = files["READ-ME.txt"].decode()
        for name in files:
            if name != "READ-ME.txt":
                self.assertIn(name, note)


class TwoWindowsTests(BrowserTestCase):
    expected_complaints = ("409", "422")

    def test_the_stale_window_is_told_and_nothing_is_overwritten(self):
        source = keep_source(the_artist(), "waves-height.png", png16(waves()))
        piece = begin_piece(source, "Waves")
        self.open(f"/piece/{piece.pk}/relief/")
        self.settled()
        Revision.objects.change(piece, 1, {"amplitude": 7})  # the other window
        box = self.find("#control-amplitude")
        self.run_script("arguments[0].select()", box)
        box.send_keys("3\n")
        self.until(lambda: "changed in another window" in self.text("#notice"))
        piece.refresh_from_db()
        self.assertEqual(Revision.objects.now(piece).read().main.amplitude, 7)
        self.click("#notice a")
        self.until(lambda: self.revision() == "2")
        self.assertEqual(self.attribute("#control-amplitude", "value"), "7")

    def test_a_number_out_of_bounds_is_refused_with_its_bound_and_the_old_one_stays(self):
        source = keep_source(the_artist(), "waves-height.png", png16(waves()))
        piece = begin_piece(source, "Waves", {"amplitude": 6})
        self.open(f"/piece/{piece.pk}/relief/")
        self.settled()
        box = self.find("#control-amplitude")
        self.run_script("arguments[0].removeAttribute('max'); arguments[0].select()", box)
        box.send_keys("100000000\n")
        self.until(lambda: "Amplitude must be at most 10000000 mm." in self.text("#notice"))
        self.assertEqual(self.attribute("#control-amplitude", "value"), "6")
        self.assertEqual(Revision.objects.filter(piece=piece).count(), 1)


class WithoutWebGLTests(BrowserTestCase):
    flags = WITHOUT_WEBGL
    expected_complaints = ("WebGL",)

    def test_the_surface_step_says_so_and_shows_the_lit_relief(self):
        source = keep_source(the_artist(), "waves-height.png", png16(waves()))
        piece = begin_piece(source, "Waves")
        self.open(f"/piece/{piece.pk}/surface/")
        self.until(lambda: "no WebGL" in self.text("#stage-message"))
        self.settled()
        self.assertGreater(self.middle().std(), 0.03)

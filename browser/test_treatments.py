"""Treatments in the hand: a set comes in, is corrected, cropped, straightened, closed, healed and put in order."""

from __future__ import annotations

import json
import re
from unittest import mock

import numpy as np
import skimage.data
from huey.contrib.djhuey import HUEY
from scipy.interpolate import PchipInterpolator
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from browser.driver import BrowserTestCase
from browser.pictures import png16, save, waves
from relief.synthetic.textures import TEXTURES
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece, Source, TextureSet
from studio.shelf.tests.case import png, set_files, zipped
from studio.supplier import tasks, views
from studio.supplier.supplier import Supplier


class TreatmentTestCase(BrowserTestCase):
    def begin(self, pixels: np.ndarray | None = None) -> Piece:
        """A piece of a photo, opened at its relief."""
        data = png16(waves()) if pixels is None else png(pixels)
        name = "waves-height.png" if pixels is None else "photo.png"
        piece = begin_piece(keep_source(the_artist(), name, data), "Waves")
        self.open(f"/piece/{piece.pk}/relief/")
        self.settled()
        return piece

    def treatments(self, piece: Piece) -> list:
        piece.refresh_from_db()
        return list(Revision.objects.now(piece).read().main.layers[0].treatments)

    def kinds(self, piece: Piece) -> list[str]:
        return [treatment.kind for treatment in self.treatments(piece)]

    def changed(self, work) -> None:
        """Does something that makes a revision, and waits until the stage shows it."""
        self.revised(work)
        self.settled()

    def revised(self, work) -> None:
        """Does something that leads to another revision. What is drawn of it is not waited for."""
        revision = self.revision()
        work()
        self.until(lambda: self.revision() != revision, "no revision was made")

    def add(self, kind: str) -> int:
        """Adds a treatment; gives its number."""
        self.run_script("document.getElementById('add-treatment').open = true")
        button = self.find(f'#add-treatment [hx-vals*=\'"kind": "{kind}"\']')
        self.changed(lambda: self.run_script("arguments[0].click()", button))
        return len(self.all("#controls .treatment")) - 1

    def take(self, tool: str, number: int) -> None:
        """Takes a tool up or puts it down."""
        drawn = self.attribute("#flat", "data-drawn")
        self.click_unseen(f"[data-tool={tool}][data-number='{number}']")
        self.until(lambda: self.attribute("#flat", "data-drawn") != drawn)
        self.settled()

    def handle(self, label: str):
        return self.find(f"#tool [aria-label^='{label}']")


class SetTests(TreatmentTestCase):
    def test_a_set_comes_in_as_a_zip_a_role_is_corrected_and_its_green_mended(self):
        files = set_files(green="down")
        files["dune_notes.png"] = b"not a picture"
        archive = save(self.folder, "dune.zip", zipped(files))
        self.open("/")
        self.type("#pictures", archive)
        self.until(lambda: "dune_notes.png" in self.text("#refused"), "the broken one is said")
        self.click("#refused a")
        self.until(lambda: "/source/" in self.driver.current_url, "and did not stop the others")
        self.settled()
        one = TextureSet.objects.get()
        Source.objects.filter(role="normal").update(green="up")
        self.open(f"/set/{one.pk}/")
        self.assertIn("Green is reversed", self.text(".looking-left"))
        self.click("[data-finding=green] button")
        self.until(lambda: not self.all("[data-finding=green]"))
        self.assertEqual(one.by_role()["normal"].green, "down")
        shown = lambda: self.attribute("#map-canvas", "data-shown") or ""  # noqa: E731
        self.until(lambda: shown().endswith("picture"))
        for view in ("lit", "red"):
            self.click(f"[data-show={view}]")
            self.until(lambda view=view: shown().endswith(view))
        role = self.find(f"#role-{one.by_role()['height'].pk}")
        role.find_element("css selector", "[value=mask]").click()
        self.until(lambda: "mask" in one.by_role())

    def test_the_shelf_is_searched_and_a_removal_undone(self):
        self.begin()
        self.open("/")
        self.type("#find-word", "nothing like this")
        self.until(lambda: "No piece has that" in self.text("#list"))
        self.find("#find-word").clear()
        self.type("#find-word", "waves")
        self.until(lambda: len(self.all("#list .pieces b")) == 2)
        self.click("#list [hx-post*='/remove']")
        self.until(lambda: self.all(".gone button"))
        self.click(".gone button")
        self.until(lambda: len(self.all("#list .pieces:not(.small) b")) == 1)


class PlaceTests(TreatmentTestCase):
    def test_crop_is_dragged_free_and_square_and_undone(self):
        piece = self.begin()
        number = self.add("crop")
        self.take("crop", number)
        self.changed(lambda: self.drag(self.handle("Upper left"), (60, 40)))
        crop = self.treatments(piece)[number]
        self.assertGreater(crop.left, 8)
        self.assertGreater(crop.top, 5)
        self.assertAlmostEqual(crop.left + crop.width, 100, places=1)
        self.click("[data-crop-shape] [value=square]")
        self.changed(lambda: self.drag(self.handle("Lower right"), (-70, -20)))
        crop = self.treatments(piece)[number]
        self.assertAlmostEqual(crop.width, crop.height, delta=0.1)
        self.changed(lambda: self.handle("Lower right").send_keys(Keys.ARROW_LEFT))
        self.assertLess(self.treatments(piece)[number].width, crop.width)
        self.press(Keys.ESCAPE)
        self.settled()
        self.assertFalse(self.find("#tool").is_displayed())
        for _ in range(4):
            self.changed(lambda: self.press_with_control("z"))
        self.assertEqual(self.kinds(piece), ["levels", "soften", "invert"])

    def test_a_crop_in_whole_motifs_and_a_suggested_one(self):
        piece = self.begin()  # four waves: a motif is a quarter of the width
        number = self.add("crop")
        self.take("crop", number)
        self.click("[data-crop-shape] [value=motif]")
        self.until(
            lambda: self.run_script(
                "return performance.getEntriesByType('resource').some(e => e.name.includes('/repeats?'))"
            )
        )
        self.settled()
        self.changed(lambda: self.drag(self.handle("Lower right"), (-150, -150)))
        crop = self.treatments(piece)[number]
        self.assertAlmostEqual(crop.width / 25, round(crop.width / 25), delta=0.05)
        self.assertLess(crop.width, 80)
        self.click_unseen("[data-suggest]")
        self.until(lambda: len(self.all("[data-crop]")) == 3)
        self.assertRegex(self.text("[data-suggestions]"), r"seam \d\.\d · \d+ telltale")
        self.changed(lambda: self.click_unseen("[data-crop]"))
        self.assertAlmostEqual(self.treatments(piece)[number].width / 25 % 1, 0, delta=0.06)

    def test_corners_are_dragged_and_the_photo_is_straightened(self):
        piece = self.begin(skimage.data.brick())
        number = self.add("straighten")
        before = self.middle()
        self.take("corners", number)
        self.changed(lambda: self.drag(self.handle("Upper left"), (40, 0)))
        self.changed(lambda: self.drag(self.handle("Upper right"), (-40, 0)))
        corners = self.treatments(piece)[number].corners
        self.assertGreater(corners[0][0], 0.05)
        self.assertLess(corners[1][0], 0.95)
        self.take("corners", number)
        self.assertGreater(np.abs(self.middle() - before).mean(), 0.01)


class FaultTests(TreatmentTestCase):
    def test_the_seam_is_closed_and_shifted_by_half_nothing_shows(self):
        self.begin(skimage.data.gravel())
        self.press("h")
        self.settled()
        self.assertEqual(self.attribute("[data-toggle=shifted]", "aria-pressed"), "true")
        number = self.add("close_seam")
        self.assertEqual(self.all("#control-layers-0-treatments-3-band")[0].get_attribute("value"), "30")
        self.assertEqual(number, 3)
        middle = self.pixels("#stage").mean(axis=2)
        columns = np.abs(np.diff(middle, axis=1))[100:-80].mean(axis=0)
        seam = len(columns) // 2
        self.assertLess(columns[seam - 3 : seam + 3].max(), 1.7 * np.median(columns[seam - 80 : seam + 80]))

    def test_a_spot_is_painted_over_and_healed_and_a_telltale_with_one_click(self):
        ground = np.random.default_rng(3).integers(110, 140, (256, 256)).astype(np.uint8)
        ground[120:136, 120:136] = 255
        piece = self.begin(ground)
        self.click("[data-toggle=telltales]")
        self.until(lambda: self.attribute("#telltales", "data-found"))
        self.assertGreaterEqual(len(self.all("[data-telltale]")), 1)
        self.changed(
            lambda: ActionChains(self.driver).move_to_element(self.find("[data-telltale='0']")).click().perform()
        )
        self.assertEqual(self.kinds(piece)[-1], "heal")
        mark = self.treatments(piece)[-1].marks[0]
        self.assertLess(np.hypot(mark.points[0][0] - 0.5, mark.points[0][1] - 0.5), 0.05)
        self.click("[data-toggle=telltales]")
        number = len(self.kinds(piece)) - 1
        self.take("brush", number)
        self.changed(lambda: self.drag(self.find("#tool .t-paper"), (50, 20)))
        marks = self.treatments(piece)[number].marks
        self.assertEqual(len(marks), 2)
        self.assertGreater(len(marks[1].points), 1)
        self.changed(lambda: self.click_unseen("[data-drop-last]"))
        self.assertEqual(len(self.treatments(piece)[number].marks), 1)

    def test_even_light_shows_what_it_took(self):
        rows = np.linspace(60, 190, 256)[None, :] + np.random.default_rng(0).integers(0, 40, (256, 256))
        self.begin(rows.astype(np.uint8))
        self.changed(lambda: self.click("[hx-post*='start-off']"))
        self.click("[data-view=light]")
        self.settled()
        picture = self.middle().mean(axis=2)
        self.assertGreater(picture[:, -40:].mean(), picture[:, :40].mean() + 0.1)


class ListTests(TreatmentTestCase):
    def test_treatments_are_moved_by_key_and_by_pointer_and_all_is_undone(self):
        piece = self.begin()
        start = self.kinds(piece)
        self.changed(lambda: self.type("[data-grip='0']", Keys.ARROW_DOWN))
        self.assertEqual(self.kinds(piece), ["soften", "levels", "invert"])
        focused = "return document.activeElement.dataset.grip"
        self.until(lambda: self.run_script(focused) == "1", "the grip keeps the focus")
        self.changed(lambda: ActionChains(self.driver).send_keys(Keys.ARROW_DOWN).perform())
        self.assertEqual(self.kinds(piece), ["soften", "invert", "levels"])
        grip, first = self.find("[data-grip='2']"), self.find("[data-grip='0']")
        up = first.rect["y"] - grip.rect["y"] - 10
        self.changed(lambda: self.drag(grip, (0, int(up))))
        self.assertEqual(self.kinds(piece), ["levels", "soften", "invert"])
        while self.find("#undo").is_enabled():
            self.changed(lambda: self.click("#undo"))
        self.assertEqual((self.kinds(piece), self.revision()), (start, "1"))

    def test_a_treatment_is_left_out_while_its_button_is_held(self):
        piece = self.begin()
        self.add("terrace")
        terraced = self.middle()
        button = self.find("[data-without$='3.on']")
        ActionChains(self.driver).move_to_element(button).click_and_hold().perform()
        self.settled()
        smooth = self.middle()
        ActionChains(self.driver).release().perform()
        self.settled()
        self.assertGreater(np.abs(smooth - terraced).mean(), 0.02)
        self.assertLess(np.abs(self.middle() - terraced).mean(), 0.004)
        self.assertEqual(self.revision(), "2")
        self.assertTrue(self.treatments(piece)[3].on)

    def test_more_duplicates_and_removes(self):
        piece = self.begin()
        for action, kinds in (
            ("duplicate", ["levels", "levels", "soften", "invert"]),
            ("remove", ["levels", "soften", "invert"]),
        ):
            self.click("#treatment-0 .more summary")
            button = self.find(f'#treatment-0 [hx-vals*=\'"action": "{action}"\']')
            self.changed(button.click)
            self.assertEqual(self.kinds(piece), kinds)

    def test_stops_of_the_tone_curve_are_added_dragged_and_taken_away(self):
        piece = self.begin()
        number = self.add("tone_curve")
        self.until(lambda: self.attribute(".curve-ground", "d"), "the histogram lies under it")
        curve = self.find(".curve")
        self.run_script("arguments[0].scrollIntoView({block: 'center'})", curve)
        before = self.middle()
        add = ActionChains(self.driver).move_to_element_with_offset(curve, 30, -40).click()
        self.changed(add.perform)
        stops = self.treatments(piece)[number].stops
        self.assertEqual(len(stops), 3)
        self.until(lambda: np.abs(self.drawn_curve() - 1 + curved_by_scipy(stops)).max() < 0.002, "drawn as computed")
        stop = lambda: self.all(".curve ellipse")[1]  # noqa: E731
        self.changed(lambda: self.drag(stop(), (-30, 60)))
        self.assertGreater(np.abs(self.middle() - before).mean(), 0.005)
        moved = self.treatments(piece)[number].stops[1]
        self.changed(lambda: stop().send_keys(Keys.ARROW_UP))
        self.assertAlmostEqual(self.treatments(piece)[number].stops[1][1], moved[1] + 0.01, places=3)
        self.changed(lambda: self.drag(stop(), (0, -220)))
        self.assertEqual(len(self.treatments(piece)[number].stops), 2)
        self.assertEqual(json.loads(self.attribute("#controls [name$='.stops']", "value")), [[0, 0], [1, 1]])

    def test_the_size_of_the_maps_is_chosen_beside_them(self):
        piece = self.begin()
        self.press("3")
        self.until(lambda: self.all("#control-maps-resolution"))
        self.settled()
        self.set_number("control-maps-resolution", "128")
        piece.refresh_from_db()
        self.assertEqual(Revision.objects.now(piece).read().main.maps.resolution, 128)

    def drawn_curve(self) -> np.ndarray:
        """How far below the top of the graph its line runs, at eleven places."""
        numbers = np.array(re.findall(r"-?[\d.]+", self.attribute(".curve-line", "d")), float).reshape(-1, 2)
        return np.interp(np.linspace(0, 1, 11), *(numbers / 100).T) if len(numbers) else np.full(11, np.nan)


def curved_by_scipy(stops) -> np.ndarray:
    """A smooth curve through three stops from 0 to 1: Fritsch & Butland 1984, as SciPy has it."""
    return PchipInterpolator(*np.array(stops).T)(np.linspace(0, 1, 11))


class CatalogueTests(BrowserTestCase):
    def test_a_surface_is_found_looked_at_turning_and_taken(self):
        self.addCleanup(setattr, HUEY, "immediate", HUEY.immediate)
        HUEY.immediate = True
        self.addCleanup(setattr, tasks, "SUPPLIER", tasks.SUPPLIER)
        tasks.SUPPLIER = Supplier(moods=False)
        self.enterContext(mock.patch.object(views, "SWATCH", 32))  # of thirty surfaces, which are only counted
        self.allow_motion()
        # the software renderer takes seconds for each frame of a large window
        self.set_window(900, 560)
        self.open("/catalogue/")
        self.assertEqual(len(self.all("#list li a")), len(TEXTURES))
        self.type("#find-word", "willow")
        self.until(lambda: len(self.all("#list li a")) == 1)
        self.click("#list li a")
        drawn = lambda: int(self.attribute("#turning", "data-drawn") or 0)  # noqa: E731
        seen = "return document.getElementById('turning').toDataURL('image/jpeg', 0.5)"
        self.until(lambda: drawn() > 1)
        first, at = self.run_script(seen), drawn()
        self.until(lambda: drawn() > at + 2)
        self.assertNotEqual(self.run_script(seen), first, "it turns")
        self.prefer("prefers-reduced-motion", "reduce")
        self.driver.refresh()
        self.until(lambda: drawn() > 0)
        self.assertGreater(self.pixels("#viewer").std(), 0.03)
        for role in ("height", "normal", "colour"):
            self.click(f"[data-show={role}]")
            self.until(lambda role=role: self.attribute("#viewer", "data-shown") == role)
            self.assertGreater(self.pixels("#map-canvas").std(), 0.02, role)
        self.click(".sizes button")
        self.until(lambda: self.all("#orders a"))
        self.click("#orders a")
        self.until(lambda: "/set/" in self.driver.current_url)
        self.assertIn("Fish basket, 512", self.text(".piece-title"))
        self.assertEqual(TextureSet.objects.get().by_role()["height"].facts.columns, 512)

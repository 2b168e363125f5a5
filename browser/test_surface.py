"""The surface step in a real browser: shapes, regions picked on the surface, the shift dragged, faces turned."""

from __future__ import annotations

import base64
import io
from typing import ClassVar

import numpy as np
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains

from browser.driver import WITH_WEBGL, BrowserTestCase
from browser.pictures import png16, waves
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.middleware import the_artist
from studio.shelf.demo import in_space
from studio.shelf.engine import get_engine
from studio.shelf.intake import keep_source
from studio.shelf.models import read_source

CHANGE = """
const [box, value] = arguments;
box.value = value;
box.dispatchEvent(new Event("change", {bubbles: true}));
"""


class SurfaceTestCase(BrowserTestCase):
    """A piece at the surface step, and the moves that all tests there make."""

    flags = WITH_WEBGL
    expected_complaints = ("GPU stall", "422")

    changes: ClassVar = {"surface.level": 2}

    def begin(self):
        source = keep_source(the_artist(), "waves-height.png", png16(waves()))
        return self.show(begin_piece(source, "Waves", self.changes))

    def show(self, piece):
        self.open(f"/piece/{piece.pk}/surface/")
        self.until(lambda: self.drawn() > 0)
        self.settled()
        return piece

    def drawn(self) -> int:
        return int(self.attribute("#solid", "data-drawn") or 0)

    def shown(self) -> np.ndarray:
        """What WebGL has drawn below the buttons: float (rows, columns, 3)."""
        script = "return document.getElementById('solid').toDataURL('image/png').split(',')[1]"
        picture = Image.open(io.BytesIO(base64.b64decode(self.run_script(script)))).convert("RGB")
        return np.asarray(picture, float)[60:] / 255

    def recipe(self, piece):
        piece.refresh_from_db()
        return Revision.objects.now(piece).read()

    def press_button(self, selector: str):
        """Presses something that makes a revision, and waits for it."""
        before = self.revision()
        self.scroll_to(selector)
        self.click_unseen(selector)
        self.until(lambda: self.revision() != before, f"{selector} did nothing")
        self.settled()

    def choose(self, selector: str, value: str):
        before = self.revision()
        self.enter(selector, value, "change")
        self.until(lambda: self.revision() != before, f"{selector} was not taken")
        self.settled()


class SurfaceTests(SurfaceTestCase):
    def click_on_surface(self, across: float, up: float):
        """Clicks at a place of the stage, from its middle in parts of its size."""
        solid = self.find("#solid")
        size = solid.size
        by = round(across * size["width"]), round(-up * size["height"])
        ActionChains(self.driver, duration=30).move_to_element_with_offset(solid, *by).click().perform()

    def test_a_cylinder_gets_a_rosette_on_its_cap_and_flutes_on_its_side_by_clicks(self):
        piece = self.begin()
        flat = self.middle()
        self.press_button("[hx-vals*='\"cylinder\"']")
        self.assertGreater(np.abs(self.middle() - flat).mean(), 0.03)
        for kind in ("rosette", "flutes"):
            self.choose("#relief-from", f"nothing:{kind}")
        self.assertEqual(sorted(self.recipe(piece).reliefs), ["flutes", "main", "rosette"])
        self.run_script("document.querySelector('[data-tool=pick]').click()")
        before = self.revision()
        self.click_on_surface(0, 0.15)
        self.until(lambda: self.revision() != before)
        self.settled()
        before = self.revision()
        self.click_on_surface(0, -0.1)
        self.until(lambda: self.revision() != before)
        self.settled()
        self.assertEqual([region.parts for region in self.recipe(piece).surface.regions], [("top cap",), ("side",)])
        plain = self.middle()
        self.choose("#carried-0", "rosette")
        self.choose("#carried-1", "flutes")
        carried = [region.relief for region in self.recipe(piece).surface.regions]
        self.assertEqual(carried, ["rosette", "flutes"])
        self.assertGreater(np.abs(self.middle() - plain).mean(), 0.01)
        # each region has a colour of its own to look at
        self.click("#overlay option[value=regions]")
        self.settled()
        rows, columns, _ = (coloured := self.pixels("#solid")).shape
        hue = coloured[..., 0] - coloured[..., 2]
        self.assertGreater(hue[: rows // 2, columns // 3 : columns * 2 // 3].max(), 0.2, "ochre on the cap")
        self.assertLess(hue[rows // 2 :, columns // 3 : columns * 2 // 3].min(), -0.1, "blue on the side")

    def test_the_shift_is_dragged_and_sizing_changes_the_repeats(self):
        piece = self.begin()
        self.press_button("[hx-vals*='\"cylinder\"']")
        told = lambda: self.text("#told-repeats")  # noqa: E731
        self.assertIn("10.5", told())
        self.press_button("[hx-vals*='\"fit\"']")
        self.assertIn("1 ×", told())  # noqa: RUF001
        before = self.middle()
        self.run_script("document.querySelector('[data-tool=shift]').click()")
        revision = self.revision()
        self.drag(self.find("#solid"), (60, 0))
        self.until(lambda: self.revision() != revision)
        self.settled()
        self.assertLess(self.recipe(piece).surface.mapping.shift_across - 0, 1)
        self.assertGreater(abs(self.recipe(piece).surface.mapping.shift_across), 0.02)
        self.assertGreater(np.abs(self.middle() - before).mean(), 0.01)
        self.click("#overlay option[value=grid]")
        self.settled()
        self.assertGreater(np.abs(self.middle() - before).mean(), 0.02, "the grid is drawn over it")

    def test_the_section_line_is_dragged_on_the_surface(self):
        self.begin()
        self.press_button(".shapes [hx-vals*=cylinder]")
        self.until(lambda: self.attribute("#solid-line g", "transform"))
        said = lambda: self.all("#solid-line g")[1].get_attribute("aria-valuetext")  # noqa: E731
        before = said()
        self.assertEqual(before, "100 % across, 50 % down")
        drawn = self.attribute("#cut-drawing .cut-line", "d")
        self.drag(self.all("#solid-line g")[1], (-40, 50))
        self.settled()
        self.until(lambda: said() != before, "the end of the line did not move")
        across, down = (int(part.split()[0]) for part in said().split(", "))
        self.assertTrue(70 < across < 100 and 50 < down < 75, said())
        self.until(lambda: self.attribute("#cut-drawing .cut-line", "d") != drawn)

    def test_reversed_faces_are_seen_and_turned_outward(self):
        source = keep_source(the_artist(), in_space.BOLLARD_FILE, in_space.bollard_file())
        recipe = in_space.bollard(read_source, get_engine(), source.reference)
        piece = self.show(Revision.objects.keep_first(the_artist(), "Bollard", recipe))
        self.click("#overlay option[value=reversed]")
        self.settled()

        def tinted() -> float:
            picture = self.pixels("#solid")
            return float(((picture[..., 0] - picture[..., 1]) > 0.2).mean())

        def head_without_overlay() -> float:
            """How bright the head is: it was in its own shadow where its faces were seen from behind."""
            self.click("#overlay option[value='']")
            self.until(lambda: tinted() < 0.006)
            return float(self.shown()[head].mean())

        self.assertGreater(tinted(), 0.02, "the head is tinted")
        view = self.shown()
        head = view[..., 0] - view[..., 1] > 0.2
        reversed_head = head_without_overlay()
        self.click("#overlay option[value=reversed]")
        self.until(lambda: tinted() > 0.02)
        self.press_button(".mends [hx-vals*='outward']")
        self.until(lambda: tinted() < 0.006, "but for the section line no face is seen from behind any more")
        self.assertTrue(self.recipe(piece).surface.shape.outward)
        self.assertAlmostEqual(reversed_head / head_without_overlay(), 1, delta=0.1)

    def test_the_surface_is_raised_by_hand_and_lengths_are_typed_in_metres(self):
        piece = self.begin()
        self.choose("[name='surface.unit']", "m")
        self.run_script("document.querySelector('[data-fold=base-form]').open = true")
        self.run_script("document.querySelector('[data-tool=raise]').click()")
        before = self.revision()
        self.drag(self.find("#solid"), (0, -60))
        self.until(lambda: self.revision() != before)
        self.settled()
        (handle,) = self.recipe(piece).surface.form.handles
        self.assertGreater(handle.raised, 5)
        box = self.find("[name='surface.shape.width@m']")
        before = self.revision()
        self.run_script(CHANGE, box, "2")
        self.until(lambda: self.revision() != before)
        self.assertEqual(self.recipe(piece).surface.shape.width, 2000)


class FigureTests(SurfaceTestCase):
    changes: ClassVar = {"surface.level": 0, "footprint.width": 1200}

    def test_a_person_beside_it_is_seen_from_head_to_foot(self):
        self.begin()
        self.press_button("[hx-vals*='\"box\"']")
        self.settled()
        alone = self.shown()
        self.click_unseen("[data-toggle=figure]")
        self.until(lambda: np.abs(self.shown() - alone).max() > 0.2)
        self.assertIn("a person", self.text("#figure"))
        view = self.shown()
        person = (view[..., 2] - view[..., 0] > 0.08) & (view.mean(axis=2) < 0.25)  # the only dark blue
        rows, columns = np.nonzero(person)
        self.assertGreater(person.sum(), 2000)
        self.assertTrue(0 < rows.min() < rows.max() < 0.98 * len(view), (rows.min(), rows.max()))
        self.assertTrue(0.02 * view.shape[1] < columns.min() < columns.max() < 0.98 * view.shape[1])


class RestTests(SurfaceTestCase):
    """A view at rest is refined, and any change ends that."""

    density = 1

    def setUp(self):
        super().setUp()
        self.set_window(800, 560)  # each of many frames takes the software renderer as long as it has pixels

    def refined(self) -> bool:
        return self.attribute("#solid", "data-refined") == self.attribute("#solid", "data-drawn")

    def steepest_at_outline(self, view: np.ndarray, ground: np.ndarray) -> float:
        """The largest step between neighbours at the left outline of what is drawn, in the mean of all rows."""
        away = np.abs(view - ground).max(axis=2)
        rows = np.flatnonzero((away > 0.08).any(axis=1))
        first = (away[rows] > 0.08).argmax(axis=1)
        near = [away[row, max(0, at - 3) : at + 3] for row, at in zip(rows, first, strict=True)]
        return float(np.mean([np.abs(np.diff(each)).max() for each in near if len(each) > 1]))

    def test_a_view_at_rest_gets_smooth_edges_and_keeps_its_light(self):
        """At the outline no pixel jumps from ground to surface any more, as it does where each is sampled once; and the
        light of the sky, now from many directions, adds up to what it was (common practice, no source for 5 %).
        """
        self.allow_motion()
        piece = self.begin()
        self.click("[data-toggle=refined]")
        self.until(lambda: self.attribute("#solid", "data-refined") == "")
        at = self.drawn()
        self.click("[data-camera=three-quarter]")
        self.until(lambda: self.drawn() > at)
        quick = self.shown()
        self.click("[data-toggle=refined]")
        self.until(self.refined, "it was not refined")
        smooth = self.shown()
        ground = quick[-1, -1]
        inside = [np.abs(view - ground).max(axis=2) > 0.08 for view in (quick, smooth)]
        self.assertAlmostEqual(smooth[inside[0]].mean() / quick[inside[0]].mean(), 1, delta=0.05)
        self.assertLess(self.steepest_at_outline(smooth, ground), 0.75 * self.steepest_at_outline(quick, ground))
        at = self.drawn()
        self.click("[data-camera=along]")
        self.until(lambda: self.drawn() > at)
        self.until(self.refined, "it was not refined again")
        self.assertEqual(self.recipe(piece), Revision.objects.filter(piece=piece).earliest("number").read())

    def test_four_ways_are_refined_each_in_its_own_part(self):
        self.allow_motion()
        self.begin()
        self.click("[data-view=ways]")
        self.until(lambda: self.find("#ways").is_displayed())
        self.until(self.refined, "they were not refined")
        view = self.shown()
        rows, columns = (side // 2 for side in view.shape[:2])
        parts = [view[:rows, :columns], view[:rows, columns:], view[rows:, :columns], view[rows:, columns:]]
        for part in parts:
            self.assertGreater(part.std(), 0.03, "each part shows something")

"""In the browser: single texels with their values, four ways at once, light and material, proofs side by side."""

from __future__ import annotations

import re

import numpy as np
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from browser.driver import BrowserTestCase
from browser.pictures import png16, waves
from relief.recipe import map_edits
from relief.run.pipeline import Pipeline
from studio.bench.beginning import begin_piece
from studio.bench.models import KeptView, Proof, Revision
from studio.middleware import the_artist
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece, read_source


class LookingTests(BrowserTestCase):
    density = 1

    def begin(self, step: str, heights=None, **changes) -> Piece:
        source = keep_source(the_artist(), "waves-height.png", png16(waves() if heights is None else heights))
        piece = begin_piece(source, "Waves", {"surface.level": 3} | changes)
        self.open(f"/piece/{piece.pk}/{step}/")
        self.settled()
        return piece

    def choose(self, selector: str, value: str):
        """Sets a slider or a list as a hand does, and lets it be known."""
        self.enter(selector, value, "input")

    def pipeline(self, piece: Piece) -> Pipeline:
        piece.refresh_from_db()
        return Pipeline.of(Revision.objects.now(piece).read(), read_source)

    def zoomed(self, wheel: int, place: tuple[int, int]):
        """Turns the wheel over a place of the stage, from its middle."""
        stage = self.find("#flat")
        box = stage.rect
        self.run_script(
            "arguments[0].dispatchEvent(new WheelEvent('wheel', {deltaY: arguments[1], clientX: arguments[2], "
            "clientY: arguments[3], bubbles: true, cancelable: true}))",
            stage, -wheel, box["x"] + box["width"] / 2 + place[0], box["y"] + box["height"] / 2 + place[1],
        )  # fmt: skip

    def read_at(self, place: tuple[int, int]) -> dict[str, str]:
        """What is said of the place under the pointer."""
        ActionChains(self.driver).move_to_element_with_offset(self.find("#flat"), place[0] - 3, place[1] - 3).perform()
        ActionChains(self.driver).move_to_element_with_offset(self.find("#flat"), *place).perform()
        self.until(lambda: self.find("#value").is_displayed())
        seen = None
        while seen != (seen := self.run_script("return {...document.getElementById('value').dataset}")):
            self.until(lambda: True)
        return seen

    def test_the_value_under_the_pointer_is_the_computed_one(self):
        """Four waves each way over 256 texels, so all is known: differences of a sine are a cosine times sin(turn).

        Kept to 16 bits the samples are up to 7.6e-6 off; texels are 100/256 mm wide and 60/256 mm high.
        """
        self.begin("maps", **{"footprint.width": 100, "footprint.height": 60, "amplitude": 12, "midlevel": 0.4})
        said = self.read_at((70, 55))
        turn = 2 * np.pi * 4 / 256
        column, row = turn * int(said["column"]), turn * int(said["row"])
        distance = 12 * (0.5 + 0.25 * (np.sin(column) + np.sin(row)) - 0.4)
        across, down = (12 * 0.25 * np.sin(turn) * np.cos(at) / (side / 256) for at, side in ((column, 100), (row, 60)))
        normal = np.array([-across, down, 1]) / np.sqrt(1 + across**2 + down**2)
        self.assertAlmostEqual(float(said["distance"]), distance, delta=2e-4)
        self.assertAlmostEqual(float(said["slope"]), np.degrees(np.arccos(normal[2])), delta=0.03)
        np.testing.assert_allclose([float(part) for part in said["normal"].split(",")], normal, atol=5e-4)
        levels = re.search(r"R (\d+) G (\d+) B (\d+)", self.text("#value")).groups()
        np.testing.assert_allclose([int(level) for level in levels], (normal / 2 + 0.5) * 255, atol=0.6)
        self.assertIn(f"slope {float(said['slope']):.1f}°", self.text("#value"))

    def test_down_to_single_texels_of_a_map_larger_than_the_stage(self):
        """A checked map of 3000 texels: near to, the stage asks for the part it shows and draws square texels."""
        checks = np.indices((3000, 3000)).sum(axis=0) % 2 * 0.5 + 0.25
        self.begin("maps", checks, amplitude=5)
        self.click("[data-view=displacement]")
        self.settled()
        self.zoomed(4000, (0, -40))
        self.until(lambda: self.attribute("#flat", "data-near"))
        self.settled()
        near = self.pixels("#flat")[200:260, 300:400, 0]
        dark, light = (near < 0.4).mean(), (near > 0.6).mean()
        self.assertTrue(0.3 < dark < 0.7 and 0.3 < light < 0.7, (dark, light))
        self.assertIn("grey", self.read_at((0, -40)) and self.text("#value"))
        self.press("0")
        self.until(lambda: self.attribute("#flat", "data-zoom") == "1.00")

    def test_four_ways_are_alike_from_above_and_differ_along_the_surface(self):
        self.begin("surface", **{"footprint.width": 100, "footprint.height": 100, "amplitude": 12})
        self.until(lambda: self.attribute("#solid", "data-drawn"))
        self.click("[data-view=ways]")
        self.until(lambda: self.find("#ways").is_displayed())
        self.settled()
        self.run_script("document.querySelector('#lamp').hidden = true")
        self.choose("#tilt", "0")
        self.settled()
        above = self.ways()
        for pane in above:
            self.assertGreater(pane.std(), 0.05, "a way is blank")
        self.choose("#tilt", "80")
        self.settled()
        along = self.ways()
        bump, normal, displaced, both = along
        self.assertGreater(np.abs(bump - displaced).mean(), 0.02, "only geometry has an outline")
        self.assertGreater(np.abs(normal - both).mean(), 0.02)
        self.click("[data-camera=front]")
        self.until(lambda: self.attribute("#tilt", "value") == "0", "the box says where the camera stands")
        # a flat surface seen along it stays as narrow as it is; a displaced one stands out above and below
        self.assertGreater(self.covered(displaced), self.covered(bump) * 1.15)

    def test_large_ground_is_seen_from_a_hill_under_a_sky_and_the_view_is_kept(self):
        self.begin("surface", **{"footprint.width": 10_000, "footprint.height": 10_000, "amplitude": 600})
        self.until(lambda: self.attribute("#solid", "data-drawn"))
        self.until(lambda: self.find("[data-camera=hill]").is_displayed())
        self.click("[data-camera=hill]")
        self.settled()
        # of what is free of buttons: the sky at the right, and the ground far below the horizon
        sky, ground = (
            self.pixels("#solid")[rows, 300:500].mean(axis=(0, 1)) for rows in (slice(100, 110), slice(-130, -110))
        )
        self.assertGreater(sky[2], sky[0] + 0.03, "the sky is blue")
        self.assertLess(abs(ground[2] - ground[0]), 0.08, "the ground is not")
        self.run_script("document.getElementById('stage-more').open = true")
        self.until(lambda: self.find("#keep-view input").is_displayed())
        self.type("#keep-view input", "From the hill")
        self.click("#keep-view button")
        self.until(lambda: KeptView.objects.exists())
        view = KeptView.objects.get()
        self.assertLess(view.camera[1], -5000, "it stands before the lower edge")
        self.assertAlmostEqual(view.look_at[1], 1000, delta=1)

    def test_small_relief_has_no_horizon(self):
        self.begin("surface")
        self.until(lambda: self.attribute("#solid", "data-drawn"))
        self.assertFalse(self.find("[data-camera=hill]").is_displayed())

    def ways(self) -> list[np.ndarray]:
        """The lower part of each pane, clear of buttons: flat with bump and normal map, displaced without and with."""
        whole = self.pixels("#solid").mean(axis=2)
        rows, columns = whole.shape[0] // 2, whole.shape[1] // 2
        panes = [whole[top : top + rows, left : left + columns] for top in (0, rows) for left in (0, columns)]
        return [pane[int(rows * 0.34) : int(rows * 0.7), int(columns * 0.1) : int(columns * 0.9)] for pane in panes]

    def covered(self, pane: np.ndarray) -> float:
        """The part of a pane that shows the surface rather than the stage behind it."""
        return float((np.abs(pane - pane[0, 0]) > 0.02).mean())

    def test_shadows_are_cast_and_the_light_is_moved_without_asking_again(self):
        """By raking light waves shadow each other; by light from straight above none is cast."""
        self.begin("relief", **{"footprint.width": 100, "footprint.height": 60, "amplitude": 30})
        self.press("l")
        slopes_only = self.middle()
        self.click("[data-toggle=shadowed]")
        self.until(lambda: self.attribute("#flat", "data-shaded"), "no shadows came")
        self.settled()
        shadowed = self.middle()
        self.assertLess(shadowed.mean(), 0.9 * slopes_only.mean())
        # what faces the light before nothing else is as bright as it was
        self.assertAlmostEqual(np.percentile(shadowed, 99.5), np.percentile(slopes_only, 99.5), delta=0.1)
        asked = "return performance.getEntriesByType('resource').length"
        before = self.run_script(asked)
        self.press("l")
        sky_above = self.middle()
        self.assertGreater(np.abs(sky_above - shadowed).mean(), 0.02, "the light was moved")
        self.assertEqual(self.run_script(asked), before, "nothing was asked for")
        self.click("[data-toggle=shadowed]")
        self.assertGreater(
            np.abs(self.middle() - sky_above).mean(), 0.01, "without them nothing is hidden or lit by it"
        )

    def test_light_and_material_are_for_looking_only(self):
        piece = self.begin("relief")
        self.run_script("document.querySelector('#lamp').open = true")
        before = first_look = self.middle()
        revision = self.revision()
        chosen = {"[data-lamp=strength]": "0.3", "[data-lamp=warm]": "1", "[data-material=kind]": "black"}
        for selector, value in chosen.items():
            self.choose(selector, value)
            changed = self.middle()
            self.assertGreater(np.abs(changed - before).mean(), 0.01, selector)
            before = changed
        self.assertLess(self.middle().mean(), 0.2, "black shows highlights only")
        self.drag(self.find(".lamp .slider"), (-60, 0))
        self.assertLess(float(self.attribute("#lamp-strength", "value")), 0.3, "the box follows its slider")
        for typed, taken in (("7", "2"), ("", "1")):
            box = self.find("#lamp-strength")
            self.run_script("arguments[0].select()", box)
            box.send_keys(typed or Keys.DELETE, Keys.ENTER)
            self.assertEqual(box.get_attribute("value"), taken)
        self.click("[data-raking]")
        self.assertIn("13° high", self.attribute("#dome", "aria-valuetext"))
        self.click("[data-plainly]")
        self.assertLess(np.abs(self.middle() - first_look).mean(), 0.005, "all is as it was at first")
        self.click("[data-lamp=sweep]")
        first = self.attribute("#dome", "aria-valuenow")
        self.until(lambda: self.attribute("#dome", "aria-valuenow") != first)
        self.drag(self.find("#dome"), (10, 8))
        self.assertFalse(self.find("[data-lamp=sweep]").is_selected())
        self.assertEqual(self.revision(), revision)
        piece.refresh_from_db()
        self.assertEqual(piece.position, 1)

    def test_the_test_card_shows_a_strength_turned_around(self):
        self.begin("maps")
        self.click("[data-view=shaded]")
        self.choose("#card", "in")
        self.settled()
        upright = self.dome()
        self.set_number("control-maps-normal-strength", "-1")
        self.settled()
        self.assertGreater(upright, 0.15, "the dome is lit from the upper left")
        self.assertLess(self.dome(), -0.15)
        self.choose("#card", "beside")
        self.settled()
        self.assertEqual([name.text for name in self.all("#pane-names span")], ["now", "test card"])

    def dome(self) -> float:
        """How much lighter the dome of the test card is in its upper left than in its lower right."""
        picture = self.pixels("#flat").mean(axis=2)
        rows, columns = picture.shape
        side = min(rows, columns) - 28
        top, left = (rows - side) // 2, (columns - side) // 2

        def brightness(part: float) -> float:
            row, column = top + int(part * side), left + int(part * side)
            return float(picture[row - 4 : row + 4, column - 4 : column + 4].mean())

        return brightness(0.17) - brightness(0.33)

    def test_proofs_side_by_side_and_one_inside_a_rectangle(self):
        self.begin("maps")
        self.click("[data-view=shaded]")
        self.until(lambda: self.find("#keep-proof").is_displayed())
        for kept, strength in enumerate(("3", "-2")):
            self.press("p")
            self.until(lambda kept=kept: len(self.all("[data-proof]")) == kept + 1)
            self.set_number("control-maps-normal-strength", strength)
        self.press("p")
        self.until(lambda: len(self.all("[data-proof]")) == 3)
        for button in range(3):
            self.all("[data-beside]")[button].click()
        self.settled()
        self.until(lambda: len(self.all("#pane-names span")) == 4)
        whole = self.pixels("#flat").mean(axis=2)
        rows, columns = whole.shape[0] // 2, whole.shape[1] // 2
        panes = [
            whole[top + 150 : top + 200, left + 100 : left + 240] for top in (0, rows) for left in (0, columns + 1)
        ]
        self.assertLess(np.abs(panes[0] - panes[1]).mean(), 0.01, "the last proof is the piece as it stands")
        self.assertGreater(np.abs(panes[0] - panes[3]).mean(), 0.05)
        self.click("[data-compare-end]")
        self.settled()
        alone = self.pixels("#flat")
        self.all("[data-compare]")[2].click()
        self.click("[data-how=rectangle]")
        self.settled()
        both = self.pixels("#flat")
        rows, columns = both.shape[:2]
        outside = slice(int(rows * 0.3), int(rows * 0.45)), slice(int(columns * 0.2), int(columns * 0.29))
        inside = slice(int(rows * 0.3), int(rows * 0.45)), slice(int(columns * 0.36), int(columns * 0.6))
        self.assertLess(np.abs(both[outside] - alone[outside]).mean(), 0.01)
        self.assertGreater(np.abs(both[inside] - alone[inside]).mean(), 0.05)
        # two proofs are compared with each other: what was kept last is the piece as it stands
        others = [option.get_attribute("value") for option in self.all("#compare-with option")]
        self.assertEqual(others, ["", "3", "2"])
        self.choose("#compare-with", "2")
        self.settled()
        self.until(lambda: "Strength 1 to 3" in self.text("#differences li"))
        self.assertGreater(np.abs(self.pixels("#flat")[outside] - alone[outside]).mean(), 0.02)
        self.choose("#compare-with", "")
        self.settled()
        # another rectangle is drawn right of it
        self.drag(self.find(".window-edge"), (120, 0))
        moved = self.pixels("#flat")
        left = slice(int(rows * 0.3), int(rows * 0.45)), slice(int(columns * 0.36), int(columns * 0.45))
        self.assertLess(np.abs(moved[left] - alone[left]).mean(), 0.01)

    def test_a_proof_that_is_older_than_a_map_is_shown_lit_beside_it(self):
        piece = self.begin("maps")
        self.until(lambda: self.find("#keep-proof").is_displayed())
        self.press("p")
        self.until(lambda: self.all("[data-proof]"))
        Revision.objects.edit_relief(piece, 1, lambda relief: map_edits.add_map(relief, "slope"))
        self.open(f"/piece/{piece.pk}/maps/")
        self.settled()
        self.click("button[data-view=more-0]")
        self.until(lambda: self.all("[data-beside]"))
        self.click("[data-beside]")
        self.until(lambda: len(self.all("#pane-names span")) == 2)
        self.assertFalse(self.find("#stage-message").is_displayed())

    def test_a_name_is_typed_without_its_letters_doing_anything_else(self):
        piece = self.begin("maps")
        self.until(lambda: self.find("#keep-proof").is_displayed())
        self.press("p")
        self.until(lambda: self.all(".proof-name"))
        name = self.find(".proof-name")
        self.run_script("arguments[0].select()", name)
        name.send_keys("full p, 5 x taller[", "\n")
        self.until(lambda: Proof.objects.get(revision__piece=piece).name == "full p, 5 x taller[")
        self.assertEqual((self.revision(), len(self.all("[data-proof]"))), ("1", 1))
        self.assertIn("/maps/", self.driver.current_url)
        self.assertTrue(self.find("#controls").is_displayed())

    def test_a_finding_is_set_aside_and_shown_again(self):
        self.begin("relief", midlevel=0.2)
        self.until(lambda: self.all("[data-finding=swell]"))
        self.click("[data-finding=swell] [hx-post$=set-aside]")
        self.until(lambda: not self.all("[data-finding=swell]"))
        self.assertIn("swell", self.text(".aside"))
        self.click(".aside button")
        self.until(lambda: self.all("[data-finding=swell]"))

    def test_a_trial_sheet_says_how_far_it_is(self):
        self.begin("maps")
        self.until(lambda: self.find("#open-trial").is_displayed())
        self.click("#open-trial")
        self.until(lambda: self.all(".trial-form .button"))
        self.click(".trial-form .button")
        self.until(lambda: self.text("#trial-progress").startswith("5 made"))
        self.assertFalse(self.find("#trial-progress button").is_displayed())

    def test_the_histogram_counts_what_is_drawn(self):
        self.begin("maps", np.where(waves() > 0.5, 0.75, 0.25))
        self.click("[data-view=displacement]")
        self.settled()
        self.click("[data-toggle=counted]")
        self.until(lambda: self.find("#tones").is_displayed())
        self.assertEqual(self.attribute("#tones", "data-used"), "2")
        self.click("[data-view=normal]")
        self.until(lambda: len(self.all("#tones path")) == 3)
        self.click("[data-channel=green]")
        self.until(lambda: len(self.all("#tones path")) == 1, "a channel alone is counted alone")

    def test_the_stage_fills_the_screen_and_gives_it_back(self):
        self.begin("maps")
        width = self.find("#stage").rect["width"]
        self.click("[data-fill]")
        self.until(lambda: self.find("#stage").rect["width"] > width + 300)
        self.assertFalse(self.find("#controls").is_displayed())
        self.click("[data-fill]")
        self.until(lambda: self.find("#controls").is_displayed())

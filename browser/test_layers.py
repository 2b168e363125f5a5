"""A sand court built from nothing in the browser: noise, pattern, a net in sand, imprints, and a bank by hand."""

from __future__ import annotations

import numpy as np
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from browser.test_treatments import TreatmentTestCase
from relief.compose.strokes import Stroke
from studio.bench.models import Revision
from studio.shelf.models import Piece, read_source


class SandCourtTests(TreatmentTestCase):
    density = 1

    def choose(self, kind: str) -> None:
        """Takes a kind of layer from the gallery."""
        self.click("#open-gallery")
        self.until(lambda: self.find("#gallery").is_displayed())
        self.changed(lambda: self.click_unseen(f"#gallery [data-kind={kind}]"))

    def set_choice(self, path: str, value: str) -> None:
        self.changed(lambda: self.click(f"#controls select[name='{path}'] [value={value}]"))

    def recipe(self):
        piece = Piece.objects.latest("pk")
        return Revision.objects.now(piece).read()

    def hand(self, tool: str) -> None:
        self.click_unseen(f"[data-tool={tool}]")
        self.until(lambda: self.find("#tool").is_displayed())
        self.settled()

    def test_the_court_is_built_undone_and_redone(self):
        self.open("/")
        self.click(".from-nothing [value=waves]")
        self.until(lambda: "/relief/" in self.driver.current_url)
        self.settled()
        raked = self.middle()
        self.choose("gradient_noise")
        self.assertEqual(len(self.all("#layer-list .layer")), 2)
        self.assertGreater(np.abs(self.middle() - raked).mean(), 0.005)
        self.until(
            lambda: all(part.get_attribute("d") for part in self.all("[data-profile] path")), "each row has its section"
        )

        # a net over the sand: taller wins, its offset dragged on the section
        self.choose("net")
        self.set_choice("layers.2.blend", "taller")
        buried = self.middle()
        self.until(lambda: self.find("#offset-handle").is_displayed())
        self.changed(lambda: self.drag(self.find("#offset-handle"), (0, -30)))
        self.assertGreater(self.recipe().main.layers[2].offset, 0.2)
        self.assertGreater(np.abs(self.middle() - buried).mean(), 0.01, "the net comes out of the sand")
        self.changed(lambda: self.type("#offset-handle", Keys.ARROW_DOWN))
        self.click("[data-view=seen]")
        self.settled()
        colours = self.middle()
        self.assertTrue(
            ((colours[..., 0] > colours[..., 2]).mean() > 0.02) and ((colours[..., 2] > colours[..., 0]).mean() > 0.02)
        )
        self.click("[data-view=lit]")
        self.settled()

        # shells pressed in: one by a click, others scattered
        self.choose("imprints")
        before = self.middle()
        self.hand("places")
        click = ActionChains(self.driver).move_to_element_with_offset(self.find("#stage"), 20, 60).click()
        self.changed(click.perform)
        self.assertEqual(len(self.recipe().main.layers[3].content.places), 1)
        self.changed(lambda: self.handle("Imprint 1").send_keys(Keys.ARROW_RIGHT))
        self.press(Keys.ESCAPE)
        self.settled()
        self.set_number("control-layers-3-content-count", "25")
        self.settled()
        self.assertGreater(np.abs(self.middle() - before).mean(), 0.003)

        # a bank raised by hand, live under the pointer
        self.choose("strokes")
        self.hand("strokes")
        number = self.revision()
        stage = self.find("#stage")
        drawing = ActionChains(self.driver, duration=60).move_to_element_with_offset(stage, -120, 60).click_and_hold()
        drawing.move_by_offset(80, 20).move_by_offset(80, -10).move_by_offset(60, 20).perform()
        self.until(lambda: "before this change" in self.text("#section-note"), "it is seen while it is drawn")
        self.assertEqual(self.revision(), number)
        self.changed(lambda: ActionChains(self.driver).release().perform())
        digest = self.recipe().main.layers[4].content.strokes[0]
        self.assertGreater(len(Stroke.read(read_source(digest)).points), 2)
        self.press(Keys.ESCAPE)
        self.settled()

        # all of it undone and redone
        done, steps = self.recipe(), 0
        finished = self.middle()
        while self.find("#undo").is_enabled():
            self.revised(lambda: self.click("#undo"))
            steps += 1
        self.settled()
        self.assertEqual(len(self.recipe().main.layers), 1)
        self.until(lambda: np.abs(self.middle() - raked).mean() < 0.004, "as it was raked")
        for _ in range(steps):
            self.revised(lambda: self.click("#redo"))
        self.settled()
        self.assertEqual(self.recipe(), done)
        self.until(lambda: np.abs(self.middle() - finished).mean() < 0.004, "as it was finished")

    def test_the_list_the_gallery_and_one_layer_alone(self):
        self.open("/")
        self.click(".from-nothing [value=courses]")
        self.until(lambda: "/relief/" in self.driver.current_url)
        self.settled()
        bricks = self.middle()
        self.click("#open-gallery")
        self.until(lambda: self.find("#gallery").is_displayed())
        ActionChains(self.driver).move_to_element(self.find("#gallery-title")).perform()
        self.run_script("document.querySelector('#gallery [data-kind=dots]').focus()")
        self.until(lambda: np.abs(self.middle() - bricks).mean() > 0.01, "resting on one tries it")
        ActionChains(self.driver).send_keys(Keys.ARROW_RIGHT).perform()
        self.assertEqual(self.run_script("return document.activeElement.dataset.kind"), "flutes")
        self.press(Keys.ESCAPE)
        self.until(lambda: np.abs(self.middle() - bricks).mean() < 0.004, "and leaving takes it away again")
        self.choose("dots")
        self.click(".layer[data-layer='1'] .more summary")
        self.click("[data-alone='1']")
        self.settled()
        alone = self.middle()
        self.assertGreater(np.abs(alone - bricks).mean(), 0.01)
        self.click(".layer[data-layer='1'] .more summary")
        self.click("[data-alone='1']")
        self.settled()
        self.changed(lambda: self.type("[data-layer-grip='1']", Keys.ARROW_DOWN))
        self.assertEqual([layer.name for layer in self.recipe().main.layers], ["Dots", "Courses"])
        self.click(".layer[data-layer='0'] .more summary")
        self.click("[data-rename='0']")
        self.changed(lambda: self.type(".naming", "Studs\n"))
        self.assertEqual(self.recipe().main.layers[0].name, "Studs")

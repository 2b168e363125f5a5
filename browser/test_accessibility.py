"""Every page passes axe-core's WCAG 2 A and AA rules, in the light and the dark theme."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from browser.driver import BrowserTestCase
from browser.pictures import png16, waves
from relief.maps import COMPANION_MAPS
from relief.maps.packing import PRESETS
from relief.recipe import layer_edits, map_edits, treatment_edits
from studio.bench.beginning import begin_piece
from studio.bench.models import Proof, Revision
from studio.bench.pages.steps import BY_NAME
from studio.middleware import the_artist
from studio.recipes.models import Series, SeriesItem
from studio.shelf.intake import keep_source
from studio.shelf.models import Piece
from studio.shelf.series import put_together
from studio.shelf.sets import gather_sets
from studio.shelf.tests.case import set_files

AXE = (Path(__file__).parent / "vendor" / "axe-core" / "axe.min.js").read_text()
RULES = {
    "light": {"runOnly": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]},
    # the dark theme differs in its colours alone
    "dark": {"runOnly": {"type": "rule", "values": ["color-contrast"]}},
}


class AccessibilityTests(BrowserTestCase):
    density = 1

    def check(self, page: str) -> None:
        """Runs the rules over the page as it stands, in the light theme, and those about colours in the dark one."""
        self.run_script(AXE)
        script = "axe.run(document, arguments[0]).then(found => arguments[1](found.violations))"
        for theme, rules in RULES.items():
            self.prefer("prefers-color-scheme", theme)
            found = self.driver.execute_async_script(script, rules)
            told = [f"{item['id']}: {item['nodes'][0]['html'][:120]}" for item in found]
            self.assertEqual(told, [], f"{page}, {theme}")

    def test_no_page_breaks_a_rule_in_either_theme(self):
        source = keep_source(the_artist(), "waves-height.png", png16(waves()))
        piece = begin_piece(source, "Waves", {"surface.level": 1})
        for number, kind in enumerate(("crop", "tone_curve", "straighten", "heal", "close_seam"), start=1):
            Revision.objects.edit_relief(piece, number, partial(treatment_edits.add_treatment, kind=kind))
        for kind in ("cellular_noise", "imprints", "strokes"):
            Revision.objects.edit_relief(piece, piece.position, partial(layer_edits.add_layer, kind=kind))
        for kind in COMPANION_MAPS:
            Revision.objects.edit_relief(piece, piece.position, partial(map_edits.add_map, kind=kind))
        for preset in PRESETS:
            Revision.objects.edit_relief(piece, piece.position, partial(map_edits.add_pack, preset=preset))
        Proof.objects.create(revision=Revision.objects.now(piece), name="Calm water")
        Piece.objects.update(guide="Drag this, watch that.")
        sets, _ = gather_sets([keep_source(the_artist(), *file) for file in set_files().items()])
        pages = ("/", f"/source/{source.pk}/", f"/set/{sets[0].pk}/", "/catalogue/", "/catalogue/limewash/")
        shots = [keep_source(the_artist(), f"shot-{number}.png", png16(waves() / number)) for number in (1, 2, 3)]
        pages += (f"/series/{put_together(shots).pk}/", "/rig/", "/recipes/")
        many = Series.objects.create(owner=the_artist(), name="Waves", recipe=Revision.objects.now(piece).recipe)
        for state in SeriesItem.State.values:
            many.items.create(number=many.items.count(), name=f"a-{state}", state=state, message="Why.")
        pages += (f"/recipes/series/{many.pk}/",)
        for page in pages:
            self.open(page)
            self.check(page)
        for name in BY_NAME:
            self.open(f"/piece/{piece.pk}/{name}/")
            self.settled()
            self.until(lambda: self.all("#measured dl"))
            self.run_script("for (const part of document.querySelectorAll('details')) part.open = true")
            self.check(name)
        self.open(f"/piece/{piece.pk}/surface/")
        self.settled()
        self.click("[data-view=ways]")
        self.until(lambda: self.find("#ways").is_displayed())
        self.check("four ways")
        self.open(f"/piece/{piece.pk}/maps/")
        self.until(lambda: self.all("[data-beside]"))
        for compared in ("beside", "compare"):
            self.click(f"[data-{compared}]")
            self.settled()
            self.check("a proof compared")
        self.click("[data-how=rectangle]")
        self.check("a rectangle")
        self.click("[data-compare-end]")
        self.until(lambda: self.find("#open-trial").is_displayed())
        self.click("#open-trial")
        self.until(lambda: self.all(".trial-form .button"))
        self.click(".trial-form .button")
        self.until(lambda: self.all("#trial img"))
        self.check("a trial sheet")
        for layer in range(4):
            self.open(f"/piece/{piece.pk}/relief/?layer={layer}")
            self.settled()
            self.check(f"layer {layer}")
        self.click("#open-gallery")
        self.until(lambda: self.find("#gallery").is_displayed())
        self.check("the gallery")

    def test_nothing_is_cut_off_from_1024_to_2560(self):
        source = keep_source(the_artist(), "waves-height.png", png16(waves()))
        piece = begin_piece(source, "A piece with a rather long title that has to give way", {"surface.level": 1})
        for number, kind in enumerate(("soften_between_edges", "crop", "heal"), start=1):
            Revision.objects.edit_relief(piece, number, partial(treatment_edits.add_treatment, kind=kind))
        for width, height in ((1024, 700), (1280, 800), (2560, 1400)):
            self.set_window(width, height)
            for name in BY_NAME:
                self.open(f"/piece/{piece.pk}/{name}/")
                wide = self.run_script(
                    "return ['.topbar', '#controls', '#section'].filter(name => {"
                    "const part = document.querySelector(name); return part.scrollWidth > part.clientWidth + 1 })"
                )
                self.assertEqual(wide, [], f"{name} at {width}")
                history = self.find("#history").rect
                self.assertLessEqual(history["x"] + history["width"], width)

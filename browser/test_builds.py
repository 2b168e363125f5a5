"""Final builds and stills in a real browser, by a worker of their own: watched, cancelled, run again, downloaded."""

from __future__ import annotations

import threading
from unittest import mock

import numpy as np
import trimesh
from django.db import connection
from selenium.common.exceptions import (
    MoveTargetOutOfBoundsException,
    NoSuchElementException,
    StaleElementReferenceException,
)

from browser.test_surface import SurfaceTestCase
from relief.deliver.stills import read_first
from studio.background.carrying import carry_out_once
from studio.deliveries import stills
from studio.deliveries.models import Build, Still


def in_a_thread(label: str, pk: int) -> None:
    """Carries work out as the worker does: beside the server, the heavy part in a process of its own."""

    def carry():
        carry_out_once(label, pk)
        connection.close()

    threading.Thread(target=carry, daemon=True).start()


class BuildTests(SurfaceTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch("studio.background.tasks.carry_out", in_a_thread))

    def start_build(self):
        self.scroll_to("#build-final")
        self.click("#build-final")

    def test_a_build_is_watched_cancelled_run_again_and_downloaded(self):
        piece = self.begin()
        self.choose('[name="delivery.mesh_format"]', "ply")
        self.press_button(""".levels [hx-vals='{"surface.final_level": 6}']""")
        self.until(lambda: "1 048 576" in self.text("#build-forecast"))
        self.start_build()
        self.until(lambda: self.all("#build-list progress"))
        self.until(lambda: "Waiting" not in self.text("#build-list [role=status]"), "no stage was told")
        self.click("#build-list [hx-post*='cancel']")
        self.until(lambda: "Cancelled" in self.text("#build-list"))
        self.until(lambda: not any("(carry)" in thread.name for thread in threading.enumerate()), "it goes on")
        self.assertFalse(list(Build.objects.get().folder.glob("*")), "nothing is left of it")

        self.press_button(""".levels [hx-vals='{"surface.final_level": 3}']""")
        self.until(lambda: "16 384" in self.text("#build-forecast"))
        self.start_build()
        self.until(lambda: self.all("#build-list [data-state=done]"), "it was not built again")
        self.click("#build-list a[download]")
        self.until(lambda: any(place.stat().st_size for place in self.downloads.glob("*.ply")))
        self.until(lambda: not list(self.downloads.glob("*.crdownload")))
        mesh = trimesh.load(next(self.downloads.glob("*.ply")), process=False)
        self.assertEqual(len(mesh.faces), 2 * 16_384)
        self.assertEqual(Build.objects.first().facts["faces"], 16_384)
        self.assertEqual(self.recipe(piece).surface.final_level, 3)


class StillTests(SurfaceTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch("studio.background.tasks.carry_out", in_a_thread))
        self.enterContext(mock.patch.object(stills, "WIDTHS", (160, 640)))
        self.enterContext(mock.patch.dict(self.changes, {"surface.final_level": 3}))  # its size proves nothing

    def order(self, **values):
        for name, value in values.items():
            self.until(lambda name=name: self.all(f"#still-{name}"))
            self.enter(f"#still-{name}", value, "input")
        self.scroll_to("#still-form .button")
        self.click("#still-form .button")

    def drag_on_draft(self) -> bool:
        """Drags a rectangle; false where the list was brought again just then."""
        try:
            self.scroll_to("#still-list .draft")
            self.drag(self.find("#still-list .draft"), (60, 30))
        except (MoveTargetOutOfBoundsException, NoSuchElementException, StaleElementReferenceException):
            return False
        return True

    def test_a_rectangle_goes_first_one_is_cancelled_and_two_are_compared(self):
        self.begin()
        self.order(width="640", quality="final", seen="three-quarter")
        self.until(lambda: self.all("#still-list .draft img"), "no draft is shown")
        still = Still.objects.get()
        self.until(lambda: self.drag_on_draft() and read_first(still.path), "the rectangle did not arrive")
        left, _, width, height = read_first(still.path)
        self.assertTrue(width > 50 and height > 25 and 200 < left < 400, "it lies where it was drawn")
        self.click("#still-list [hx-post*='cancel']")
        self.until(lambda: "Cancelled" in self.text("#still-list"))
        self.until(lambda: not any("(carry)" in thread.name for thread in threading.enumerate()), "it goes on")
        self.assertFalse(list(still.path.parent.glob(f"{still.pk}.*")), "nothing is left of it")
        for number, look in enumerate(("colour", "clay"), start=1):
            self.order(width="160", quality="draft", look=look)
            self.until(lambda number=number: len(self.all("#still-list [data-state=done]")) == number, "not drawn")
        self.click("#still-list [data-opens=still-compare]")
        self.until(lambda: len(self.all(".compared img")) == 2)
        self.click("[name=how][value=difference]")
        self.assertEqual(self.attribute(".compared", "data-how"), "difference")
        self.click("#still-compare form .button")
        self.click("#still-list a[download]")
        self.until(lambda: any(place.stat().st_size for place in self.downloads.glob("*still*.png")))


class SplitTests(SurfaceTestCase):
    def test_geometry_residual_and_all_of_it(self):
        """A coarse mesh with its residual looks more like all of it than alone."""
        self.begin()
        self.press_button(""".levels [hx-vals='{"surface.level": 0}']""")
        seen = {}
        for detail in ("geometry", "residual", "all"):
            self.click(f"[data-detail={detail}]")
            self.settled()
            seen[detail] = self.middle()
        off = {name: np.abs(seen[name] - seen["all"]).mean() for name in ("geometry", "residual")}
        self.assertLess(off["residual"], 0.6 * off["geometry"], off)
        self.click("[data-detail=residual]")
        self.settled()
        self.until(lambda: "normals off by" in self.text("#angles-said"))

    def test_an_edge_is_picked_on_the_smooth_surface(self):
        piece = self.begin()
        self.press_button('[hx-vals*=\'"kind": "box"\']')
        self.choose("#control-surface-subdivision-kind", "smooth")
        self.scroll_to("[data-tool=crease]")
        self.click("[data-tool=crease]")
        before = self.revision()
        self.click("#solid")
        self.until(lambda: self.revision() != before, "nothing was picked")
        self.assertEqual(len(self.recipe(piece).surface.subdivision.picked), 1)
        self.settled()
        self.press_button("[hx-vals*='let-edges-go']")
        self.assertEqual(self.recipe(piece).surface.subdivision.picked, ())

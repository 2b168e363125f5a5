"""A series in a real browser: kept from a piece, begun of pictures, stopped, gone on with, downloaded."""

from __future__ import annotations

import threading
import time
from unittest import mock

from browser.driver import BrowserTestCase
from browser.pictures import png16, waves
from browser.test_builds import in_a_thread
from studio.bench.beginning import begin_piece
from studio.bench.models import Revision
from studio.middleware import the_artist
from studio.recipes import tasks
from studio.recipes.models import Series
from studio.shelf.intake import keep_source


class SeriesTests(BrowserTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch("studio.background.tasks.carry_out", in_a_thread))
        self.held = threading.Event()
        make = tasks.make_item

        def make_or_hold(item, apart, progress):
            """Holds all items but the first until the series is stopped, however fast they would be made."""
            while self.held.is_set() and item.series.count()["done"]:
                progress.step(0, "Held by the test")
                time.sleep(0.2)
            make(item, apart, progress)

        self.enterContext(mock.patch.object(tasks, "make_item", make_or_hold))

    def test_it_is_begun_stopped_goes_on_and_is_downloaded(self):
        source = keep_source(the_artist(), "waves-height.png", png16(waves()))
        piece = begin_piece(source, "Calm water")
        Revision.objects.change(piece, 1, {"delivery.mesh": "none", "delivery.proof_sheet": False})
        for number in range(4):
            keep_source(the_artist(), f"lagoon-{number}-height.png", png16(waves() / (number + 2)))
        self.open(f"/piece/{piece.pk}/deliver/")
        self.scroll_to("#keep-recipe")
        self.click("#keep-recipe")
        self.until(lambda: "Saved as" in self.text("#kept-recipe"))
        self.click("#kept-recipe a")
        self.until(lambda: self.all(".recipe input"))
        self.click(".recipe:last-child input")
        self.click("#choose-all")
        self.assertEqual(self.text("#chosen-count"), "5 chosen")
        self.held.set()
        self.scroll_to("#begin-series")
        self.click("#begin-series")
        self.until(lambda: self.all("#series-state tr[data-state=done]"), "nothing became ready")
        self.click("#series-state [hx-post*=stop]")
        self.until(lambda: self.attribute("#series-state", "data-state") == "resting")
        stopped = Series.objects.get().count()
        self.assertGreaterEqual(stopped["planned"], 1, "it was not stopped in the middle")
        self.held.clear()
        self.click("tr[data-state=planned]:last-child button")
        self.until(lambda: self.all("tr[data-state=out]"))
        self.click("#series-state [hx-post*=go-on]")
        self.until(lambda: "4 of 4 ready" in self.text("#series-state"))
        self.click("#series-state a[download]")
        self.until(lambda: any(place.stat().st_size for place in self.downloads.glob("*.zip")))

"""A watched folder: what is dropped there is imported once it is whole, and goes through the series that takes it."""

import io
import os
import tempfile
import time
from pathlib import Path
from unittest import mock, skipUnless

from django.conf import settings
from django.contrib.auth import get_user_model
from django.core.management import CommandError, call_command
from django.test import override_settings
from huey.contrib.djhuey import HUEY

from relief.tests.tags import long
from studio.middleware import the_artist
from studio.recipes import watching
from studio.recipes.models import Series
from studio.recipes.tests.test_recipes import RecipesTestCase, heights
from studio.shelf.models import Source


@skipUnless(not settings.SHARED, "a shared studio has a folder for each artist in the watched one")
class WatchTests(RecipesTestCase):
    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(override_settings(WATCH=str(self.folder)))

    def drop(self, name: str, data: bytes, age: float = 0) -> Path:
        place = self.folder / name
        place.write_bytes(data)
        os.utime(place, (time.time() - age,) * 2)
        return place

    def look_twice(self):
        return watching.look(watching.look({}))

    def names(self) -> set[str]:
        return set(Source.objects.values_list("filename", flat=True)) - {"dunes-height.png"}

    def test_a_file_is_taken_once_it_stays_as_it_is(self):
        place = self.drop("slate-height.png", heights(1))
        seen = watching.look({})
        self.assertEqual(self.names(), set(), "it may still be written")
        place.write_bytes(heights(2))
        os.utime(place, (1, 1))
        seen = watching.look(seen)
        self.assertEqual(self.names(), set(), "it has changed")
        self.assertEqual(watching.look(seen), {})
        self.assertEqual(self.names(), {"slate-height.png"})
        self.assertTrue((self.folder / "imported" / "slate-height.png").exists() and not place.exists())
        self.drop("slate-height.png", heights(3))
        self.look_twice()
        self.assertTrue((self.folder / "imported" / "slate-height_2.png").exists(), "the first one stays")

    def test_half_a_file_is_waited_for_and_refused_when_nothing_more_comes(self):
        whole = heights(4)
        place = self.drop("half-height.png", whole[: len(whole) // 2])
        self.assertIn(place, self.look_twice(), "it is young")
        self.drop("half-height.png", whole)
        self.look_twice()
        self.assertEqual(self.names(), {"half-height.png"})
        self.drop("cut.png", whole[:100], age=600)
        self.drop("notes.txt", b"not a picture", age=600)
        self.drop("empty.png", b"", age=600)
        self.drop(".hidden.png", whole, age=600)
        (self.folder / "link.png").symlink_to("/etc/hostname")
        self.look_twice()
        refused = {place.name for place in (self.folder / "refused").iterdir()}
        self.assertEqual(refused, {"cut.png", "cut.png.txt", "notes.txt", "notes.txt.txt"})
        self.assertIn("cannot be read", (self.folder / "refused" / "cut.png.txt").read_text())
        self.assertEqual(self.names(), {"half-height.png"})

    @long
    def test_what_arrives_goes_through_the_series_that_takes_it(self):
        series = self.start(self.keep(), self.sources(1))
        self.assertContains(self.ask("take-arrivals", series), "Stop adding what arrives")
        self.drop("quay-height.png", heights(5))
        self.drop("quay-2-height.png", heights(6))
        self.look_twice()
        self.assertEqual(series.count()["done"], 3)
        self.assertTrue(all(item.is_there for item in series.items.all()))
        other = self.start(self.keep(), self.sources(2)[1:])
        self.ask("take-arrivals", other)
        series.refresh_from_db()
        self.assertFalse(series.takes_arrivals, "only one takes them")
        self.ask("take-arrivals", other)
        self.drop("late-height.png", heights(7))
        self.look_twice()
        self.assertIn("late-height.png", self.names())
        self.assertEqual(sum(each.items.count() for each in Series.objects.all()), 4)

    def test_an_odd_series_does_not_keep_pictures_from_the_shelf(self):
        HUEY.immediate = False
        Series.objects.create(owner=the_artist(), name="Odd", recipe={"sources": 3}, takes_arrivals=True)
        self.drop("slate-height.png", heights(1))
        self.look_twice()
        self.assertEqual(self.names(), {"slate-height.png"})
        self.assertEqual(Series.objects.get().items.get().state, "failed")

    def test_each_artist_has_a_folder_in_a_shared_studio(self):
        ann = get_user_model().objects.create(username="ann")
        get_user_model().objects.create(username="../elsewhere")
        (self.folder / "ann").mkdir()
        with override_settings(SHARED=True):
            self.assertEqual([(place.name, artist) for place, artist in watching.folders()], [("ann", ann)])
            (self.folder / "ann" / "a-height.png").write_bytes(heights(8))
            self.look_twice()
        self.assertEqual(Source.objects.get(filename="a-height.png").owner, ann)

    def test_without_a_folder_nothing_is_watched(self):
        with override_settings(WATCH=""), mock.patch.object(watching.threading, "Thread") as thread:
            watching.watch_folders()
            thread.assert_not_called()
        with override_settings(WATCH=str(self.folder / "gone")):
            self.assertEqual(self.look_twice(), {})

    @long
    def test_the_stand_in_drops_photos_that_are_whole_in_the_end(self):
        call_command("drop_pictures", str(self.folder), every=0, count=2, size=64, stdout=io.StringIO())
        self.look_twice()
        self.assertEqual(self.names(), {"scan_0001.png", "scan_0002.png"})
        for folder, count in (("/nowhere at all", 2), (str(self.folder), 0)):
            with self.assertRaises(CommandError):
                call_command("drop_pictures", folder, count=count, stdout=io.StringIO())


del RecipesTestCase

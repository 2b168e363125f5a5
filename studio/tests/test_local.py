"""The studio answers its own machine only, lends no page to another site, and guards the data folder."""

import tempfile
from pathlib import Path
from unittest import TestCase as PlainTestCase

from django.db import connection
from django.test import TestCase

from studio.demo import empty_folder


class ThisMachineTests(TestCase):
    def test_another_machine_is_refused(self):
        for address in ("192.0.2.7", "2001:db8::1", ""):
            self.assertEqual(self.client.get("/", REMOTE_ADDR=address).status_code, 403, address)
        for address in ("127.0.0.1", "::1"):
            self.assertEqual(self.client.get("/", REMOTE_ADDR=address).status_code, 200, address)

    def test_a_borrowed_name_is_refused_for_pages_and_files(self):
        for path in ("/", "/static/studio/studio.js"):
            with self.assertLogs("django.security"):
                self.assertEqual(self.client.get(path, headers={"host": "studio.example"}).status_code, 400)

    def test_the_policy_allows_no_inline_scripts_and_nothing_from_outside(self):
        policy = self.client.get("/")["Content-Security-Policy"]
        self.assertIn("script-src 'self'", policy)
        self.assertIn("default-src 'none'", policy)
        for word in ("unsafe", "http:", "https:", "*"):
            self.assertNotIn(word, policy)

    def test_an_address_that_does_not_exist_says_so(self):
        self.assertContains(self.client.get("/nowhere"), "There is nothing at this address", status_code=404)


class DatabaseTests(TestCase):
    def test_it_writes_ahead_and_waits_for_others(self):
        with connection.cursor() as cursor:
            self.assertEqual(cursor.execute("PRAGMA journal_mode").fetchone()[0], "wal")
            self.assertEqual(cursor.execute("PRAGMA busy_timeout").fetchone()[0], 20_000)


class DataFolderTests(PlainTestCase):
    def test_only_a_data_folder_of_ours_is_emptied(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        other, ours = folder / "photos", folder / "data"
        for place, name in ((other, "holiday.jpg"), (ours, "studio.sqlite3")):
            place.mkdir()
            (place / name).write_text("x")
        self.assertFalse(empty_folder(other))
        self.assertTrue((other / "holiday.jpg").exists())
        self.assertTrue(empty_folder(ours))
        self.assertFalse(ours.exists())
        self.assertTrue(empty_folder(folder / "not-there-yet"))

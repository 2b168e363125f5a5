"""What nothing uses any more is found and cleared; a backup that is restored is the same studio."""

import io
import os
import sqlite3
import subprocess
import sys
import tarfile
import tempfile
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import CommandError
from django.test import TransactionTestCase, override_settings
from django.utils import timezone

from relief.tests.tags import long
from studio.bench.models import Revision
from studio.bench.tests.case import StudioTestCase
from studio.deliveries import unused
from studio.deliveries.tasks import clear_by_night
from studio.shelf.models import Piece, Source, keep_file, source_path


class UnusedTests(StudioTestCase):
    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.object(unused, "FRESH", timedelta(seconds=-1)))

    def run_command(self, *options) -> str:
        out = io.StringIO()
        call_command("clear_unused", *options, stdout=out)
        return out.getvalue()

    def test_what_is_named_stays_and_what_is_not_goes_once_that_is_asked_for(self):
        piece = self.piece()
        used = source_path(Source.objects.get().digest)
        stray, stroke = keep_file(b"nobody names this"), keep_file(b"a stroke")
        revision = Revision.objects.now(piece)
        Revision.objects.filter(pk=revision.pk).update(recipe=revision.recipe | {"note": stroke})
        said = self.run_command()
        self.assertIn(stray, said)
        self.assertIn("Nothing was deleted", said)
        self.assertTrue(source_path(stray).exists())
        self.run_command("--delete")
        self.assertFalse(source_path(stray).exists())
        self.assertTrue(used.exists() and source_path(stroke).exists(), "a recipe names both")
        self.assertIn("Nothing is unused", self.run_command())

    def test_the_worker_clears_by_night_where_it_is_set_to(self):
        self.piece()
        stray = keep_file(b"nobody names this")
        clear_by_night.call_local()
        self.assertTrue(source_path(stray).exists(), "it is not set to")
        with override_settings(CLEAR_AFTER=30), self.assertLogs("studio.deliveries.tasks", "WARNING") as logged:
            clear_by_night.call_local()
        self.assertFalse(source_path(stray).exists())
        self.assertIn("Cleared 1 unused", logged.output[0])

    def test_removed_ones_go_with_what_only_they_named_after_some_days(self):
        piece = self.piece()
        source = Source.objects.get()
        ago = timezone.now() - timedelta(days=10)
        Piece.objects.update(removed=ago)
        Source.objects.update(removed=ago)
        self.assertIn("Nothing is unused", self.run_command("--delete"))
        said = self.run_command("--delete", "--days", "5")
        for words in (f"removed piece: {piece.title}", f"removed source: {source.filename}", "source file"):
            self.assertIn(words, said)
        self.assertEqual((Piece.objects.count(), Source.objects.count()), (0, 0))
        self.assertFalse(source_path(source.digest).exists())

    def test_a_source_that_a_piece_still_has_stays_though_it_was_removed(self):
        self.piece()
        Source.objects.update(removed=timezone.now() - timedelta(days=99))
        self.run_command("--delete")
        self.assertEqual(Source.objects.count(), 1)

    def test_files_without_a_row_go_and_fresh_ones_stay(self):
        media = Path(settings.MEDIA_ROOT)
        for below in ("deliveries/999.zip", "stills/999.png", "builds/999/a.obj", "swatches/of-before/a.png"):
            (media / below).parent.mkdir(parents=True, exist_ok=True)
            (media / below).write_bytes(b"123")
        with mock.patch.object(unused, "FRESH", timedelta(hours=1)):
            self.assertNotIn("bundle", self.run_command("--delete"))
        said = self.run_command("--delete")
        for words in ("bundle: 999.zip", "still: 999.png", "build: 999", "swatches of an earlier version"):
            self.assertIn(words, said)
        self.assertFalse((media / "deliveries" / "999.zip").exists())


class BackUpTests(TransactionTestCase):
    """On the files of a real database, as a test's own lives in memory."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.database = self.folder / "studio.sqlite3"
        with closing(sqlite3.connect(self.database)) as connection, connection:
            connection.execute("create table piece (title text)")
            connection.execute("insert into piece values ('Dunes')")
        databases = {"default": {**settings.DATABASES["default"], "NAME": str(self.database)}}
        self.enterContext(self.settings(MEDIA_ROOT=self.folder / "media"))
        self.enterContext(mock.patch.object(settings, "DATABASES", databases))
        (self.folder / "media" / "sources" / "ab").mkdir(parents=True)
        (self.folder / "media" / "sources" / "ab" / "abcd").write_bytes(b"bytes")
        (self.folder / "media" / "swatches").mkdir()
        (self.folder / "media" / "swatches" / "one.png").write_bytes(b"made again")

    def back_up(self, name="kept.tar") -> Path:
        call_command("back_up", self.folder / name, stdout=io.StringIO())
        return self.folder / name

    def restore(self, archive: Path, folder: Path) -> None:
        call_command("restore", archive, folder, stdout=io.StringIO())

    def test_it_comes_back_as_it_was_though_people_went_on(self):
        with closing(sqlite3.connect(self.database)) as busy:
            busy.execute("begin")
            busy.execute("insert into piece values ('not yet kept')")
            archive = self.back_up()
        new = self.folder / "new"
        self.restore(archive, new)
        with closing(sqlite3.connect(new / "studio.sqlite3")) as connection:
            self.assertEqual(connection.execute("select title from piece").fetchall(), [("Dunes",)])
            self.assertEqual(connection.execute("pragma integrity_check").fetchone(), ("ok",))
        self.assertEqual((new / "media" / "sources" / "ab" / "abcd").read_bytes(), b"bytes")
        self.assertFalse((new / "media" / "swatches").exists())

    def test_nothing_is_overwritten_and_nothing_else_is_taken_for_a_backup(self):
        archive = self.back_up()
        with self.assertRaisesMessage(CommandError, "exists already"):
            self.back_up()
        with self.assertRaisesMessage(CommandError, "holds a studio already"):
            self.restore(archive, self.folder)
        broken, other = self.folder / "broken.tar", self.folder / "other.tar"
        broken.write_bytes(archive.read_bytes()[:700])
        outside = self.folder / "outside.tar"
        for place, name in ((other, "some.txt"), (outside, "../escaped")):
            with tarfile.open(place, "w") as held:
                held.add(self.database, name)
        for place in (broken, other, outside, self.folder / "none.tar"):
            with self.assertRaises(CommandError):
                self.restore(place, self.folder / "new")
            self.assertFalse((self.folder / "new" / "studio.sqlite3").exists())
        self.assertFalse((self.folder / "escaped").exists())


class FirstStartTests(StudioTestCase):
    @long
    def test_of_several_first_starts_at_once_all_have_the_same_key(self):
        with tempfile.TemporaryDirectory() as folder:
            code = "from studio import settings; print(settings.SECRET_KEY)"
            environment = os.environ | {"GRAVEL_DATA": folder}

            def start(_: int) -> str:
                run = [sys.executable, "-c", code]
                return subprocess.run(run, env=environment, capture_output=True, text=True, check=True).stdout

            with ThreadPoolExecutor(6) as pool:
                keys = set(pool.map(start, range(6)))
            self.assertEqual(len(keys), 1)
            self.assertGreater(len(keys.pop().strip()), 40)
            self.assertEqual([place.name for place in Path(folder).glob(".secret-key*")], [])

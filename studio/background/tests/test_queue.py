"""A queue that broke is set aside and made anew; a worker that is gone holds nothing back."""

import os
import sqlite3
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

from studio.background.models import has_ended, name_worker
from studio.background.queue import DurableHuey, is_broken


class QueueTests(TestCase):
    def setUp(self):
        self.place = Path(self.enterContext(tempfile.TemporaryDirectory()), "queue.sqlite3")

    def queue(self) -> DurableHuey:
        return DurableHuey("jobs", filename=str(self.place))

    def set_aside(self) -> list[Path]:
        return sorted(self.place.parent.glob("*.broken-*"))

    def test_one_that_was_broken_before_the_start(self):
        self.place.write_bytes(b"this is no database " * 500)
        with self.assertLogs("studio.background.queue"):
            queue = self.queue()
        queue.storage.enqueue(b"task")
        self.assertEqual(queue.storage.dequeue(), b"task")
        self.assertEqual(self.set_aside()[0].read_bytes()[:7], b"this is")

    def test_one_that_breaks_while_it_is_used(self):
        queue = self.queue()
        queue.storage.enqueue(b"lost")
        queue.storage.close()
        self.place.write_bytes(b"\0" * 40_000)
        for beside in ("-wal", "-shm"):
            Path(f"{self.place}{beside}").unlink(missing_ok=True)
        with self.assertRaises(sqlite3.DatabaseError), self.assertLogs("studio.background.queue"):
            queue.storage.enqueue(b"task")
        queue.storage.enqueue(b"again")
        self.assertEqual(queue.storage.dequeue(), b"again")
        self.assertEqual(len(self.set_aside()), 1)

    def test_a_file_that_was_taken_away_is_made_anew(self):
        queue = self.queue()
        queue.storage.enqueue(b"lost")
        for beside in ("", "-wal", "-shm"):
            Path(f"{self.place}{beside}").unlink(missing_ok=True)
        with self.assertRaises(sqlite3.DatabaseError):
            queue.storage.enqueue(b"task")
        queue.storage.enqueue(b"again")
        self.assertEqual(self.queue().storage.dequeue(), b"again", "another process finds it too")

    def test_a_queue_that_is_held_or_a_full_disk_is_no_broken_one(self):
        for words in ("database is locked", "database or disk is full"):
            self.assertFalse(is_broken(sqlite3.OperationalError(words)))


class WorkerTests(TestCase):
    def test_a_process_of_this_machine_that_is_gone(self):
        process = subprocess.Popen([sys.executable, "-c", ""])
        gone = name_worker().replace(f"/{os.getpid()}/", f"/{process.pid}/")
        process.wait()
        self.assertTrue(has_ended(gone))
        self.assertFalse(has_ended(name_worker()))
        for other in ("", "slow", "another-machine/1/ab"):
            self.assertFalse(has_ended(other))

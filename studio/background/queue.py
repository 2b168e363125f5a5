"""The queue in an SQLite file that may break: it is then set aside and made anew, as the rows of the work say what is
to be done and put it in again.
"""

from __future__ import annotations

import logging
import sqlite3
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from huey import Huey
from huey.storage import SqliteStorage

logger = logging.getLogger(__name__)

BROKEN = ("malformed", "not a database", "no such table", "disk i/o error")
"""What SQLite says of a file that is none of its own any more."""

BESIDE = ("", "-wal", "-shm")


class SturdyStorage(SqliteStorage):
    """The queue's file, made anew when it broke or was taken away, while the studio runs too."""

    _mending = threading.Lock()

    def __init__(self, name: str = "huey", filename: str = "huey.db", **options: Any) -> None:
        self._opened: dict[int, int] = {}
        try:
            super().__init__(name, filename, **options)
        except sqlite3.DatabaseError as problem:
            if not is_broken(problem):
                raise
            self._mend()

    @property
    def conn(self) -> sqlite3.Connection:
        """This thread's connection; a new one when the file at the place is another than it was opened on."""
        thread = threading.get_ident()
        if not self._state.closed and self._opened.get(thread) != self._file():
            self.close()
        if self._state.closed:
            self._state.set_connection(self._create_connection())
            self._opened[thread] = self._file()
        return self._state.conn  # type: ignore[no-any-return]

    @contextmanager
    def db(self, commit: bool = False, close: bool = False) -> Iterator[sqlite3.Cursor]:
        try:
            with super().db(commit, close) as cursor:
                yield cursor
        except sqlite3.DatabaseError as problem:
            if is_broken(problem):
                self._mend()
            raise

    def _file(self) -> int:
        """What tells the file at the place from others."""
        try:
            return Path(self.filename).stat().st_ino
        except FileNotFoundError:
            return 0

    def _mend(self) -> None:
        """Sets a broken file aside and makes the queue anew; leaves one alone that another thread mended."""
        with self._mending:
            self.close()
            if not self._is_sound():
                number = time.time_ns()
                for ending in BESIDE:
                    place = Path(f"{self.filename}{ending}")
                    if place.exists():
                        place.rename(f"{self.filename}.broken-{number}{ending}")
                logger.error("The queue was broken. It is set aside as %s.broken-%s.", self.filename, number)
            with super().db(commit=True, close=True) as cursor:
                for statement in self.ddl:
                    cursor.execute(statement)

    def _is_sound(self) -> bool:
        try:
            with sqlite3.connect(self.filename, timeout=5) as connection:
                (said,) = connection.execute("pragma quick_check(1)").fetchone()
        except sqlite3.DatabaseError:
            return False
        return bool(said == "ok")


class DurableHuey(Huey):
    """Huey on such a queue."""

    storage_class = SturdyStorage


def is_broken(problem: sqlite3.Error) -> bool:
    """Whether an error means that the file is no queue any more, and not that it is held or the disk is full."""
    return any(words in str(problem).lower() for words in BROKEN)

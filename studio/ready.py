"""Whether this very code has made a data folder ready before: then a start need not bring it up to date again."""

from __future__ import annotations

import hashlib
import platform
import sqlite3
from pathlib import Path

from relief.version import computation_version

NOTE = "ready"
"""The file in the data folder that says so."""

PIECES, PLAIN = "with demo pieces", "without demo pieces"


def note_ready(data: Path, database: Path, *, with_pieces: bool) -> None:
    """Remembers that nothing is left to be made ready, with or without the demo pieces."""
    (data / NOTE).write_text(f"{_state(database)} {PIECES if with_pieces else PLAIN}")


def is_ready(data: Path, database: Path, *, with_pieces: bool) -> bool:
    """Whether this code has noted that of the same database."""
    try:
        noted = (data / NOTE).read_text()
    except (OSError, ValueError):
        return False
    known = [PIECES] if with_pieces else [PIECES, PLAIN]
    state = _state(database)
    return bool(state) and noted in [f"{state} {each}" for each in known]


def _state(database: Path) -> str:
    """What a note depends on: the code, the machine, and what the database was migrated to; empty without one."""
    if not database.exists():
        return ""
    try:
        with sqlite3.connect(f"{database.as_uri()}?mode=ro", uri=True) as connection:
            applied = connection.execute("select app, name from django_migrations order by id").fetchall()
    except sqlite3.DatabaseError:
        return ""
    found = hashlib.blake2b(f"{computation_version()} {applied}".encode(), digest_size=20)
    here = Path(__file__).parent
    for place in sorted(here.rglob("*.py")):
        found.update(f"{place.relative_to(here)}\0".encode() + place.read_bytes())
    return f"{found.hexdigest()} {platform.python_version()} {platform.node()}"

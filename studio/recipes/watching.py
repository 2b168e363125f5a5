"""A watched folder: what a camera or scanner drops there goes on the shelf, and through a series if that is set.

A file is taken once it has stayed as it is between two looks and can be read, so that one that is still being written
is waited for. What was taken is moved to `imported/` beside it; what cannot be read for a minute goes to `refused/`,
with the reason in a text file.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Iterator
from pathlib import Path, PurePosixPath
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.db import connection, transaction

from relief.errors import ReliefError
from studio.background.quotas import refuse_beyond_quota
from studio.middleware import the_artist
from studio.recipes.matching import match_sources
from studio.recipes.models import Series, SeriesItem
from studio.recipes.tasks import go_on_with
from studio.shelf.intake import keep_source
from studio.shelf.models import Source

logger = logging.getLogger(__name__)

LOOK_EVERY = 2.0
"""Seconds between two looks."""

PATIENCE = 60
"""Seconds for which a file that cannot be read may still be being written."""

IMPORTED, REFUSED = "imported", "refused"

Seen = dict[Path, tuple[int, int]]
"""Files with their size and time as the last look found them."""


def watch_folders() -> None:
    """Looks again and again, in a thread of its own, where a folder is to be watched."""
    if settings.WATCH:
        threading.Thread(target=_watch, daemon=True).start()


def _watch() -> None:
    seen: Seen = {}
    while True:
        try:
            seen = look(seen)
        except Exception:
            logger.exception("The watched folder could not be read")
        finally:
            connection.close()
        threading.Event().wait(LOOK_EVERY)


def look(seen: Seen) -> Seen:
    """Takes what has stayed as it was at the last look; gives what is waited for."""
    now: Seen = {}
    for folder, artist in folders():
        for file in sorted(folder.iterdir()):
            try:
                if not file.is_file() or file.is_symlink() or file.name.startswith("."):
                    continue
                told = file.stat()
            except OSError:
                continue
            state = told.st_size, told.st_mtime_ns
            if not (told.st_size and seen.get(file) == state and take_file(file, artist)):
                now[file] = state
    return now


def folders() -> Iterator[tuple[Path, Any]]:
    """The folders that are watched and whose shelf each fills: in a shared studio each artist has one of their name."""
    whole = Path(settings.WATCH)
    if not settings.SHARED:
        if whole.is_dir():
            yield whole, the_artist()
        return
    for artist in get_user_model().objects.filter(is_active=True):
        folder = whole / artist.username
        if folder.is_dir() and folder.parent == whole:
            yield folder, artist


def take_file(file: Path, artist: Any) -> bool:
    """Puts a file on the shelf and in the series that takes what arrives; false where it is waited for."""
    try:
        told = file.stat()
        refuse_beyond_quota(artist, works=False)
        if told.st_size > settings.LARGEST_UPLOAD:
            raise ReliefError(f"It is too large. At most {settings.LARGEST_UPLOAD >> 20} MB can be imported at once.")
        source = keep_source(artist, file.name, file.read_bytes())
    except FileNotFoundError:
        return True
    except ReliefError as problem:
        if time.time() - told.st_mtime < PATIENCE:
            return False
        refused = _move(file, REFUSED)
        if refused:
            refused.with_name(f"{refused.name}.txt").write_text(f"{problem}\n")
        return True
    if _move(file, IMPORTED):  # of several workers the one that moves it goes on
        add_to_series(artist, source)
    return True


def add_to_series(artist: Any, source: Source) -> None:
    """Adds a picture to the series that takes what arrives, if there is one; that goes on with it."""
    series = Series.objects.filter(owner=artist, takes_arrivals=True).first()
    if series is None or source.is_mesh:
        return
    try:
        matched, left = match_sources(series.read(), [source])
    except ReliefError as problem:
        matched, left = {}, [(PurePosixPath(source.filename).stem, str(problem))]
    name = next(iter(matched), "") or left[0][0]
    with transaction.atomic():
        number = series.items.count()
        taken = set(series.items.values_list("name", flat=True))
        called = next(each for each in (name, *(f"{name}_{n}" for n in range(2, number + 3))) if each not in taken)
        if matched:
            SeriesItem.planned(series, number, called, matched[name]).save()
        else:
            SeriesItem.impossible(series, number, called, left[0][1]).save()
    if matched and series.run is None:
        go_on_with(series)


def _move(file: Path, into: str) -> Path | None:
    """Moves a file to a folder beside it, under another name where that is taken; None where somebody was quicker."""
    folder = file.parent / into
    folder.mkdir(exist_ok=True)
    place, number = folder / file.name, 2
    while place.exists():
        place, number = folder / f"{file.stem}_{number}{file.suffix}", number + 1
    try:
        return file.rename(place)
    except FileNotFoundError:
        return None

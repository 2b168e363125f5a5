"""Writes database and media into one archive that is consistent, while people go on working."""

from __future__ import annotations

import sqlite3
import tarfile
import tempfile
from contextlib import closing
from pathlib import Path

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from relief.figures import say_bytes

LEFT_OUT = ("swatches", "arrivals")
"""Folders of the media that are made again, or belong to what is under way."""


class Command(BaseCommand):
    """Writes a backup."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("archive", type=Path, metavar="FILE.tar", help="the archive; it must not exist yet")

    def handle(self, *, archive: Path, **_: object) -> None:
        """The database first, by SQLite's own backup: files are kept under their hash and never altered, so all that
        it names are there, and what comes later does no harm.
        """
        if archive.exists():
            raise CommandError(f"{archive} exists already. Nothing was written.")
        beside, media = archive.with_name(f".{archive.name}.part"), Path(settings.MEDIA_ROOT)
        try:
            with tempfile.TemporaryDirectory() as folder, tarfile.open(beside, "w") as out:
                copy = Path(folder, "studio.sqlite3")
                with (
                    closing(sqlite3.connect(settings.DATABASES["default"]["NAME"])) as source,
                    closing(sqlite3.connect(copy)) as target,
                ):
                    source.backup(target)
                out.add(copy, "studio.sqlite3")
                for place in sorted(media.rglob("*")):
                    below = place.relative_to(media)
                    if place.is_file() and below.parts[0] not in LEFT_OUT and not place.name.startswith("."):
                        try:
                            out.add(place, f"media/{below}")
                        except FileNotFoundError:
                            continue  # cleared away meanwhile
            beside.replace(archive)
        except BaseException:
            beside.unlink(missing_ok=True)
            raise
        self.stdout.write(f"{archive}: {say_bytes(archive.stat().st_size)}")

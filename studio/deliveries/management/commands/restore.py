"""Puts what `back_up` wrote into an empty data folder."""

from __future__ import annotations

import shutil
import tarfile
from pathlib import Path

from django.core.management.base import BaseCommand, CommandError, CommandParser


class Command(BaseCommand):
    """Restores a backup."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("archive", type=Path, metavar="FILE.tar", help="the archive")
        parser.add_argument("folder", type=Path, metavar="DIR", help="the data folder; it must hold no studio")

    def handle(self, *, archive: Path, folder: Path, **_: object) -> None:
        """All of it or nothing."""
        if (folder / "studio.sqlite3").exists():
            raise CommandError(f"{folder} holds a studio already. Nothing was changed.")
        beside = folder.with_name(f".{folder.name}.part")
        try:
            with tarfile.open(archive) as held:
                names = held.getnames()
                if "studio.sqlite3" not in names or any(not name.startswith(("studio.", "media/")) for name in names):
                    raise CommandError(f"{archive} is not a backup of a studio.")
                held.extractall(beside, filter="data")
            folder.mkdir(parents=True, exist_ok=True)
            for place in beside.iterdir():
                if (folder / place.name).is_dir():
                    shutil.rmtree(folder / place.name)
                place.replace(folder / place.name)
        except (tarfile.TarError, OSError) as problem:
            raise CommandError(f"{archive} cannot be read: {problem}.") from None
        finally:
            shutil.rmtree(beside, ignore_errors=True)
        self.stdout.write(f"{folder} holds the studio again. Start it with: gravel serve --data {folder}")

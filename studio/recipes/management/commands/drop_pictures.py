"""Drops photos of made-up surfaces into a folder at intervals: a stand-in for a tethered camera or a scanner."""

import time
from collections.abc import Iterator
from pathlib import Path

from django.core.management.base import BaseCommand, CommandError

from relief.synthetic.rig import photograph_surface
from relief.synthetic.textures import TEXTURES

PHOTOS = 3
"""The fewest that the rig takes of a surface; the first is dropped."""


class Command(BaseCommand):
    """The command that Django finds here."""

    help = __doc__

    def add_arguments(self, parser):
        parser.add_argument("folder", type=Path, help="where they are dropped, such as the watched folder")
        parser.add_argument("--every", type=float, default=5, metavar="SECONDS", help="time between two photos (5)")
        parser.add_argument("--count", type=int, default=6, metavar="N", help="how many photos (6)")
        parser.add_argument("--size", type=int, default=512, metavar="PX", help="pixels on their longer side (512)")

    def handle(self, *, folder: Path, every: float, count: int, size: int, **_: object) -> None:
        """Writes each photo in two halves, as slow devices do."""
        if not folder.is_dir():
            raise CommandError(f"{folder} is not a folder.")
        if not (0 <= every <= 3600 and 1 <= count <= 10_000 and 64 <= size <= 4096):
            raise CommandError("Drop 1 to 10 000 photos of 64 to 4096 pixels, at most an hour apart.")
        for number, data in zip(range(count), self.photos(size), strict=False):
            place = folder / f"scan_{number + 1:04}.png"
            half = len(data) // 2
            with place.open("wb") as file:
                file.write(data[:half])
                file.flush()
                time.sleep(every / 2)
                file.write(data[half:])
            self.stdout.write(place.name)
            time.sleep(every / 2)

    @staticmethod
    def photos(size: int) -> Iterator[bytes]:
        """Photos of one surface after the other, without end."""
        seed = 0
        while True:
            for key in TEXTURES:
                _, data = next(iter(photograph_surface(key, PHOTOS, size, seed, False)))
                yield data
            seed += 1

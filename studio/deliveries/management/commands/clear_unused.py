"""Shows what the studio keeps and nothing uses any more, with sizes; deletes it when that is asked for."""

from __future__ import annotations

from collections import Counter

from django.core.management.base import BaseCommand, CommandParser

from relief.figures import say_bytes
from studio.deliveries.unused import clear_unused, find_unused


class Command(BaseCommand):
    """Shows and clears what is unused."""

    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--delete", action="store_true", help="delete it; otherwise it is only shown")
        parser.add_argument("--days", type=float, default=30, help="how long ago something was removed (30)")

    def handle(self, *, delete: bool, days: float, **_: object) -> None:
        """Clears or only shows it."""
        sizes, counts = Counter[str](), Counter[str]()
        for each in clear_unused(days) if delete else find_unused(days):
            counts[each.kind] += 1
            sizes[each.kind] += each.size
            self.stdout.write(f"{each.kind}: {each.name}, {say_bytes(each.size)}")
        if not counts:
            self.stdout.write("Nothing is unused.")
            return
        for kind, count in counts.items():
            self.stdout.write(f"{count} x {kind}: {say_bytes(sizes[kind])}")
        self.stdout.write("Deleted." if delete else "Nothing was deleted. Add --delete to delete it.")

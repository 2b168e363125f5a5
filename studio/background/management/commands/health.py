"""Says how the studio is doing: workers, waiting work, room on the disk. The exit code is 1 if something needs you."""

from __future__ import annotations

import json
import sys

from django.core.management.base import BaseCommand

from studio.background.health import measure_health


class Command(BaseCommand):
    """Prints the studio's health as JSON."""

    help = __doc__

    def handle(self, **_: object) -> None:
        """Prints it, and ends with 1 where there is a problem."""
        health = measure_health()
        self.stdout.write(json.dumps(health.as_data(), indent=2))
        if not health.is_well:
            sys.exit(1)

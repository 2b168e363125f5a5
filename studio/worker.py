"""The background worker of the studio: it takes long work out of the queue."""

from __future__ import annotations

import argparse
import os
import sys

from studio.background.child import end_with_parent

WORKERS = 3


def main(arguments: list[str] | None = None) -> int:
    """Works until it is ended."""
    parser = argparse.ArgumentParser(prog="python -m studio.worker", description="Does the studio's long work.")
    parser.add_argument("--parent", type=int, help="the process that this one ends with")
    end_with_parent(parser.parse_args(arguments).parent)
    import django
    from django.core.management import execute_from_command_line

    django.setup()
    from studio.background.forking import load_early
    from studio.background.health import keep_giving_signs
    from studio.recipes.watching import watch_folders

    load_early()
    keep_giving_signs()
    watch_folders()
    execute_from_command_line(["manage.py", "run_huey", "--workers", str(WORKERS), "--quiet"])
    return 0


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    sys.exit(main())

"""The command `gravel`: starts the studio with or without its demo pieces, or a part of it."""

from __future__ import annotations

import os
import sys
from importlib.metadata import PackageNotFoundError, version

from studio.environment import VARIABLES

HELP = """gravel demo     start the studio with its demo pieces
gravel serve    start the studio without them
gravel web      start another web process on the same data folder
gravel worker   start another background worker on the same data folder
gravel helper   make series, deliveries, meshes and stills for a studio on another machine
gravel manage   Django's own commands
gravel --version

Read from the environment:
""" + "\n".join(f"  {name:20} {meaning}" for name, meaning in VARIABLES.items())


def main(arguments: list[str] | None = None) -> int:
    """Runs what the first argument names; the exit status of the process."""
    arguments = sys.argv[1:] if arguments is None else arguments
    does, rest = (arguments[0], arguments[1:]) if arguments else ("--help", [])
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
    if sys.platform == "win32" and does in ("demo", "serve", "worker"):
        print(f"gravel {does} needs Linux or macOS: it holds its data folder by a lock of Unix.", file=sys.stderr)
        return 2
    match does:
        case "demo" | "serve":
            from studio import demo

            return demo.main(rest, f"gravel {does}", with_pieces=does == "demo")
        case "web":
            from studio import server

            return server.main(rest)
        case "worker":
            from studio import worker

            return worker.main(rest)
        case "helper":
            from studio.remote import helper

            return helper.main(rest)
        case "manage":
            from django.core.management import execute_from_command_line

            execute_from_command_line(["gravel manage", *rest])
            return 0
        case "--version":
            print(f"Zealous Gravel {_version()}")
            return 0
        case "--help" | "-h":
            print(HELP)
            return 0
    print(f'gravel: there is no command "{does}".\n{HELP}', file=sys.stderr)
    return 2


def _version() -> str:
    try:
        return version("zealous-gravel")
    except PackageNotFoundError:
        return "(not installed, run from its source)"


if __name__ == "__main__":
    sys.exit(main())

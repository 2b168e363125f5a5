"""The command line: the computation without a browser. `python -m relief --help`."""

from __future__ import annotations

import argparse
import importlib
import io
import os
import pkgutil
import sys
from typing import NoReturn

from relief import commands
from relief.errors import NO_ROOM, ReliefError

PIPE_CLOSED = 141
"""What a shell says of a command whose output nobody reads any more."""


class OneLineParser(argparse.ArgumentParser):
    """Says what is wrong in one line and leaves with code 2."""

    def error(self, message: str) -> NoReturn:
        print(f"{self.prog}: {message}", file=sys.stderr)
        raise SystemExit(2)


def main(arguments: list[str] | None = None) -> int:
    """Runs one command.

    Returns:
        0 when it went well, 1 where a command says so; with one line on standard error 2 when the input is at fault,
        130 when it was interrupted, 141 when nobody reads what it prints.
    """
    arguments = sys.argv[1:] if arguments is None else arguments
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):  # a file's name may hold what no text can
            stream.reconfigure(errors="backslashreplace")
    chosen = make_parser(arguments[:1]).parse_args(arguments)
    try:
        code = chosen.run(chosen) or 0
        sys.stdout.flush()
        return code
    except BrokenPipeError:
        # who reads what is printed has seen enough; Python would complain once more when it ends
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return PIPE_CLOSED
    except KeyboardInterrupt:
        _complain("Interrupted. No half-written files are left.")
        return 130
    except ReliefError as problem:
        return _complain(str(problem))
    except OSError as problem:
        if problem.errno in NO_ROOM:
            return _complain("The disk is full. Nothing was written.")
        return _complain(f"{problem.filename or 'A file'}: {problem.strerror or problem}")
    except MemoryError:
        return _complain("There is not enough memory for this.")


def _complain(sentence: str) -> int:
    print("relief: " + " ".join(sentence.split()), file=sys.stderr)
    return 2


def make_parser(asked: list[str]) -> argparse.ArgumentParser:
    """The parser of the command that is asked for, or of all. What the others need is not loaded: that takes a second.

    Each command is a module of `relief.commands`; its first line is what the help says of it.
    """
    parser = OneLineParser(prog="relief", description="Turns pictures into normal, bump and displacement maps.")
    subparsers = parser.add_subparsers(required=True, metavar="COMMAND")
    known = [module.name for module in pkgutil.iter_modules(commands.__path__) if not module.name.startswith("_")]
    for name in [name for name in known if [name] == asked] or known:
        command = importlib.import_module(f"relief.commands.{name}")
        said = (command.__doc__ or "").rstrip(".")
        subparser = subparsers.add_parser(name, help=said[0].lower() + said[1:])
        command.add_options(subparser)
        subparser.set_defaults(run=command.run)
    return parser


if __name__ == "__main__":
    sys.exit(main())

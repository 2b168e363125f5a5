"""Starts the studio with its demo pieces: environment and data, server and worker, until Ctrl-C."""

from __future__ import annotations

import argparse
import fcntl
import os
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import TextIO

from studio.environment import HOUSE, bind_address, data_folder, read_switch, read_text
from studio.ready import NOTE, is_ready, note_ready

HOST = bind_address()
"""The address that the server listens on."""

EVERYWHERE, HERE = ("0.0.0.0", "::"), "127.0.0.1"
"""Addresses that stand for all of a machine's, and the one of those that it reaches itself by."""

PATIENCE = 60
"""Seconds until the server must have answered."""

LEAVE = 5
"""Seconds that server and worker have to end by themselves."""

DATABASE, LOCK = "studio.sqlite3", "in-use"
OURS = (f"{DATABASE}*", "queue.sqlite3*", "secret-key", "kernels", "rates.json", NOTE, LOCK, "media", "static")
"""What a studio makes in its data folder."""

PATCHES = (5, 60)
"""A part that ended more than so many times within so many seconds is not started again."""


class CannotStartError(Exception):
    """Why the studio does not start, in one line."""


def main(arguments: list[str] | None = None, program: str = "bin/demo", with_pieces: bool = True) -> int:
    """Starts the studio, with its demo pieces or without; the exit status of the process."""
    chosen = _read_options(arguments, program)
    for ending in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(ending, _interrupt)
    try:
        data = chosen.data.expanduser().resolve()
        refuse_used_port(chosen.port)
        with hold_data(data):
            if chosen.fresh:
                empty_folder(data, sure=chosen.yes)
            os.environ |= {
                "GRAVEL_DATA": str(data), "DJANGO_SETTINGS_MODULE": "studio.settings", "PYTHONUNBUFFERED": "1"
            }  # fmt: skip
            if not is_ready(data, data / DATABASE, with_pieces=with_pieces):
                prepare(data, with_pieces)
            return serve(chosen.port)
    except CannotStartError as problem:
        print(f"{program}: {problem}", file=sys.stderr)
        return 1
    except OSError as problem:
        print(f"{program}: {problem.filename or chosen.data}: {problem.strerror or problem}.", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 0


def _read_options(arguments: list[str] | None, program: str) -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog=program, description="Starts Zealous Gravel.")
    parser.add_argument("--port", type=_port, default=8000, help=f"port on {HOST} (8000)")
    parser.add_argument(
        "--data",
        type=Path,
        default=data_folder(),
        metavar="DIR",
        help="folder of the database, the media and the queue (%(default)s)",
    )
    parser.add_argument("--fresh", action="store_true", help="first delete the studio that is in the data folder")
    parser.add_argument("--yes", action="store_true", help="with --fresh: do not ask, even when there are own pieces")
    parser.error = partial(_say_and_leave, program)  # type: ignore[method-assign]
    return parser.parse_args(arguments)


def _say_and_leave(program: str, message: str) -> None:
    print(f"{program}: {message}", file=sys.stderr)
    raise SystemExit(2)


def _port(text: str) -> int:
    if not text.isdecimal() or not 1 <= int(text[:6]) <= 65535:
        raise argparse.ArgumentTypeError(f"{text[:20]} is not a valid port; choose one from 1024 to 65535")
    return int(text)


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def refuse_used_port(port: int) -> None:
    """Raises CannotStartError when something listens on a port already, or nothing of ours may."""
    with socket.socket() as tried:
        tried.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            tried.bind((HOST, port))
        except PermissionError:
            raise CannotStartError(f"Port {port} is reserved; choose one from 1024 up with --port.") from None
        except OSError:
            raise CannotStartError(f"Port {port} is taken. Stop what uses it, or choose another with --port.") from None


@contextmanager
def hold_data(data: Path) -> Iterator[None]:
    """Holds a data folder, which is made if need be, for this studio alone.

    Raises:
        CannotStartError: it is no folder, cannot be written to, or another studio runs on it.
    """
    if data.exists() and not data.is_dir():
        raise CannotStartError(f"{data} is a file; --data takes a folder.")
    try:
        data.mkdir(parents=True, exist_ok=True)
        lock: TextIO = (data / LOCK).open("a")
    except OSError as problem:
        raise CannotStartError(f"{data} cannot be written to ({problem.strerror}).") from None
    with lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise CannotStartError(
                f"Another studio runs on {data}. Stop it, or choose another folder with --data."
            ) from None
        yield


def empty_folder(data: Path, *, sure: bool) -> None:
    """Removes what a studio made in its data folder, and nothing else there; asks when own pieces are among it.

    Raises:
        CannotStartError: they are to be kept.
    """
    own = count_own_pieces(data / DATABASE)
    if own and not sure:
        pieces = "1 piece of your own" if own == 1 else f"{own} pieces of your own"
        if not sys.stdin.isatty():
            raise CannotStartError(f"{data} holds {pieces}. To delete them add --yes.")
        print(f"{data} holds {pieces}. Delete them? Type yes: ", end="", flush=True)
        if sys.stdin.readline().strip().lower() != "yes":
            raise CannotStartError("Nothing was removed.")
    for pattern in OURS:
        for place in data.glob(pattern):
            if place.name == LOCK:
                continue  # it is held
            if place.is_dir() and not place.is_symlink():
                shutil.rmtree(place, onerror=_unless_gone)
            else:
                place.unlink(missing_ok=True)


def count_own_pieces(database: Path) -> int:
    """Pieces in a studio's database that are no demo; none where it cannot be read."""
    if not database.exists():
        return 0
    try:
        with sqlite3.connect(f"{database.as_uri()}?mode=ro", uri=True) as connection:
            return int(connection.execute("select count(*) from shelf_piece where demo = ''").fetchone()[0])
    except sqlite3.DatabaseError:
        return 0


def _unless_gone(_function, _path, problem) -> None:
    """A studio that is just ending removes files of its own meanwhile; anything else is raised."""
    if not isinstance(problem[1], FileNotFoundError):
        raise problem[1]


def prepare(data: Path, with_pieces: bool) -> None:
    """Brings the database up to date; demo pieces that are wanted, and kernels, are made ready in the background."""
    import django

    django.setup()
    from django.core.management import call_command

    from studio.bench.preparing import begin_preparation
    from studio.middleware import the_artist
    from studio.shelf.intake import measure_anew
    from studio.shelf.looks import clear_old_swatches
    from studio.shelf.models import Preparation

    call_command("migrate", verbosity=0)
    for source in measure_anew():
        print(f"{source.filename}: {source.problem}", file=sys.stderr)
    clear_old_swatches()
    if not begin_preparation(the_artist(), with_pieces=with_pieces) and not Preparation.under_way():
        note_ready(data, data / DATABASE, with_pieces=with_pieces)


class Running:
    """Server and worker. One that ends is started again, so that no fault of one ends the studio."""

    def __init__(self, port: int) -> None:
        parent = ["--parent", str(os.getpid())]
        self.commands = {
            "server": [sys.executable, "-m", "studio.server", "--port", str(port), *parent],
            "worker": [sys.executable, "-m", "studio.worker", *parent],
        }
        self.processes = {name: self._start(name) for name in self.commands}
        self._ended: dict[str, deque[float]] = {name: deque(maxlen=PATCHES[0]) for name in self.commands}

    def _start(self, name: str) -> subprocess.Popen:
        memory = {"MALLOC_ARENA_MAX": "4"}  # what threads free goes back sooner (measured: bin/tool soak)
        # a session of its own: Ctrl-C in a terminal is answered by this process alone
        return subprocess.Popen(self.commands[name], cwd=HOUSE, env=os.environ | memory, start_new_session=True)

    def mend(self) -> bool:
        """Starts again what has ended; false when that happens too often."""
        for name, process in self.processes.items():
            if process.poll() is None:
                continue
            ended = self._ended[name]
            if len(ended) == ended.maxlen and time.monotonic() - ended[0] < PATCHES[1]:
                print(f"The {name} keeps ending (status {process.returncode}).", file=sys.stderr)
                return False
            ended.append(time.monotonic())
            print(f"The {name} ended (status {process.returncode}) and is started again.", file=sys.stderr, flush=True)
            self.processes[name] = self._start(name)
        return True

    def end(self) -> None:
        """Ends both, and all that they have started."""
        for process in self.processes.values():
            process.terminate()
        until = time.monotonic() + LEAVE
        for process in self.processes.values():
            with suppress(subprocess.TimeoutExpired):
                process.wait(timeout=max(0.1, until - time.monotonic()))
            with suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()


def serve(port: int) -> int:
    """Runs server and worker until Ctrl-C comes, or one of them cannot be kept up."""
    address = f"http://{HERE if HOST in EVERYWHERE else HOST}:{port}/"
    running = Running(port)
    try:
        if not answers(address, running.processes["server"]):
            print(f"The server does not answer. Is port {port} taken? Try --port.", file=sys.stderr)
            return 1
        print(f"\nZealous Gravel is ready at {address}\nCtrl-C ends it.\n", flush=True)
        if read_text("GRAVEL_HOSTS") and not read_switch("GRAVEL_SHARED"):
            print("Other machines can reach it too. Nobody signs in: anyone who can reach it can change everything.")
        while running.mend():
            time.sleep(0.5)
        return 1
    except KeyboardInterrupt:
        return 0
    finally:
        for ending in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(ending, signal.SIG_IGN)  # it is ending
        running.end()


def answers(address: str, server: subprocess.Popen) -> bool:
    """Waits until the server answers; false when it ended or took too long."""
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until and server.poll() is None:
        try:
            with urllib.request.urlopen(address, timeout=5):
                return server.poll() is None
        except (urllib.error.URLError, OSError):
            time.sleep(0.1)
    return False


if __name__ == "__main__":
    sys.exit(main())

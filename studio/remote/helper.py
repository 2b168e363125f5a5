"""A helper on another machine: it makes what the studio would make in the background, from recipes and files alone, and
opens no database.
"""

from __future__ import annotations

import argparse
import os
import secrets
import shutil
import socket
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

from relief.errors import NO_ROOM, Cancelled, ReliefError
from relief.progress import Progress
from studio.remote.board import LEASE, Board, Report, name_of_board
from studio.remote.works import WORKS

MOST_SILENCE = 1800.0
"""Seconds after which work that has not said how far it is counts as hanging."""

SAID_EVERY = 0.5
"""Seconds between two words on how far the work is."""


def main(arguments: list[str] | None = None) -> int:
    """Works until it is ended; 1 where it cannot begin."""
    about = "Makes series, deliveries, final meshes and stills for a studio on another machine."
    parser = argparse.ArgumentParser(prog="gravel helper", description=about)
    parser.add_argument("--redis", default=os.environ.get("GRAVEL_REDIS", ""), metavar="URL", help="the Redis server")
    parser.add_argument(
        "--media", type=Path, required=True, metavar="DIR", help="the studio's media folder, as mounted here"
    )
    parser.add_argument(
        "--lease",
        type=float,
        default=LEASE,
        metavar="SECONDS",
        help=f"how long a claim holds; must be the same as the studio's ({LEASE:.0f})",
    )
    chosen = parser.parse_args(arguments)
    if not chosen.redis or not (chosen.media / "sources").is_dir():
        print("gravel helper: give --redis URL, and --media with the studio's sources in it.", file=sys.stderr)
        return 1
    name = f"{socket.gethostname()[:40]}-{os.getpid()}-{secrets.token_hex(3)}"
    try:
        board = Board(chosen.redis, name_of_board(chosen.media), chosen.lease)
        board.sign(name)
    except ReliefError as problem:
        print(f"gravel helper: {problem}", file=sys.stderr)
        return 1
    print(f"Helping as {name}. Ctrl-C ends it.", flush=True)
    with suppress(KeyboardInterrupt):
        help_on(board, name, chosen.media)
    return 0


def help_on(board: Board, name: str, media: Path) -> None:
    """Claims one piece of work after the other; a server that does not answer for a while is waited for."""
    while True:
        try:
            board.sign(name)
            claimed = board.claim(name)
            if claimed:
                do_work(board, name, media, *claimed)
        except ReliefError as problem:
            print(f"gravel helper: {problem}", file=sys.stderr, flush=True)
            time.sleep(min(board.lease, 5))


def do_work(board: Board, name: str, media: Path, work: str, description: dict[str, Any]) -> None:
    """Makes what a description says, under a name of its own beside where it goes, and reports it."""
    claim, results = Claim(board, work, name), None
    try:
        folder = (media / str(description["folder"])).resolve()
        if not folder.is_relative_to(media.resolve()):
            raise ReliefError("The work asks for a folder outside the media folder.")
        results = results_of(folder, work, name)
        results.mkdir(parents=True, exist_ok=True)
        report = Report(work, name, WORKS[description["does"]](results, media, description, claim))
    except Cancelled:
        report = None
    except Exception as problem:
        report = Report(work, name, {}, say_problem(problem))
    finally:
        claim.end()
    if results and (report is None or report.problem):
        shutil.rmtree(results, ignore_errors=True)
    if report:
        board.report(report)


def say_problem(problem: Exception) -> str:
    """Why work failed on this machine, in a sentence."""
    machine = socket.gethostname()
    match problem:
        case ReliefError():
            return str(problem)
        case OSError(errno=errno) if errno in NO_ROOM:
            return f"The disk that {machine} writes to is full."
        case OSError():
            return f"{machine} could not read or write a file: {problem.strerror or problem}."
        case MemoryError():
            return f"{machine} has not enough memory for this."
    return f"Something went wrong on {machine}: {type(problem).__name__} {problem}"


def results_of(folder: Path, work: str, helper: str) -> Path:
    """The folder that a helper writes its results into: one that no other helper has."""
    return folder / f".{work}.{helper}"


class Claim(Progress):
    """Renews the claim while the work is done; work that is no longer this helper's is cancelled.

    Work that says nothing for very long hangs, as on a mount that no longer answers: it is let go, for others to claim.
    """

    def __init__(self, board: Board, work: str, helper: str) -> None:
        self._board, self._work, self._helper = board, work, helper
        self._ended, self._lost, self._said = threading.Event(), False, 0.0
        self._heard = time.monotonic()
        self._thread = threading.Thread(target=self._renew, daemon=True)
        self._thread.start()

    def report(self, fraction: float, message: str) -> None:
        self._heard = time.monotonic()
        if self._heard - self._said < SAID_EVERY:
            return
        self._said = self._heard
        with suppress(ReliefError):  # nothing depends on it
            self._board.say(self._work, fraction, message)

    def _renew(self) -> None:
        while not self._ended.wait(self._board.lease / 4):
            if time.monotonic() - self._heard > MOST_SILENCE:
                self._lost = True
                return
            try:
                self._board.sign(self._helper)
                self._lost = not self._board.renew(self._work, self._helper)
            except ReliefError:
                continue  # the lease may still hold when the server answers again
            if self._lost:
                return

    def cancelled(self) -> bool:
        return self._lost

    def end(self) -> None:
        """The work has ended."""
        self._ended.set()
        self._thread.join()


if __name__ == "__main__":
    sys.exit(main())

"""Work in a process of its own, on another machine where a helper is alive, and on this one otherwise."""

from __future__ import annotations

import logging
import secrets
import shutil
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from django.conf import settings

from relief.errors import ReliefError
from relief.progress import Progress
from studio.background.apart import run_apart
from studio.background.models import WorkError
from studio.remote.board import MOST_ATTEMPTS, Board, name_of_board
from studio.remote.helper import results_of
from studio.remote.works import WORKS

logger = logging.getLogger(__name__)

EVERY = 0.25
"""Seconds between two looks at the board."""

LOST = f"{MOST_ATTEMPTS} helpers were lost while they made it."


def open_board() -> Board | None:
    """The board, where the studio has one and helpers are alive; none otherwise, or where it does not answer."""
    if not settings.REDIS:
        return None
    try:
        board = Board(settings.REDIS, name_of_board(Path(settings.MEDIA_ROOT)), settings.REDIS_LEASE)
        return board if board.helpers() else None
    except ReliefError as problem:
        logger.warning("%s The work is done on this machine.", problem)
        return None


@contextmanager
def make_somewhere(
    does: str, name: str, folder: Path, asked: Mapping[str, Any], progress: Progress
) -> Iterator[tuple[dict[str, Any], Path]]:
    """Has work done, and gives its facts and the folder of its results, which is gone afterwards.

    Args:
        does: one of `WORKS`.
        name: what tells it from all other work; without a hyphen.
        folder: in the media folder; the results are made in it.
        asked: the description of the work, as JSON data.
        progress: hears how far it is, and cancels it.

    Raises:
        Cancelled, WorkError, ReliefError, OSError.
    """
    board = open_board()
    done = _make_elsewhere(board, does, name, folder, asked, progress) if board else None
    results = done[1] if done else folder / f".{name}"
    try:
        yield done or (_make_here(does, results, asked, progress), results)
    finally:
        shutil.rmtree(results, ignore_errors=True)


def _make_here(does: str, results: Path, asked: Mapping[str, Any], progress: Progress) -> dict[str, Any]:
    shutil.rmtree(results, ignore_errors=True)  # of a worker that was killed
    results.mkdir(parents=True)
    return run_apart(WORKS[does], (results, Path(settings.MEDIA_ROOT), asked), progress)  # type: ignore[no-any-return]


def _make_elsewhere(
    board: Board, does: str, name: str, folder: Path, asked: Mapping[str, Any], progress: Progress
) -> tuple[dict[str, Any], Path] | None:
    """The facts of work that a helper has done, and the folder of its results; nothing where no helper is left."""
    work = f"{name}-{secrets.token_hex(4)}"
    within = folder.relative_to(Path(settings.MEDIA_ROOT)).as_posix()
    try:
        board.post(work, {**asked, "does": does, "folder": within})
        while board.helpers():
            for report in board.reports(name):
                results = results_of(folder, report.work, report.helper)
                if report.work != work:  # of an earlier try
                    shutil.rmtree(results, ignore_errors=True)
                elif report.problem:
                    raise WorkError(report.problem)
                else:
                    return report.facts, results
            if work in board.put_up_again():
                raise WorkError(LOST)
            progress.step(*(board.heard(work) or (0.0, "Waiting for a helper")))
            time.sleep(EVERY)
    except ReliefError as problem:
        logger.warning("%s The work is done on this machine.", problem)
    finally:
        with suppress(ReliefError):
            board.withdraw(work)
    return None

"""How the studio is doing, for who runs it: workers alive, work that waits, room on the disk."""

from __future__ import annotations

import os
import shutil
import socket
import threading
import time
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path

from django.conf import settings
from django.db.models import Min
from django.utils import timezone

from relief.figures import say_bytes, say_time
from studio.background.models import Work

BEAT_EVERY, ALIVE_WITHIN = 10, 60
"""Seconds between two signs of life of a worker, and those after the last one for which it counts as alive."""

LEAST_ROOM = 1 << 30
"""Bytes on the disk below which an import or a build may fail half way."""

LONGEST_WAIT = 15 * 60
"""Seconds that work may wait; a build in front of it seldom takes longer."""


@dataclass(frozen=True)
class Health:
    """What was found.

    Attributes:
        problems: what needs somebody, in sentences; none when all is well.
        workers: how many have given a sign of life.
        waiting, running: pieces of work of all kinds.
        oldest: seconds that the oldest waiting one has waited.
        room: bytes left on the disk of the data folder.
    """

    problems: tuple[str, ...]
    workers: int
    waiting: int
    running: int
    oldest: float
    room: int

    @property
    def is_well(self) -> bool:
        return not self.problems

    def as_data(self) -> dict[str, object]:
        """As JSON data."""
        return {"well": self.is_well, **asdict(self), "problems": list(self.problems)}


def measure_health() -> Health:
    """How the studio is doing now."""
    kinds = Work.kinds()
    waiting = [kind.objects.filter(state=Work.State.WAITING) for kind in kinds]
    running = sum(kind.objects.filter(state=Work.State.RUNNING).count() for kind in kinds)
    since = [made for rows in waiting if (made := rows.aggregate(first=Min("made"))["first"])]
    oldest = max(0.0, (timezone.now() - min(since)).total_seconds()) if since else 0.0
    workers, room = count_workers(), shutil.disk_usage(settings.DATA).free
    problems = []
    if not workers:
        problems.append("No worker is alive: builds, deliveries and imports wait. Start one with: gravel worker")
    elif oldest > LONGEST_WAIT:
        problems.append(f"Work has waited for {say_time(oldest)}. Start another worker with: gravel worker")
    if room < LEAST_ROOM:
        problems.append(f"Only {say_bytes(room)} are left on the disk. See: gravel manage clear_unused")
    return Health(tuple(problems), workers, sum(rows.count() for rows in waiting), running, oldest, room)


def count_workers() -> int:
    """How many workers have given a sign of life of late; what the dead left is cleared away."""
    alive, now = 0, time.time()
    for sign in _signs().glob("*"):
        try:
            age = now - sign.stat().st_mtime
        except FileNotFoundError:
            continue
        if age <= ALIVE_WITHIN:
            alive += 1
        elif age > 24 * 3600:
            sign.unlink(missing_ok=True)
    return alive


def give_sign() -> Path:
    """One sign of life of this process. Gives its place."""
    sign = _signs() / f"{socket.gethostname()[:40]}-{os.getpid()}"
    sign.parent.mkdir(parents=True, exist_ok=True)
    sign.touch()
    return sign


def keep_giving_signs() -> None:
    """Gives signs of life until the process ends, from a thread of its own."""

    def go_on() -> None:
        while True:
            with suppress(OSError):  # a full disk is found otherwise
                give_sign()
            time.sleep(BEAT_EVERY)

    threading.Thread(target=go_on, name="signs of life", daemon=True).start()


def _signs() -> Path:
    return Path(settings.DATA) / "workers"

"""The board: descriptions of work that helpers on other machines claim, and what they report, in a Redis server.

A description says all that is needed: the recipe, and where sources and results lie in a folder that all machines
share. A helper holds a lease while it works, and renews it. Where a lease ends without a report, the work is put up
again. What is reported twice is told apart by the file that each helper writes under a name of its own.
"""

from __future__ import annotations

import json
import os
import secrets
import time
from contextlib import suppress
from pathlib import Path
from typing import Any, NamedTuple

from relief.errors import ReliefError

LEASE = 15.0
"""Seconds that work belongs to a helper unless it renews the claim, and that a helper counts as alive after a sign."""

MOST_ATTEMPTS = 3
"""Times that work is put up; what has cost as many helpers their lives is given up."""

REPORTS_STAY = 24 * 3600
"""Seconds that a report is kept which nobody reads."""

MISSING = "Several machines need redis, which is not installed. Install it with: pip install 'zealous-gravel[machines]'"
UNREACHABLE = "The Redis server does not answer: {problem}"


def name_of_board(media: Path) -> str:
    """The name of the board of a studio, which stands in its media folder; made when it is first asked for."""
    place = media / "board"
    if not place.exists():
        media.mkdir(parents=True, exist_ok=True)
        made = media / f".board.{secrets.token_hex(4)}"
        made.write_text(secrets.token_hex(8))
        with suppress(FileExistsError):
            os.link(made, place)  # it is seen whole or not at all
        made.unlink()
    return place.read_text().strip()[:40]


def group_of(work: str) -> str:
    """The group of some work: its name as far as the first hyphen. Who hands out a group reads its reports."""
    return work.partition("-")[0]


class Report(NamedTuple):
    """What a helper says of work that has ended.

    Attributes:
        work: the name of the work.
        helper: who did it.
        facts: what came of it, as JSON data; empty where it failed.
        problem: why it failed, in a sentence.
    """

    work: str
    helper: str
    facts: dict[str, Any]
    problem: str = ""


class Board:
    """A board in a Redis server, of a name of its own, so that several studios can share the server.

    Raises:
        ReliefError: from every method where the server does not answer.
    """

    def __init__(self, address: str, name: str, lease: float = LEASE) -> None:
        try:
            import redis
        except ImportError:
            raise ReliefError(MISSING) from None
        self.lease = lease
        self._name = f"gravel:{name}"
        self._faults = redis.RedisError
        self._redis = redis.Redis.from_url(address, decode_responses=True, socket_timeout=10, socket_connect_timeout=5)

    def _do(self, command: str, *arguments: Any, **more: Any) -> Any:
        try:
            return getattr(self._redis, command)(*arguments, **more)
        except self._faults as problem:
            raise ReliefError(UNREACHABLE.format(problem=problem)) from problem

    # what hands work out

    def post(self, work: str, description: dict[str, Any]) -> None:
        """Puts work up, unless it is on the board already."""
        if self._do("set", f"{self._name}:work:{work}", json.dumps(description), nx=True):
            self._do("rpush", f"{self._name}:waiting", work)

    def withdraw(self, work: str) -> None:
        """Takes work from the board; a helper that is at it hears so when it next asks."""
        self._do("lrem", f"{self._name}:waiting", 0, work)
        self._do("lrem", f"{self._name}:claimed", 0, work)
        for key in ("work", "lease", "attempts", "claimed-at"):
            self._do("delete", f"{self._name}:{key}:{work}")

    def reports(self, group: str) -> list[Report]:
        """What was reported of the work of a group since the last time."""
        found = []
        while (text := self._do("lpop", f"{self._name}:reports:{group}")) is not None:
            try:
                told = json.loads(text)
                found.append(Report(str(told[0]), str(told[1]), dict(told[2]), str(told[3])))
            except (ValueError, TypeError, LookupError):
                continue  # nobody of ours wrote that
        return found

    def heard(self, work: str) -> tuple[float, str] | None:
        """How far work is, from 0 to 1, and what its helper is at; nothing if it has not said so lately."""
        try:
            fraction, message = json.loads(self._do("get", f"{self._name}:progress:{work}") or "")
            return float(fraction), str(message)
        except (ValueError, TypeError):
            return None

    def put_up_again(self) -> list[str]:
        """Puts work up again whose helper was lost; gives what has been put up too often and is withdrawn."""
        given_up = []
        for work in self._do("lrange", f"{self._name}:claimed", 0, -1):
            since = f"{self._name}:claimed-at:{work}"
            # where its helper has not come to that yet; it does not stay where the work is withdrawn right now
            self._do("set", since, time.time(), nx=True, ex=REPORTS_STAY)
            claimed = float(self._do("get", since) or time.time())
            if self._do("exists", f"{self._name}:lease:{work}") or time.time() - claimed < self.lease:
                continue
            if not self._do("lrem", f"{self._name}:claimed", 1, work):
                continue  # somebody else was quicker
            if self._do("incr", f"{self._name}:attempts:{work}") >= MOST_ATTEMPTS:
                self.withdraw(work)
                given_up.append(work)
            elif self._do("exists", f"{self._name}:work:{work}"):
                self._do("delete", since)
                self._do("lpush", f"{self._name}:waiting", work)
            else:
                self.withdraw(work)  # somebody did so just now, and nothing of it is to stay
        return given_up

    def helpers(self) -> list[str]:
        """The names of the helpers that are alive."""
        return sorted(key.removeprefix(f"{self._name}:helper:") for key in self._do("keys", f"{self._name}:helper:*"))

    # what a helper does

    def sign(self, helper: str) -> None:
        """Says that a helper is alive."""
        self._do("set", f"{self._name}:helper:{helper}", "1", px=round(1000 * self.lease))

    def claim(self, helper: str, wait: float = 1.0) -> tuple[str, dict[str, Any]] | None:
        """Work that nobody else has, and its description; none if none comes within some seconds."""
        work = self._do("blmove", f"{self._name}:waiting", f"{self._name}:claimed", wait, "LEFT", "RIGHT")
        if work is None:
            return None
        self._do("set", f"{self._name}:claimed-at:{work}", time.time())
        text = self._do("get", f"{self._name}:work:{work}")
        if text is None or not self._do(
            "set", f"{self._name}:lease:{work}", helper, nx=True, px=round(1000 * self.lease)
        ):
            return None
        return work, json.loads(text)

    def renew(self, work: str, helper: str) -> bool:
        """Renews the claim; false where the work was withdrawn or is somebody else's by now."""
        if self._do("get", f"{self._name}:lease:{work}") != helper or not self._do(
            "exists", f"{self._name}:work:{work}"
        ):
            return False
        self._do("set", f"{self._name}:lease:{work}", helper, px=round(1000 * self.lease))
        return True

    def say(self, work: str, fraction: float, message: str) -> None:
        """Says how far work is, from 0 to 1, and what is being done."""
        said = json.dumps([fraction, message])
        self._do("set", f"{self._name}:progress:{work}", said, px=round(4000 * self.lease))

    def report(self, report: Report) -> None:
        """Says how work has ended, and lets it go."""
        reports = f"{self._name}:reports:{group_of(report.work)}"
        self._do("rpush", reports, json.dumps([report.work, report.helper, report.facts, report.problem]))
        self._do("expire", reports, REPORTS_STAY)
        self._do("lrem", f"{self._name}:claimed", 0, report.work)
        self._do("delete", f"{self._name}:lease:{report.work}")

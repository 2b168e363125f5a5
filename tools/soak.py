"""Puts load on a studio of its own: pages that drag, look and measure for some seconds. It prints how long they waited,
what went wrong, and what memory the server held before and after. Only this machine is ever asked.
"""

from __future__ import annotations

import argparse
import http.client
import json
import random
import re
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter, defaultdict
from pathlib import Path
from urllib.parse import urlencode

from studio.demo import HOST, HOUSE

PATIENCE = 600
"""Seconds until the studio must stand: its kernels may have to be compiled first."""

DRAGS = 6
"""Previews that a page asks for before it asks for what is measured, as a hand that drags and rests does."""

THINKING = 0.15
"""Seconds from an answer to the next question of the same page."""

SETTLING = 12
"""Seconds from the last request until the memory is read."""

MOST_CLIENTS, MOST_SECONDS = 100, 3600


def main() -> int:
    """Runs the load; the exit status is 1 when an answer was an error."""
    parser = argparse.ArgumentParser(prog="bin/tool soak", description=__doc__)
    parser.add_argument("--clients", type=int, default=20, help="pages that are open at once (20)")
    parser.add_argument("--pieces", type=int, default=5, help="pieces that they share (5)")
    parser.add_argument("--seconds", type=int, default=60, help="how long (60)")
    chosen = parser.parse_args()
    if not (1 <= chosen.clients <= MOST_CLIENTS and 1 <= chosen.pieces <= 8 and 1 <= chosen.seconds <= MOST_SECONDS):
        parser.error(f"1 to {MOST_CLIENTS} clients, 1 to 8 pieces, 1 to {MOST_SECONDS} seconds")
    with tempfile.TemporaryDirectory(prefix="gravel-soak-") as data, socket.socket() as free:
        free.bind((HOST, 0))
        port = free.getsockname()[1]
        free.close()
        command = [sys.executable, "-m", "studio.demo", "--port", str(port), "--data", data]
        studio = subprocess.Popen(command, cwd=HOUSE, stdout=subprocess.DEVNULL)
        try:
            wait_for(port, studio)
            return soak(port, server_of(studio.pid), chosen)
        finally:
            studio.terminate()
            studio.wait(timeout=30)


def wait_for(port: int, studio: subprocess.Popen) -> None:
    """Waits until the studio answers."""
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until and studio.poll() is None:
        try:
            Page(port, 0).get("/")
            return
        except OSError:
            time.sleep(0.5)
    raise SystemExit("The studio did not start.")


def server_of(studio: int) -> int:
    """The number of the server's process."""
    for place in Path("/proc").glob("[0-9]*"):
        try:
            command = (place / "cmdline").read_text()
            parent = int((place / "stat").read_text().rpartition(")")[2].split()[1])
        except OSError:
            continue
        if parent == studio and "studio.server" in command:
            return int(place.name)
    raise SystemExit("The server's process was not found.")


def memory_of(process: int) -> int:
    """Bytes that a process holds in memory."""
    status = Path(f"/proc/{process}/status").read_text()
    return int(re.search(r"VmRSS:\s+(\d+) kB", status).group(1)) * 1024  # type: ignore[union-attr]


class Page:
    """An open page: one connection, one piece, and how long it waited for what."""

    def __init__(self, port: int, seed: int) -> None:
        self.port, self.random = port, random.Random(seed)
        self.name = f"soak{seed}"
        self.waited: dict[str, list[float]] = defaultdict(list)
        self.statuses: Counter[int] = Counter()
        self._connection = http.client.HTTPConnection(HOST, port, timeout=120)

    def get(self, path: str, kind: str = "", **values: object) -> bytes:
        """The body of an answer; how long it took is kept under its kind."""
        asked = f"{path}?{urlencode(values)}" if values else path
        begun = time.monotonic()
        self._connection.request("GET", asked, headers={"X-Page": self.name, "Accept": "*/*"})
        answer = self._connection.getresponse()
        body = answer.read()
        if kind:
            self.waited[kind].append(time.monotonic() - begun)
        self.statuses[answer.status] += 1
        return body

    def drag(self, piece: int, until: float) -> None:
        """Drags amplitude or midlevel, and has measured, until time is up."""
        while time.monotonic() < until:
            self.get(f"/piece/{piece}/relief/", "page")
            path, low, high = self.random.choice([("amplitude", 2, 30), ("midlevel", 0.2, 0.8)])
            for _ in range(DRAGS):
                value = f"{self.random.uniform(low, high):.3f}"
                changes = {"base": 1, "view": "lit", "longest": 1024, f"d.{path}": value}
                self.get(f"/piece/{piece}/preview", "preview", **changes)
                time.sleep(THINKING)
            self.get(f"/piece/{piece}/measured", "measured", base=1, step="relief")
            self.get("/", "shelf")


def soak(port: int, server: int, chosen: argparse.Namespace) -> int:
    """Has pages drag, and prints what came of it."""
    pieces = sorted({int(number) for number in re.findall(rb"/piece/(\d+)/", Page(port, 0).get("/"))}, reverse=True)[
        : chosen.pieces
    ]
    for piece in pieces:  # what is measured of each for the first time is not what is measured here
        Page(port, 0).get(f"/piece/{piece}/measured", base=1, step="relief")
    before, until = memory_of(server), time.monotonic() + chosen.seconds
    pages = [Page(port, seed) for seed in range(1, chosen.clients + 1)]
    threads = [
        threading.Thread(target=page.drag, args=(pieces[number % len(pieces)], until))
        for number, page in enumerate(pages)
    ]
    for thread in threads:
        thread.start()
    highest = before
    while any(thread.is_alive() for thread in threads):
        highest = max(highest, memory_of(server))
        time.sleep(0.5)
    time.sleep(SETTLING)
    statuses = sum((page.statuses for page in pages), Counter())
    told = {
        "clients": chosen.clients,
        "pieces": len(pieces),
        "seconds": chosen.seconds,
        "answers": {str(status): count for status, count in sorted(statuses.items())},
        "waited": {kind: _spread([each for page in pages for each in page.waited[kind]]) for kind in KINDS},
        "memory_mb": {
            "before": before >> 20, "highest": highest >> 20, "settled": memory_of(server) >> 20
        },
    }  # fmt: skip
    print(json.dumps(told, indent=2))
    return int(any(status >= 400 for status in statuses))


KINDS = ("preview", "measured", "page", "shelf")


def _spread(waited: list[float]) -> dict[str, float]:
    """How many, and the median, 95 % and the longest, seconds."""
    ordered = sorted(waited) or [0.0]

    def at(part: float) -> float:
        return round(ordered[min(len(ordered) - 1, int(part * len(ordered)))], 3)

    return {"count": len(waited), "median": at(0.5), "95 %": at(0.95), "longest": at(1)}


if __name__ == "__main__":
    sys.exit(main())

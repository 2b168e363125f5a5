"""Puts load on a studio of its own: pages that drag, look and measure for some seconds. It prints how long they waited,
what went wrong, and what memory the server held before and after. Only this machine is ever asked.
"""

from __future__ import annotations

import argparse
import http.client
import json
import os
import random
import re
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter, defaultdict
from contextlib import ExitStack, closing
from http.cookies import SimpleCookie
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
    """Runs the load; the exit status is 1 when an answer was an error, or a revision was lost."""
    parser = argparse.ArgumentParser(prog="bin/tool soak", description=__doc__)
    parser.add_argument("--clients", type=int, default=20, help="pages that are open at once (20)")
    parser.add_argument("--pieces", type=int, default=5, help="pieces that they share (5)")
    parser.add_argument("--seconds", type=int, default=60, help="how long (60)")
    parser.add_argument("--artists", type=int, default=0, help="who share the pieces (0: a local studio)")
    parser.add_argument("--servers", type=int, default=1, help="web processes; a page stays with one of them (1)")
    parser.add_argument("--build", action="store_true", help="a delivery is built meanwhile")
    chosen = parser.parse_args()
    if not (1 <= chosen.clients <= MOST_CLIENTS and 1 <= chosen.pieces <= 8 and 1 <= chosen.seconds <= MOST_SECONDS):
        parser.error(f"1 to {MOST_CLIENTS} clients, 1 to 8 pieces, 1 to {MOST_SECONDS} seconds")
    if not (0 <= chosen.artists <= chosen.clients and 1 <= chosen.servers <= 8):
        parser.error("no more artists than clients, and 1 to 8 servers")
    with tempfile.TemporaryDirectory(prefix="gravel-soak-") as data, ExitStack() as ends:
        os.environ.update(GRAVEL_DATA=data, GRAVEL_SHARED="yes" if chosen.artists else "no")
        ports = [free_port() for _ in range(chosen.servers)]
        studio = begin(ends, "studio.demo", "--port", str(ports[0]), "--data", data)
        wait_for(ports[0], studio)
        begun = [begin(ends, "studio.server", "--port", str(port)) for port in ports[1:]]
        servers = [server_of(studio.pid), *(each.pid for each in begun)]
        for port, server in zip(ports[1:], begun, strict=True):
            wait_for(port, server)
        wait_for_pieces(Path(data), chosen.pieces)
        artists = [f"artist{number}" for number in range(1, chosen.artists + 1)]
        if artists:
            subprocess.run([sys.executable, "manage.py", "shell", "-c", SHARE.format(artists=artists)], check=True)
        return soak(ports, servers, artists, Path(data), chosen)


SHARE = """
from django.contrib.auth import get_user_model
from studio.shelf.models import Piece, Share
for name in {artists}:
    artist = get_user_model().objects.create_user(name, password=name * 3)
    for piece in Piece.objects.all():
        Share.objects.create(piece=piece, artist=artist, may_work=True)
"""


def begin(ends: ExitStack, module: str, *arguments: str) -> subprocess.Popen:
    """A process of the studio, which ends with this one."""
    process = subprocess.Popen([sys.executable, "-m", module, *arguments], cwd=HOUSE, stdout=subprocess.DEVNULL)
    ends.callback(process.wait, 30)
    ends.callback(process.terminate)
    return process


def free_port() -> int:
    """A port that nothing listens on."""
    with socket.socket() as free:
        free.bind((HOST, 0))
        return int(free.getsockname()[1])


def wait_for(port: int, studio: subprocess.Popen) -> None:
    """Waits until the studio answers."""
    until = time.monotonic() + PATIENCE
    while time.monotonic() < until and studio.poll() is None:
        try:
            Page(port, 0).ask("GET", "/sign-in/")
            return
        except OSError:
            time.sleep(0.5)
    raise SystemExit("The studio did not start.")


def wait_for_pieces(data: Path, many: int) -> None:
    """Waits until the worker has made so many demo pieces."""
    until = time.monotonic() + PATIENCE
    while len(count_revisions(data)) < many:
        if time.monotonic() > until:
            raise SystemExit("The demo pieces were not made.")
        time.sleep(1)


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
    """An open page: one connection, one piece, how long it waited for what, and how many changes were taken."""

    def __init__(self, port: int, seed: int) -> None:
        self.random = random.Random(seed)
        self.name = f"soak{seed}"
        self.waited: dict[str, list[float]] = defaultdict(list)
        self.statuses: Counter[int] = Counter()
        self.changed: Counter[int] = Counter()
        self._cookies = SimpleCookie()
        self._connection = http.client.HTTPConnection(HOST, port, timeout=120)

    def ask(self, method: str, path: str, body: str | None = None, **headers: str) -> tuple[int, bytes]:
        """The status and the body of an answer; its cookies are kept."""
        sent = {"X-Page": self.name, "Accept": "*/*", **headers}
        if self._cookies:
            sent["Cookie"] = "; ".join(f"{name}={cookie.value}" for name, cookie in self._cookies.items())
        self._connection.request(method, path, body, sent)
        answer = self._connection.getresponse()
        told = answer.read()
        for cookie in answer.msg.get_all("Set-Cookie", []):
            self._cookies.load(cookie)
        return answer.status, told

    def get(self, path: str, kind: str = "", **values: object) -> bytes:
        """The body of an answer; how long it took is kept under its kind."""
        begun = time.monotonic()
        status, body = self.ask("GET", f"{path}?{urlencode(values)}" if values else path)
        if kind:
            self.waited[kind].append(time.monotonic() - begun)
        self.statuses[status] += 1
        return body

    def post(self, path: str, kind: str = "", **values: object) -> int:
        """The status of the answer to a form, as a page sends it."""
        begun = time.monotonic()
        token = self._cookies["csrftoken"].value
        form = {"Content-Type": "application/x-www-form-urlencoded", "X-CSRFToken": token, "HX-Request": "true"}
        status, _ = self.ask("POST", path, urlencode(values), **form)
        if kind:
            self.waited[kind].append(time.monotonic() - begun)
        return status

    def sign_in(self, artist: str) -> None:
        """Signs in as an artist of a shared studio."""
        self.get("/sign-in/")
        status = self.post("/sign-in/", username=artist, password=artist * 3)
        if status != 302:
            raise SystemExit(f"{artist} could not sign in ({status}).")

    def drag(self, piece: int, until: float) -> None:
        """Drags amplitude or midlevel, lets go, and has measured, until time is up; others may be quicker."""
        while time.monotonic() < until:
            found = re.search(rb'data-revision="(\d+)"', self.get(f"/piece/{piece}/relief/", "page"))
            base = found.group(1).decode() if found else "0"
            path, low, high = self.random.choice([("amplitude", 2, 30), ("midlevel", 0.2, 0.8)])
            for _ in range(DRAGS):
                value = f"{self.random.uniform(low, high):.4f}"
                changes = {"base": base, "view": "lit", "longest": 1024, f"d.{path}": value}
                self.get(f"/piece/{piece}/preview", "preview", **changes)
                time.sleep(THINKING)
            status = self.post(f"/piece/{piece}/change", "change", base=base, step="relief", **{path: value})
            self.statuses["stale" if status == 409 else status] += 1  # type: ignore[index]
            self.changed[piece] += status == 200
            self.get(f"/piece/{piece}/measured", "measured", base=base, step="relief")
            self.get("/", "shelf")


def soak(ports: list[int], servers: list[int], artists: list[str], data: Path, chosen: argparse.Namespace) -> int:
    """Has pages drag, and prints what came of it."""
    pages = [Page(ports[seed % len(ports)], seed) for seed in range(1, chosen.clients + 1)]
    for number, page in enumerate(pages):
        if artists:
            page.sign_in(artists[number % len(artists)])
    shelf = pages[0].get("/")
    pieces = sorted({int(number) for number in re.findall(rb"/piece/(\d+)/", shelf)}, reverse=True)[: chosen.pieces]
    for piece in pieces:  # what is measured of each for the first time is not what is measured here
        for port in range(len(ports)):
            pages[min(port, len(pages) - 1)].get(f"/piece/{piece}/measured", base=1, step="relief")
    kept = count_revisions(data)
    if chosen.build:
        pages[0].post(f"/piece/{pieces[0]}/deliveries/start", base=1)
    before, until = sum(map(memory_of, servers)), time.monotonic() + chosen.seconds
    threads = [
        threading.Thread(target=page.drag, args=(pieces[number % len(pieces)], until))
        for number, page in enumerate(pages)
    ]
    for thread in threads:
        thread.start()
    highest = before
    while any(thread.is_alive() for thread in threads):
        highest = max(highest, sum(map(memory_of, servers)))
        time.sleep(0.5)
    changed = sum((page.changed for page in pages), Counter())
    now = count_revisions(data)
    lost = {piece: taken - (now[piece] - kept[piece]) for piece, taken in changed.items()}
    time.sleep(SETTLING)
    statuses = sum((page.statuses for page in pages), Counter())
    told = {
        "clients": chosen.clients,
        "pieces": len(pieces),
        "servers": len(servers),
        "artists": len(artists),
        "seconds": chosen.seconds,
        "answers": {str(status): count for status, count in sorted(statuses.items(), key=str)},
        "changes": {"taken": sum(changed.values()), "lost": sum(map(abs, lost.values()))},
        "waited": {kind: _spread([each for page in pages for each in page.waited[kind]]) for kind in KINDS},
        "memory_mb": {
            "before": before >> 20, "highest": highest >> 20, "settled": sum(map(memory_of, servers)) >> 20
        },
    }  # fmt: skip
    print(json.dumps(told, indent=2))
    return int(any(lost.values()) or any(status != "stale" and status >= 400 for status in statuses))


def count_revisions(data: Path) -> Counter[int]:
    """How many revisions each piece has in the database."""
    with closing(sqlite3.connect(data / "studio.sqlite3", timeout=60)) as database:
        return Counter(dict(database.execute("SELECT piece_id, COUNT(*) FROM bench_revision GROUP BY piece_id")))


KINDS = ("preview", "change", "measured", "page", "shelf")


def _spread(waited: list[float]) -> dict[str, float]:
    """How many, and the median, 95 % and the longest, seconds."""
    ordered = sorted(waited) or [0.0]

    def at(part: float) -> float:
        return round(ordered[min(len(ordered) - 1, int(part * len(ordered)))], 3)

    return {"count": len(waited), "median": at(0.5), "95 %": at(0.95), "longest": at(1)}


if __name__ == "__main__":
    sys.exit(main())

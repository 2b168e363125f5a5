"""What the environment says of how the studio runs. Each variable is read here, and named in `VARIABLES`."""

from __future__ import annotations

import os
from pathlib import Path

HOUSE = Path(__file__).resolve().parent.parent
"""The folder that holds the packages: the source, or where they were installed."""

VARIABLES = {
    "GRAVEL_DATA": "folder of the database, the media and the queue",
    "GRAVEL_BIND": "address that the server listens on (127.0.0.1)",
    "GRAVEL_HOSTS": "names under which other machines reach the studio, with commas between them (none)",
    "GRAVEL_ORIGINS": "addresses of pages behind a proxy, such as https://relief.example, with commas (none)",
    "GRAVEL_PROXY": "address of the proxy whose X-Forwarded headers are believed (none)",
    "GRAVEL_SECRET_KEY": "Django's secret key (one is made and kept in the data folder)",
    "GRAVEL_SHARED": "yes: artists sign in, each with a shelf of their own (no)",
    "GRAVEL_HTTPS": "yes: it is reached by HTTPS alone, through the proxy (no)",
    "GRAVEL_MEMORY_SHARE": "share of the machine's memory that a final build may take (0.5)",
    "GRAVEL_CACHE_MB": "megabytes of finished computations that a process keeps (640)",
    "GRAVEL_TEXELS": "texels that one stage may touch for a page (1000000000)",
    "GRAVEL_CLEAR_AFTER": "days after which the worker clears what nothing uses any more (0: never by itself)",
    "GRAVEL_WATCH": "folder whose new pictures go on the shelf; in a shared studio it holds one for each artist (none)",
    "GRAVEL_REDIS": "Redis server by which work is handed out to helpers, such as redis://host:6379/0 (none)",
    "GRAVEL_QUOTA_GB": "gigabytes that each artist may keep (0: no limit)",
    "GRAVEL_QUOTA_JOBS": "jobs of each artist that may run or wait at a time (0: no limit)",
    "GRAVEL_THREADS": "threads that a kernel runs in (one for each processor)",
    "GRAVEL_LOG": "json: one line of JSON for each event that is logged (text)",
    "GRAVEL_STATIC": "folder that `gravel manage collectstatic` fills (static/ in the data folder)",
}
"""Each variable: what it sets, and what is taken where it is not there."""


def read_text(name: str, default: str = "") -> str:
    """A variable as text, without spaces around it."""
    return os.environ.get(name, "").strip() or default


def read_list(name: str) -> list[str]:
    """What a variable names, with commas between."""
    return [item.strip() for item in read_text(name).split(",") if item.strip()]


def read_switch(name: str) -> bool:
    """Whether a variable says yes.

    Raises:
        SystemExit: with one line, where it says neither yes nor no.
    """
    text = read_text(name, "no").lower()
    if text not in ("yes", "no", "1", "0", "on", "off", "true", "false"):
        raise SystemExit(f"{name} is {text[:40]!r}; it takes yes or no.")
    return text in ("yes", "1", "on", "true")


def read_number(name: str, default: int, least: int = 1) -> int:
    """A variable as a whole number.

    Raises:
        SystemExit: with one line, where it is none or too small.
    """
    text = read_text(name, str(default))
    if not text.isdecimal() or int(text) < least:
        raise SystemExit(f"{name} is {text[:40]!r}; it takes a whole number from {least} up.")
    return int(text)


def read_choice(name: str, *known: str) -> str:
    """A variable that is one of some words, the first one where it is not there.

    Raises:
        SystemExit: with one line, where it is another word.
    """
    text = read_text(name, known[0]).lower()
    if text not in known:
        raise SystemExit(f"{name} is {text[:40]!r}; it takes {' or '.join(known)}.")
    return text


def bind_address() -> str:
    """The address that the server listens on."""
    return read_text("GRAVEL_BIND", "127.0.0.1")


def data_folder() -> Path:
    """What GRAVEL_DATA names; else `var/` beside the source, or a folder of the user's when it is installed.

    That folder is where the XDG Base Directory Specification has it.
    """
    if named := read_text("GRAVEL_DATA"):
        return Path(named)
    if (HOUSE / "manage.py").exists():
        return HOUSE / "var"
    return Path(read_text("XDG_DATA_HOME") or Path.home() / ".local" / "share") / "zealous-gravel"

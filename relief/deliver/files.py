"""Files on disk: written whole or not at all, under names that are safe everywhere."""

from __future__ import annotations

import hashlib
import os
import re
import secrets
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO, NamedTuple, Protocol

LONGEST_STEM, LONGEST_NAME = 60, 120


@contextmanager
def open_whole(path: Path) -> Iterator[BinaryIO]:
    """A file to write to, a temporary one beside a place, so that no half of it is ever seen under its name."""
    beside = path.with_name(f".{path.name}.{secrets.token_hex(4)}")
    try:
        with beside.open("wb") as file:
            yield file
            file.flush()
            os.fsync(file.fileno())
        beside.replace(path)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise


def clear_halves(path: Path) -> None:
    """Removes what is left beside a place by writers of it that were killed half way."""
    for half in path.parent.glob(f".{path.name}.*"):
        half.unlink(missing_ok=True)


def write_whole(path: Path, data: bytes) -> None:
    """Writes a file whole or not at all."""
    with open_whole(path) as file:
        file.write(data)


def is_whole(path: Path, size: int) -> bool:
    """Whether a file is there and as large as it was written."""
    try:
        return path.stat().st_size == size
    except OSError:
        return False


def checksum(path: Path) -> str:
    """SHA-256 of a file, in hexadecimal digits."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


class Made(NamedTuple):
    """Bytes under a file name, as they were made."""

    name: str
    data: bytes


class Named(Protocol):
    """Bytes under a file name."""

    @property
    def name(self) -> str: ...

    @property
    def data(self) -> bytes: ...


def write_all(folder: Path, files: Iterable[Named]) -> list[Path]:
    """Writes files one after the other, each before the next is made; under their names they are seen all or none."""
    folder.mkdir(parents=True, exist_ok=True)
    written: list[tuple[Path, Path]] = []
    try:
        for file in files:
            beside = folder / f".{file.name}.{secrets.token_hex(4)}"
            written.append((beside, folder / file.name))
            with beside.open("wb") as open_file:
                open_file.write(file.data)
                open_file.flush()
                os.fsync(open_file.fileno())
        for beside, place in written:
            beside.replace(place)
    except BaseException:
        for beside, _ in written:
            beside.unlink(missing_ok=True)
        raise
    return [place for _, place in written]


def safe_stem(name: str) -> str:
    """A file name's stem of letters, digits, `-` and `_` only."""
    stem = Path(name.replace("\\", "/")).stem
    return re.sub(r"[^\w-]+", "_", stem, flags=re.ASCII).strip("_")[:LONGEST_STEM] or "relief"


def safe_name(name: str) -> str:
    """A file name's stem that every system takes, of parts joined by one `_`; empty where nothing is left.

    Letters, digits, `-`, `_` and `.` alone; no name that a system keeps for itself (CON, NUL, COM1 and the like, as
    Microsoft's *Naming Files, Paths, and Namespaces* lists them).
    """
    plain = re.sub(r"_+", "_", re.sub(r"[^\w.-]+", "_", name, flags=re.ASCII)).strip("_.-")[:LONGEST_NAME].strip("_.-")
    kept = re.fullmatch(r"(con|prn|aux|nul|com\d|lpt\d)(\..*)?", plain, re.IGNORECASE)
    return f"_{plain}" if kept else plain

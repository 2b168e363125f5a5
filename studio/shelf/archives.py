"""What comes in: pictures and meshes, and ZIP archives of them, read entry by entry within limits."""

from __future__ import annotations

import stat
import zipfile
from collections.abc import Iterator
from typing import BinaryIO

from relief.errors import PictureError
from relief.sources.decode import ENDINGS
from relief.sources.mesh.read import is_mesh

MOST_ENTRIES = 1000
LARGEST_ENTRY = 600 * 1024 * 1024
LARGEST_WHOLE = 4 * 1024 * 1024 * 1024
MOST_EXPANSION = 200
"""Times that an entry may be larger than it is packed; pictures are packed already."""

SMALL = 1024 * 1024
"""Bytes below which an entry may expand as it likes."""

Incoming = tuple[str, bytes | PictureError]


def count_entries(file: BinaryIO) -> int:
    """How many files `incoming` gives of a file, as far as can be told."""
    try:
        with zipfile.ZipFile(file) as archive:
            return sum(_is_wanted(entry) for entry in archive.infolist())
    except Exception:  # it is no archive, or a broken one
        return 1


def incoming(filename: str, file: BinaryIO, first: int = 0) -> Iterator[Incoming]:
    """The pictures and meshes in a file: itself, or what a ZIP holds. What cannot be read comes as the error.

    Of a ZIP those before `first` are passed over.

    Names are cut to their last part, so nothing is ever written outside its place. Links and files of other kinds are
    passed over.
    """
    if not zipfile.is_zipfile(file):
        file.seek(0)
        yield filename, file.read()
        return
    try:
        with zipfile.ZipFile(file) as archive:
            yield from _entries(archive, filename, first)
    except Exception:  # whatever the library stumbles over
        yield filename, PictureError("The ZIP archive is broken or incomplete.")


def _entries(archive: zipfile.ZipFile, filename: str, first: int) -> Iterator[Incoming]:
    entries = archive.infolist()
    if len(entries) > MOST_ENTRIES:
        yield filename, PictureError(f"The archive has {len(entries)} entries. At most {MOST_ENTRIES} are read.")
        return
    wanted = [entry for entry in entries if _is_wanted(entry)]
    if not wanted:
        yield filename, PictureError("There is no picture in this archive.")
        return
    if sum(entry.file_size for entry in wanted) > LARGEST_WHOLE:
        yield filename, PictureError("The archive would take more than 4 GB unpacked.")
        return
    for entry in wanted[first:]:
        name = _last_part(entry)
        try:
            yield name, _unpack(archive, entry)
        except PictureError as problem:
            yield name, problem
        except Exception:
            yield name, PictureError("It is broken inside the archive.")


def _is_wanted(entry: zipfile.ZipInfo) -> bool:
    link = stat.S_ISLNK(entry.external_attr >> 16)
    hidden = "__MACOSX" in entry.filename or _last_part(entry).startswith(".")
    return not (entry.is_dir() or link or hidden) and (
        entry.filename.lower().endswith(ENDINGS) or is_mesh(entry.filename)
    )


def _last_part(entry: zipfile.ZipInfo) -> str:
    return entry.filename.replace("\\", "/").rpartition("/")[2]


def _unpack(archive: zipfile.ZipFile, entry: zipfile.ZipInfo) -> bytes:
    """An entry's bytes, never more than it says it has.

    Raises:
        PictureError: locked with a password, too large, or far larger than it is packed.
    """
    if entry.flag_bits & 1:
        raise PictureError("It is locked with a password.")
    if entry.file_size > LARGEST_ENTRY:
        raise PictureError("It would take more than 600 MB unpacked.")
    if entry.file_size > SMALL and entry.file_size > MOST_EXPANSION * max(entry.compress_size, 1):
        raise PictureError("It expands too much to be a picture.")
    with archive.open(entry) as file:
        data = file.read(entry.file_size + 1)
    if len(data) != entry.file_size:
        raise PictureError("It is broken inside the archive.")
    return data

"""The files of a bundle: a folder or a ZIP, read by OpenCV, Pillow and trimesh."""

from __future__ import annotations

import hashlib
import io
import json
import os
import zipfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from relief.errors import ReliefError

CONTENTS, CHECKSUMS = "contents.json", "SHA256SUMS.txt"
MOST = 8 << 30
"""Bytes that a bundle unpacks to at most."""


@dataclass(frozen=True)
class Arrived:
    """A bundle at the other end: its files by name, and what its contents say of them."""

    files: dict[str, bytes]
    contents: dict[str, Any]

    def told(self, kind: str, relief: str = "main") -> list[dict[str, Any]]:
        """What is said of the files of a kind."""
        return [file for file in self.contents["files"] if file.get("kind") == kind and file["relief"] == relief]

    def damaged(self) -> list[str]:
        """Names of files that are missing, or are not what the checksums say."""
        wrong = []
        for line in self.files.get(CHECKSUMS, b"").decode().splitlines():
            digest, _, name = line.partition("  ")
            if hashlib.sha256(self.files.get(name, b"")).hexdigest() != digest:
                wrong.append(name)
        return wrong


def open_bundle(place: Path) -> Arrived:
    """A bundle from a folder or a ZIP.

    Raises:
        ReliefError: it is none; the message says why.
    """
    if place.is_dir():
        files = {each.name: each.read_bytes() for each in place.iterdir() if each.is_file()}
    else:
        files = _unzip(place)
    try:
        contents = json.loads(files[CONTENTS])
        if not all(isinstance(file["name"], str) for file in contents["files"]) or not contents["reliefs"]:
            raise ValueError
    except (KeyError, ValueError, TypeError, RecursionError):
        raise ReliefError(f"This is no delivery: it has no {CONTENTS} that says what its files mean.") from None
    return Arrived(files, contents)


def _unzip(place: Path) -> dict[str, bytes]:
    try:
        with zipfile.ZipFile(place) as archive:
            if sum(item.file_size for item in archive.infolist()) > MOST:
                raise ReliefError("The bundle unpacks to more than can be read.")
            return {item.filename: archive.read(item) for item in archive.infolist() if not item.is_dir()}
    except (zipfile.BadZipFile, NotImplementedError, EOFError):
        raise ReliefError("This is no ZIP, or it is damaged.") from None


def read_picture(name: str, data: bytes) -> tuple[np.ndarray, bool]:
    """The samples of a picture: float32 (rows, columns[, channels]), whole numbers as 0 to 1; and whether they were.

    Raises:
        ReliefError: it cannot be read.
    """
    os.environ.setdefault("OPENCV_IO_ENABLE_OPENEXR", "1")  # it asks for this before it reads one
    import cv2

    pixels = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if pixels is None:
        raise ReliefError(f"{name} cannot be read.")
    if pixels.ndim == 3:
        pixels = pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]  # OpenCV has blue first
    if pixels.dtype.kind == "f":
        return pixels.astype(np.float32), False
    most = np.float32(255 if pixels.dtype == np.uint8 else 65_535)
    return pixels.astype(np.float32) / most, True


def read_mesh(name: str, data: bytes) -> Any:
    """A mesh as trimesh reads it.

    Raises:
        ReliefError: it cannot be read.
    """
    import trimesh

    try:
        return trimesh.load(io.BytesIO(data), file_type=name.rpartition(".")[2], force="mesh", process=False)
    except Exception as problem:  # its readers raise many kinds
        raise ReliefError(f"{name} cannot be read.") from problem

"""The files of a bundle: a folder or a ZIP, read by OpenCV, Pillow and trimesh."""

from __future__ import annotations

import hashlib
import io
import json
import os
import struct
import warnings
import zipfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from relief.errors import ReliefError
from relief.receive.contents import read_contents

CONTENTS, CHECKSUMS = "contents.json", "SHA256SUMS.txt"
MOST = 8 << 30
"""Bytes that a bundle unpacks to at most."""


MOST_PIXELS = 200_000_000
"""Pixels of a picture that is read at most; a few bytes may claim to be any number."""


@dataclass(frozen=True)
class Arrived:
    """A bundle at the other end: its files by name, and what its contents say of them.

    Attributes:
        files: those that could be read, by their names.
        contents: what `contents.json` says, without what cannot be used.
        faults: what is damaged, missing or cannot be used, in sentences.
    """

    files: dict[str, bytes]
    contents: dict[str, Any]
    faults: list[str] = field(default_factory=list)

    def told(self, kind: str, relief: str = "main") -> list[dict[str, Any]]:
        """What is said of the files of a kind."""
        return [file for file in self.contents["files"] if file.get("kind") == kind and file["relief"] == relief]

    def list_damaged(self) -> list[str]:
        """Names of files that are missing, or are not what the checksums say."""
        wrong = []
        for line in self.files.get(CHECKSUMS, b"").decode(errors="replace").splitlines():
            digest, _, name = line.partition("  ")
            if line.strip() and hashlib.sha256(self.files.get(name, b"")).hexdigest() != digest:
                wrong.append(name or line[:80])
        return wrong


def open_bundle(place: Path) -> Arrived:
    """A bundle from a folder or a ZIP. What is damaged in it is among its faults.

    Raises:
        ReliefError: nothing of it can be used; the message says why.
        OSError: there is nothing at the place.
    """
    files, faults = _list_folder(place) if place.is_dir() else _unzip(place)
    try:
        contents = json.loads(files[CONTENTS])
        known, unusable = read_contents(contents)
    except (KeyError, ValueError, TypeError, RecursionError):
        raise ReliefError(f"This is not a delivery: it has no {CONTENTS}, which says what its files mean.") from None
    return Arrived(files, known, faults + unusable)


def _list_folder(place: Path) -> tuple[dict[str, bytes], list[str]]:
    files, faults = {}, []
    inside = [each for each in sorted(place.iterdir()) if each.is_file()]
    if sum(each.stat().st_size for each in inside) > MOST:
        raise ReliefError("The bundle is too large to be read.")
    for each in inside:
        try:
            files[each.name] = each.read_bytes()
        except OSError as problem:
            faults.append(f"{each.name} cannot be read ({problem.strerror}).")
    return files, faults


def _unzip(place: Path) -> tuple[dict[str, bytes], list[str]]:
    files, faults = {}, []
    try:
        with zipfile.ZipFile(place) as archive:
            inside = [item for item in archive.infolist() if not item.is_dir()]
            if sum(item.file_size for item in inside) > MOST:
                raise ReliefError("Unpacked, the bundle is too large to be read.")
            for item in inside:
                try:
                    files[item.filename] = archive.read(item)
                except Exception as problem:  # its reader raises many kinds: bad data, a password, an unknown method
                    locked = item.flag_bits & 1 or isinstance(problem, NotImplementedError)
                    faults.append(f"{item.filename} is {'locked' if locked else 'damaged'} and cannot be unpacked.")
    except ReliefError:
        raise
    except OSError as problem:
        if isinstance(problem, FileNotFoundError | PermissionError):
            raise
        raise ReliefError("This is not a valid ZIP file, or it is damaged.") from None
    except Exception:
        raise ReliefError("This is not a valid ZIP file, or it is damaged.") from None
    return files, faults


def read_picture(name: str, data: bytes) -> tuple[np.ndarray, bool]:
    """The samples of a picture: float32 (rows, columns[, channels]), whole numbers as 0 to 1; and whether they were.

    Raises:
        ReliefError: it cannot be read, claims to be larger than any that is read, or holds what is no number.
    """
    os.environ.setdefault("OPENCV_IO_ENABLE_OPENEXR", "1")  # it asks for this before it reads one
    import cv2

    if _count_claimed_pixels(data) > MOST_PIXELS:
        raise ReliefError(f"{name} claims to be larger than {MOST_PIXELS // 1_000_000} million pixels.")
    try:
        pixels = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    except (cv2.error, MemoryError):
        pixels = None
    if pixels is None or pixels.dtype not in (np.uint8, np.uint16, np.float32):
        raise ReliefError(f"{name} is damaged and cannot be read.")
    if pixels.ndim == 3:
        pixels = pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]  # OpenCV has blue first
    if pixels.dtype.kind == "f":
        if not np.isfinite(pixels).all():
            raise ReliefError(f"{name} holds values that are not numbers.")
        return pixels.astype(np.float32), False
    most = np.float32(255 if pixels.dtype == np.uint8 else 65_535)
    return pixels.astype(np.float32) / most, True


def _count_claimed_pixels(data: bytes) -> int:
    """How many pixels a picture says that it has, without decoding it; 0 where that cannot be told."""
    from PIL import Image

    at = data.find(b"dataWindow\0box2i\0", 0, 65_536)  # OpenEXR: four bytes of length, then the corners
    if data[:4] == b"\x76\x2f\x31\x01" and at >= 0 and len(data) >= at + 37:
        left, top, right, bottom = struct.unpack("<4i", data[at + 21 : at + 37])
        return max(0, right - left + 1) * max(0, bottom - top + 1)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(data)) as picture:
                return picture.width * picture.height
    except Image.DecompressionBombError:
        return MOST_PIXELS + 1
    except Exception:  # whatever it is, OpenCV has the last word
        return 0


def read_mesh(name: str, data: bytes) -> Any:
    """A mesh as trimesh reads it.

    Raises:
        ReliefError: it cannot be read, or has no faces.
    """
    import trimesh

    try:
        mesh: Any = trimesh.load(io.BytesIO(data), file_type=name.rpartition(".")[2], force="mesh", process=False)
        usable = len(mesh.faces) > 0 and np.isfinite(mesh.vertices).all()
    except Exception as problem:  # its readers raise many kinds
        raise ReliefError(f"{name} is damaged and cannot be read.") from problem
    if not usable:
        raise ReliefError(f"{name} is damaged: it has no faces, or positions that are not numbers.")
    return mesh

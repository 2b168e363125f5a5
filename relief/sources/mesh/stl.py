"""STL, as text or binary: triangles alone. Of text the vertices are taken, in time that grows with the file alone."""

from __future__ import annotations

import struct

import numpy as np

from relief.errors import MeshError
from relief.sources.mesh.polygons import MOST_FACES_READ, Polygons, plain_polygons, too_many_faces

HEAD, FACET = 84, 50
"""Bytes of the head of a binary file, and of each triangle."""


def read(data: bytes, name: str) -> Polygons:
    """The triangles of a file; no two share a vertex yet.

    Raises:
        MeshError: it cannot be read.
    """
    positions = _read_text(data, name) if _is_text(data) else _read_binary(data, name)
    if not len(positions):
        raise MeshError(f"{name} has no faces, so there is no surface in it.")
    return plain_polygons(positions, np.arange(len(positions)).reshape(-1, 3))


def _is_text(data: bytes) -> bool:
    """Whether it is text: it begins with a word that many binary files begin with too."""
    if data[:4096].lstrip()[:5].lower() != b"solid":
        return False
    if len(data) >= HEAD and len(data) == HEAD + FACET * struct.unpack_from("<I", data, 80)[0]:
        return False
    return b"facet" in data[:65_536] or b"endsolid" in data[:65_536]


def _read_text(data: bytes, name: str) -> np.ndarray:
    """The vertices of all solids: float64 (vertices, 3)."""
    if data.count(b"vertex") > 3 * MOST_FACES_READ:
        raise too_many_faces(name, data.count(b"vertex") // 3)
    rows = [line.split() for line in data.replace(b"\r", b"\n").split(b"\n") if b"vertex" in line]
    if any(len(row) != 4 or row[0] != b"vertex" for row in rows) or len(rows) % 3:
        raise MeshError(f"{name} cannot be read as STL. It may be cut off.")
    numbers = np.array([part for row in rows for part in row[1:]], "S") if rows else np.zeros(0)
    return numbers.astype(np.float64).reshape(-1, 3)


def _read_binary(data: bytes, name: str) -> np.ndarray:
    """The vertices of all triangles: float64 (vertices, 3)."""
    count = struct.unpack_from("<I", data, 80)[0] if len(data) >= HEAD else 0
    if len(data) < HEAD or len(data) < HEAD + FACET * count:
        raise MeshError(f"{name} cannot be read as STL. It may be cut off.")
    if count > MOST_FACES_READ:
        raise too_many_faces(name, count)
    facets = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
    found: np.ndarray = np.frombuffer(data, facets, count, HEAD)["corners"].reshape(-1, 3).astype(np.float64)
    return found

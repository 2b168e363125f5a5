"""Wavefront OBJ: polygons, groups, materials and places on maps. Trimesh cuts polygons up; this keeps them."""

from __future__ import annotations

import numpy as np

from relief.errors import MeshError
from relief.sources.mesh.polygons import Polygons

LONGEST_LINE = 100_000


def read(data: bytes, name: str) -> Polygons:
    """The polygons of an OBJ file.

    Raises:
        MeshError: it is none, or a line of it cannot be read; the message gives its number.
    """
    lines = data.replace(b"\r", b"\n").replace(b"\\\n", b" ").split(b"\n")
    vertices: list[bytes] = []
    places: list[bytes] = []
    faces: list[bytes] = []
    marks: dict[str, list[tuple[int, str]]] = {"group": [(0, "all")], "material": [(0, "all")]}
    for number, line in enumerate(lines, start=1):
        if len(line) > LONGEST_LINE:
            raise MeshError(f"Line {number} of {name} has {len(line)} characters; that is no line of an OBJ file.")
        if line.startswith(b"v "):
            vertices.append(line)
        elif line.startswith(b"f "):
            faces.append(line)
        elif line.startswith(b"vt "):
            places.append(line)
        elif line.startswith((b"g ", b"o ", b"usemtl ")):
            word, _, rest = line.partition(b" ")
            called = rest.strip().decode("utf-8", "replace")[:60] or "all"
            marks["material" if word == b"usemtl" else "group"].append((len(faces), called))
    if not vertices or not faces:
        raise MeshError(f"{name} holds no vertices and faces, so it is no OBJ file or an empty one.")
    positions = _numbers(vertices, 3, name)
    corners, uv_corners, offsets = _faces(faces, len(positions), len(places), name)
    uv_sets: tuple[tuple[np.ndarray, np.ndarray], ...] = ()
    remarks: tuple[str, ...] = ()
    if uv_corners is not None and places:
        uv = _numbers(places, 2, name)
        if uv_corners.min() < 0 or uv_corners.max() >= len(uv):
            remarks = ("Some places on its maps are missing, so all were left out.",)
        else:
            uv_sets = ((uv, uv_corners),)
    groups, group_names = _named(marks["group"], len(faces))
    materials, material_names = _named(marks["material"], len(faces))
    return Polygons(positions, corners, offsets, uv_sets, groups, materials, group_names, material_names, remarks)


def _numbers(lines: list[bytes], least: int, name: str) -> np.ndarray:
    """The first numbers of each line behind its word: float64 (lines, least)."""
    try:
        parts = [line.split(None, least + 1)[1 : least + 1] for line in lines]
        return np.array(parts, dtype=np.float64)
    except ValueError:
        raise MeshError(f"{name} has a line that should hold {least} numbers and does not.") from None


def _faces(
    lines: list[bytes], vertices: int, places: int, name: str
) -> tuple[np.ndarray, np.ndarray | None, np.ndarray]:
    """Vertex and place of each corner, counted from 0, and where each face begins."""
    tokens = [line.split()[1:] for line in lines]
    sides = np.fromiter(map(len, tokens), np.int64, len(tokens))
    flat = [token for face in tokens for token in face]
    slashes = np.fromiter((token.count(b"/") for token in flat), np.int64, len(flat))
    has_places = places > 0 and bool((slashes > 0).all())
    try:
        vertex = np.array([int(token.partition(b"/")[0]) for token in flat], np.int64)
        place = np.array([int(token.split(b"/", 2)[1] or 0) for token in flat], np.int64) if has_places else None
    except (ValueError, OverflowError):
        raise MeshError(f"{name} has a face whose corners cannot be read.") from None
    offsets = np.concatenate([[0], np.cumsum(sides)]).astype(np.int32)
    corners = np.where(vertex < 0, vertex + vertices, vertex - 1)
    if len(corners) and (corners.min() < 0 or corners.max() >= vertices or (vertex == 0).any()):
        raise MeshError(f"{name} has faces that name vertices which are not in it. It may be cut off.")
    if place is not None and (place == 0).any():
        place = None
    uv_corners = None if place is None else np.where(place < 0, place + places, place - 1).astype(np.int32)
    return corners.astype(np.int32), uv_corners, offsets


def _named(marks: list[tuple[int, str]], faces: int) -> tuple[np.ndarray, tuple[str, ...]]:
    """The name that holds at each face, as numbers, and the names that hold at one at least."""
    numbers = np.zeros(faces, np.int32)
    names: dict[str, int] = {}
    for first, name in marks:
        numbers[first:] = names.setdefault(name, len(names))
    used, found = np.unique(numbers, return_inverse=True)
    listed = list(names)
    return found.reshape(-1).astype(np.int32), tuple(listed[number] for number in used)

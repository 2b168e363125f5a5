"""Wavefront OBJ: polygons, groups, materials and UVs. Trimesh cuts polygons up; this keeps them."""

from __future__ import annotations

import re
import warnings

import numpy as np

from relief.errors import MeshError
from relief.sources.mesh.polygons import MOST_FACES_READ, Polygons, as_indices, too_many_faces

LONGEST_LINE = 100_000


def read(data: bytes, name: str) -> Polygons:
    """The polygons of an OBJ file.

    Raises:
        MeshError: it is none, or a line of it cannot be read; the message gives its number.
    """
    faces_in_it = data.count(b"\nf ") + data.count(b"\rf ")
    if faces_in_it > MOST_FACES_READ:  # told before anything is taken apart
        raise too_many_faces(name, faces_in_it)
    lines = data.replace(b"\r", b"\n").replace(b"\\\n", b" ").split(b"\n")
    if max(map(len, lines)) > LONGEST_LINE:
        number, line = next((n, line) for n, line in enumerate(lines, start=1) if len(line) > LONGEST_LINE)
        raise MeshError(f"Line {number} of {name} has {len(line)} characters, too many for an OBJ file.")
    vertices: list[bytes] = []
    places: list[bytes] = []
    faces: list[bytes] = []
    marks: dict[str, list[tuple[int, str]]] = {"group": [(0, "all")], "material": [(0, "all")]}
    for line in lines:
        head = line[:2]
        if head == b"v ":
            vertices.append(line)
        elif head == b"f ":
            faces.append(line)
        elif head == b"vt":
            places.append(line)
        elif line.startswith((b"g ", b"o ", b"usemtl ")):
            word, _, rest = line.partition(b" ")
            called = rest.strip().decode("utf-8", "replace")[:60] or "all"
            marks["material" if word == b"usemtl" else "group"].append((len(faces), called))
    if not vertices or not faces:
        raise MeshError(f"{name} has no vertices and faces: it is empty or not an OBJ file.")
    positions = _numbers(vertices, 3, name)
    corners, uv_corners, offsets = _faces(faces, len(positions), len(places), name)
    uv_sets: tuple[tuple[np.ndarray, np.ndarray], ...] = ()
    remarks: tuple[str, ...] = ()
    if uv_corners is not None and places:
        uv = _numbers(places, 2, name)
        if uv_corners.min() < 0 or uv_corners.max() >= len(uv):
            remarks = ("Some UVs are missing, so all were left out.",)
        else:
            uv_sets = ((uv, uv_corners),)
    groups, group_names = _spread_names(marks["group"], len(faces))
    materials, material_names = _spread_names(marks["material"], len(faces))
    return Polygons(positions, corners, offsets, uv_sets, groups, materials, group_names, material_names, remarks)


def _numbers(lines: list[bytes], least: int, name: str) -> np.ndarray:
    """The first numbers of each line behind its word: float64 (lines, least)."""
    widths = set(map(len, map(bytes.split, lines)))
    if len(widths) == 1 and min(widths) > least:
        read = _parse(lines, np.float64)
        if read is not None and len(read) == len(lines) * (min(widths) - 1):
            return read.reshape(len(lines), -1)[:, :least].copy()
    rows = [line.split(None, least + 1)[1 : least + 1] for line in lines]
    try:
        return np.array(rows, "S").astype(np.float64).reshape(-1, least)
    except ValueError:
        raise MeshError(f"{name} has a line that should hold {least} numbers and does not.") from None


def _parse(lines: list[bytes], kind: type, spaced: bytes = b"") -> np.ndarray | None:
    """All numbers behind the two letters that lines begin with; none where one cannot be read."""
    text = b" ".join([line[2:].lstrip(b"t") for line in lines])
    if spaced:
        text = text.replace(spaced * 2, spaced + b"0" + spaced).replace(spaced, b" ")
    with warnings.catch_warnings():
        warnings.simplefilter("error", DeprecationWarning)  # what NumPy says of text that is no number
        try:
            return np.fromstring(text, kind, sep=" ")
        except (DeprecationWarning, ValueError):
            return None


def _faces(
    lines: list[bytes], vertices: int, places: int, name: str
) -> tuple[np.ndarray, np.ndarray | None, np.ndarray]:
    """Vertex and place of each corner, counted from 0, and where each face begins."""
    sides = np.fromiter(map(len, map(bytes.split, lines)), np.int64, len(lines)) - 1
    offsets = np.concatenate([[0], np.cumsum(sides)]).astype(np.int32)
    vertex, place = _alike(lines, int(offsets[-1])) or _one_by_one(lines, name)
    place = None if places == 0 or place is None or (place == 0).any() else place
    corners = np.where(vertex < 0, vertex + vertices, vertex - 1)
    if len(corners) and (corners.min() < 0 or corners.max() >= vertices or (vertex == 0).any()):
        raise MeshError(f"{name} has faces that name vertices which are not in it. It may be cut off.")
    uv_corners = None if place is None else np.where(place < 0, place + places, place - 1).astype(np.int32)
    return as_indices(corners, name), uv_corners, offsets


def _alike(lines: list[bytes], count: int) -> tuple[np.ndarray, np.ndarray | None] | None:
    """Vertex and place of each corner where all are written in one way; none where they are not."""
    text = b" ".join(lines)
    slashes, left = divmod(text.count(b"/"), max(count, 1))
    if left or slashes > 2:
        return None
    # as many corners in this form as there are at all
    form = rb"(?<![/\d-])-?\d+" + rb"/-?\d*" * slashes + rb"(?![/\d])"
    if slashes and len(re.findall(form, text)) != count:
        return None
    read = _parse(lines, np.int64, b"/" if slashes else b"")
    if read is None or len(read) != count * (slashes + 1):
        return None
    numbers = read.reshape(count, slashes + 1)
    return numbers[:, 0], numbers[:, 1] if slashes else None


def _one_by_one(lines: list[bytes], name: str) -> tuple[np.ndarray, np.ndarray | None]:
    """As `_alike`, however each corner is written; places only where every one has its own."""
    parts = [token.split(b"/", 2) for line in lines for token in line.split()[1:]]
    try:
        vertex = np.array([int(part[0]) for part in parts], np.int64)
        if any(len(part) == 1 for part in parts):
            return vertex, None
        return vertex, np.array([int(part[1] or 0) for part in parts], np.int64)
    except (ValueError, OverflowError):
        raise MeshError(f"{name} has a face whose corners cannot be read.") from None


def _spread_names(marks: list[tuple[int, str]], faces: int) -> tuple[np.ndarray, tuple[str, ...]]:
    """The name that holds at each face, as numbers, and the names that hold at one at least."""
    names: dict[str, int] = {}
    firsts = [first for first, _ in marks]
    of_marks = [names.setdefault(name, len(names)) for _, name in marks]
    numbers = np.repeat(np.array(of_marks, np.int32), np.diff([*firsts, faces]))
    used, found = np.unique(numbers, return_inverse=True)
    listed = list(names)
    return found.reshape(-1).astype(np.int32), tuple(listed[number] for number in used)

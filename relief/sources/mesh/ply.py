"""Stanford PLY, as text or binary: polygons and UVs. Trimesh cuts polygons up; this keeps them."""

from __future__ import annotations

from typing import Any

import numpy as np

from relief.errors import MeshError
from relief.kernels import serial_kernel
from relief.sources.mesh.polygons import MOST_FACES_READ, Polygons, as_indices, too_many_faces

TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip
PLACES = (("s", "t"), ("u", "v"), ("texture_u", "texture_v"))
LONGEST_HEADER = 65_536


def read(data: bytes, name: str) -> Polygons:
    """The polygons of a PLY file.

    Raises:
        MeshError: it is none, or ends too soon.
    """
    end = data.find(b"end_header", 0, LONGEST_HEADER)
    if not data.startswith(b"ply") or end < 0:
        raise MeshError(f"{name} does not begin as a PLY file does.")
    begin = data.find(b"\n", end) + 1
    try:
        order, elements = _header(data[:end].decode("ascii", "replace"))
        body: Any = _Text(data[begin:]) if order is None else _Binary(data[begin:], order)
        found = {element: body.take(count, properties) for element, count, properties in elements}
        vertex, face = found["vertex"], found["face"]
        positions = np.stack([vertex[axis] for axis in "xyz"], axis=1).astype(np.float64)
        corners, offsets = face.get("vertex_indices") or face["vertex_index"]
        corners = as_indices(corners, name)
    except MeshError:
        raise
    except (KeyError, ValueError, IndexError, TypeError, OverflowError):
        raise MeshError(f"{name} cannot be read as a PLY file. It may be cut off.") from None
    uv_sets = tuple(
        (np.stack([vertex[u], vertex[v]], axis=1).astype(np.float64), corners)
        for u, v in PLACES
        if u in vertex and v in vertex
    )
    nothing = np.zeros(len(offsets) - 1, np.int32)
    return Polygons(positions, corners, offsets, uv_sets, nothing, nothing, ("all",), ("all",))


def _header(text: str) -> tuple[str | None, list[tuple[str, int, list[list[str]]]]]:
    """The byte order (none for text), and of each element its name, how many there are, and its properties."""
    order: str | None = None
    elements: list[tuple[str, int, list[list[str]]]] = []
    for line in text.splitlines():
        words = line.split()
        match words[:1]:
            case ["format"]:
                order = {"ascii": None, "binary_little_endian": "<", "binary_big_endian": ">"}[words[1]]
            case ["element"]:
                if not 0 <= int(words[2]) < 2**31:
                    raise ValueError
                if words[1] == "face" and int(words[2]) > MOST_FACES_READ:
                    raise too_many_faces("It", int(words[2]))
                elements.append((words[1], int(words[2]), []))
            case ["property"]:
                elements[-1][2].append(words[1:])
    return order, elements


def _offsets(sides: np.ndarray) -> np.ndarray:
    """Where the corners of each face begin in one list of all, and where the last ones end: int32 (faces + 1,)."""
    return np.concatenate([[0], np.cumsum(sides)]).astype(np.int32)


class _Text:
    def __init__(self, body: bytes) -> None:
        self.lines = body.splitlines()
        self.at = 0

    def take(self, count: int, properties: list[list[str]]) -> dict[str, Any]:
        rows = [line.split() for line in self.lines[self.at : self.at + count]]
        if len(rows) < count:
            raise ValueError
        self.at += count
        lists = [known for known in properties if known[0] == "list"]
        if not lists:
            table = np.array(rows, np.float64).reshape(count, -1)
            return {known[-1]: table[:, number] for number, known in enumerate(properties)}
        if properties[0][0] != "list":
            raise ValueError
        sides = np.array([int(row[0]) for row in rows], np.int64)
        if any(len(row) <= side for row, side in zip(rows, sides, strict=True)):
            raise ValueError
        flat = [index for row, side in zip(rows, sides, strict=True) for index in row[1 : 1 + side]]
        return {properties[0][-1]: (np.array(flat, np.int64), _offsets(sides))}


class _Binary:
    def __init__(self, body: bytes, order: str) -> None:
        self.body, self.order, self.at = body, order, 0

    def take(self, count: int, properties: list[list[str]]) -> dict[str, Any]:
        if all(known[0] != "list" for known in properties):
            kind = np.dtype([(known[-1], self.order + TYPES[known[0]]) for known in properties])
            table = np.frombuffer(self.body, kind, count, self.at)
            self.at += kind.itemsize * count
            return {name: table[name] for name in kind.names or ()}
        if not count:
            return {known[-1]: (np.zeros(0, np.int32), np.zeros(1, np.int32)) for known in properties}
        return self._lists(count, properties)

    def _lists(self, count: int, properties: list[list[str]]) -> dict[str, Any]:
        """Faces: all alike where their first tells so, otherwise one after the other."""
        alike = self._alike(count, properties)
        if alike is not None:
            return alike
        return self._one_by_one(count, properties)

    def _one_by_one(self, count: int, properties: list[list[str]]) -> dict[str, Any]:
        """Faces of different numbers of corners: a kernel finds where each list begins, then all are taken at once."""
        sizes = np.zeros((len(properties), 3), np.int64)
        for row, known in zip(sizes, properties, strict=True):
            if known[0] == "list":
                row[:] = 1, np.dtype(TYPES[known[1]]).itemsize, np.dtype(TYPES[known[2]]).itemsize
            else:
                row[1] = np.dtype(TYPES[known[0]]).itemsize
        firsts, sides = np.zeros((2, count, len(properties)), np.int64)
        end = _walk(np.frombuffer(self.body, np.uint8), self.at, sizes, self.order == "<", firsts, sides)
        if end < 0:
            raise ValueError
        self.at = end
        found = {}
        for number, known in enumerate(properties):
            if known[0] != "list":
                continue
            kind = np.dtype(self.order + TYPES[known[2]])
            many = sides[:, number]
            within = np.arange(many.sum()) - np.repeat(np.cumsum(many) - many, many)
            places = np.repeat(firsts[:, number], many) + within * kind.itemsize
            octets = np.frombuffer(self.body, np.uint8)[places[:, None] + np.arange(kind.itemsize)]
            found[known[-1]] = octets.view(kind)[:, 0], _offsets(many)
        return found

    def _alike(self, count: int, properties: list[list[str]]) -> dict[str, Any] | None:
        """Faces that all have as many corners as the first; none where they do not."""
        fields, at = [], self.at
        for known in properties:
            if known[0] != "list":
                fields.append((known[-1], self.order + TYPES[known[0]]))
            else:
                side = int(np.frombuffer(self.body, self.order + TYPES[known[1]], 1, at)[0])
                fields.append((f"count of {known[-1]}", self.order + TYPES[known[1]]))
                fields.append((known[-1], self.order + TYPES[known[2]], (side,)))  # type: ignore[arg-type]
            at = self.at + np.dtype(fields).itemsize
        kind = np.dtype(fields)
        if self.at + kind.itemsize * count > len(self.body):
            return None
        table = np.frombuffer(self.body, kind, count, self.at)
        lists = [known[-1] for known in properties if known[0] == "list"]
        if any((table[f"count of {name}"] != table[name].shape[1]).any() for name in lists):
            return None
        self.at += kind.itemsize * count
        return {name: (table[name].reshape(-1), _offsets(np.full(count, table[name].shape[1]))) for name in lists}


@serial_kernel
def _walk(body, at, sizes, little, firsts, sides):
    """Where the lists of rows begin, and how many items each has; where the rows end, or -1 where they do not fit.

    `sizes` has a row for each property: whether it is a list, the bytes of its number or its count, and of an item.
    """
    for row in range(len(firsts)):
        for number in range(len(sizes)):
            width = sizes[number, 1]
            if at + width > len(body):
                return -1
            if sizes[number, 0] == 0:
                at += width
                continue
            count = 0
            for byte in range(width):
                count = (count << 8) | body[at + (width - 1 - byte if little else byte)]
            at += width
            if count * sizes[number, 2] > len(body) - at:
                return -1
            firsts[row, number], sides[row, number] = at, count
            at += count * sizes[number, 2]
    return at

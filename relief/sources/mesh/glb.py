"""Binary glTF 2.0: triangles with every UV set. Trimesh keeps the first set alone.

Khronos glTF 2.0 specification, sections 3.5 (nodes), 3.6 (accessors), 3.7 (meshes) and 4.4 (binary).
"""

from __future__ import annotations

import json
import struct
from typing import Any

import numpy as np

from relief.errors import MeshError
from relief.sources.mesh.polygons import Polygons, plain_polygons

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
SIZES = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
TRIANGLES = 4
MOST_NODES = 10_000
MOST_SETS = 8


def read(data: bytes, name: str) -> Polygons:
    """The triangles of all meshes of the scene, each where its nodes put it, in metres.

    Raises:
        MeshError: it is no binary glTF, is cut off, or is packed in a way that is not read.
    """
    try:
        return _Scene(*_chunks(data)).polygons()
    except MeshError as problem:
        raise MeshError(f"{name} {problem}") from None
    except (KeyError, ValueError, IndexError, TypeError, AttributeError, struct.error, RecursionError):
        raise MeshError(f"{name} cannot be read as GLB. It may be cut off.") from None


def _chunks(data: bytes) -> tuple[dict[str, Any], bytes]:
    magic, version, length = struct.unpack_from("<4sII", data)
    if magic != b"glTF" or version != 2:
        raise MeshError("is not a binary glTF 2 file.")
    if length > len(data):
        raise MeshError("is cut off.")
    size, kind = struct.unpack_from("<I4s", data, 12)
    if kind != b"JSON":
        raise ValueError
    content = json.loads(data[20 : 20 + size])
    rest = 20 + size
    if rest + 8 > len(data):
        return content, b""
    size, kind = struct.unpack_from("<I4s", data, rest)
    return content, data[rest + 8 : rest + 8 + size] if kind == b"BIN\0" else b""


class _Scene:
    def __init__(self, content: dict[str, Any], body: bytes) -> None:
        self.content, self.body = content, body
        used = set(content.get("extensionsRequired", ()))
        if used & {"KHR_draco_mesh_compression", "EXT_meshopt_compression"}:
            raise MeshError("is compressed, which is not read. Export it without compression.")
        self.visited = 0
        self.parts: list[tuple[np.ndarray, np.ndarray, list[np.ndarray], str]] = []

    def polygons(self) -> Polygons:
        scenes = self.content.get("scenes")
        nodes = self.content.get("nodes", [])
        roots = scenes[self.content.get("scene", 0)].get("nodes", []) if scenes else range(len(nodes))
        for root in roots:
            self._walk(root, np.eye(4))
        if not self.parts:
            raise MeshError("has no faces, so there is no surface in it.")
        names: dict[str, int] = {}
        counts = [len(positions) for positions, *_ in self.parts]
        firsts = np.cumsum([0, *counts[:-1]])
        faces = np.concatenate([part[1] + first for part, first in zip(self.parts, firsts, strict=True)])
        materials = [np.full(len(part[1]), names.setdefault(part[3], len(names))) for part in self.parts]
        sets = min(len(part[2]) for part in self.parts)
        most = max(len(part[2]) for part in self.parts)
        remarks = ("Only part of the mesh has UVs; they were left out.",) if most > sets else ()
        mesh = plain_polygons(
            np.concatenate([part[0] for part in self.parts]),
            faces,
            None,
            np.concatenate(materials),
            tuple(names),
            remarks,
        )
        uv_sets = tuple(
            (np.concatenate([part[2][number] for part in self.parts]), mesh.corners) for number in range(sets)
        )
        return Polygons(**vars(mesh) | {"uv_sets": uv_sets})

    def _walk(self, number: int, above: np.ndarray) -> None:
        """Takes the meshes of a node and of those below it; `above` is the matrix (4, 4) so far. Raises MeshError."""
        self.visited += 1
        if self.visited > MOST_NODES:
            raise MeshError(f"has more than {MOST_NODES} nodes, or nodes that contain each other.")
        node = self.content["nodes"][number]
        here = above @ _matrix(node)
        if "mesh" in node:
            for primitive in self.content["meshes"][node["mesh"]]["primitives"]:
                self._take(primitive, here)
        for child in node.get("children", ()):
            self._walk(child, here)

    def _take(self, primitive: dict[str, Any], here: np.ndarray) -> None:
        """Keeps the faces of one primitive, moved by the matrix `here` (4, 4). Raises MeshError."""
        attributes = primitive["attributes"]
        positions = self._array(attributes["POSITION"]).astype(np.float64)
        if "indices" in primitive:
            numbers = self._array(primitive["indices"]).reshape(-1).astype(np.int64)
        else:
            numbers = np.arange(len(positions))
        match primitive.get("mode", TRIANGLES):
            case 4:  # triangles
                faces = numbers[: len(numbers) // 3 * 3].reshape(-1, 3)
            case 5:  # a strip
                faces = np.stack([numbers[:-2], numbers[1:-1], numbers[2:]], axis=1)
                faces[1::2] = faces[1::2, ::-1]
            case 6:  # a fan
                faces = np.stack([np.full(len(numbers) - 2, numbers[0]), numbers[1:-1], numbers[2:]], axis=1)
            case _:
                return  # points and lines have no surface
        if np.linalg.det(here[:3, :3]) < 0:  # a mirrored node turns its faces around
            faces = faces[:, ::-1]
        names = [f"TEXCOORD_{number}" for number in range(MOST_SETS)]
        # on a glTF map v runs down
        places = [self._array(attributes[name]) * (1, -1) + (0, 1) for name in names if name in attributes]
        material = primitive.get("material")
        called = self.content["materials"][material].get("name") if material is not None else None
        placed = positions @ here[:3, :3].T + here[:3, 3]
        self.parts.append((placed, faces, places, str(called or "all")[:60]))

    def _array(self, number: int) -> np.ndarray:
        """The items of an accessor: (count, components), whole numbers that stand for parts of 1 as those."""
        accessor = self.content["accessors"][number]
        if "sparse" in accessor or "bufferView" not in accessor:
            raise MeshError("has sparse arrays, which are not read.")
        view = self.content["bufferViews"][accessor["bufferView"]]
        if self.content["buffers"][view["buffer"]].get("uri"):
            raise MeshError("keeps its arrays in another file, which is not read.")
        kind, width, count = np.dtype(COMPONENTS[accessor["componentType"]]), SIZES[accessor["type"]], accessor["count"]
        first = view.get("byteOffset", 0) + accessor.get("byteOffset", 0)
        step = view.get("byteStride") or kind.itemsize * width
        if count < 1 or first < 0 or first + step * (count - 1) + kind.itemsize * width > len(self.body):
            raise MeshError("is cut off.")
        strides = (step, kind.itemsize)
        array = np.ndarray((count, width), kind, self.body, first, strides)
        if accessor.get("normalized") and kind.kind in "iu":
            return np.maximum(array / np.iinfo(kind).max, -1)
        return array


def _matrix(node: dict[str, Any]) -> np.ndarray:
    """Where a node puts what it holds: its matrix, or scale, then turn, then shift."""
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    x, y, z, w = node.get("rotation", (0, 0, 0, 1))
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    matrix = np.eye(4)
    matrix[:3, :3] = turn * np.array(node.get("scale", (1, 1, 1)))
    matrix[:3, 3] = node.get("translation", (0, 0, 0))
    return matrix

"""glTF 2.0, binary: triangles in metres, y up; a relief stands upright in it, facing +z.

Khronos glTF 2.0 specification, sections 3.6 (accessors), 3.7 (meshes) and 4.4 (binary). Trimesh writes no tangents.
"""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping
from typing import Any

import numpy as np

from relief.formats.meshes._format import ALONE, AroundMesh, MeshFormat
from relief.surface.mesh import Mesh
from relief.surface.tangents import with_tangents

METRES = 1 / 1000
DULL = {"metallicFactor": 0.0, "roughnessFactor": 0.8}
FLOAT, UNSIGNED = 5126, 5125
VERTICES, INDICES = 34962, 34963
LINEAR, LINEAR_MIPMAPS, REPEAT = 9729, 9987, 10497


def write(mesh: Mesh, around: AroundMesh = ALONE) -> bytes:
    """Triangles with normal, tangent (MikkTSpace) and place on the maps of each vertex; a material for each region.

    Args:
        mesh: lengths in mm.
        around: the pictures of its materials.
    """
    split, tangents = with_tangents(mesh)
    file = _File()
    attributes = {
        "POSITION": file.add(split.positions * np.float32(METRES), VERTICES, bounded=True),
        "NORMAL": file.add(split.normals, VERTICES),
        "TANGENT": file.add(tangents, VERTICES),
        # on a glTF map v runs down
        "TEXCOORD_0": file.add(np.column_stack([split.uv[:, 0], 1 - split.uv[:, 1]]), VERTICES),
    }
    triangles = split.corners[split.triangles()].astype(np.uint32)
    parts = split.parts[split.face_of_triangles()]
    used = np.unique(parts)
    primitives = [
        {
            "attributes": attributes,
            "indices": file.add(triangles[parts == part].reshape(-1, 1), INDICES),
            "material": number,
        }
        for number, part in enumerate(used)
    ]
    node: dict[str, Any] = {"name": "relief", "mesh": 0}
    if any(mesh.middle):
        node["translation"] = [side * METRES for side in mesh.middle]
    pictures = around.pictures or [{}] * len(mesh.part_list)
    materials = [_material(file, mesh.part_list[part].name, pictures[part]) for part in used]
    return file.pack(
        {
            "asset": {"version": "2.0", "generator": "Zealous Gravel"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": [node],
            "meshes": [{"name": "relief", "primitives": primitives}],
            "materials": materials,
            **file.textures_and_images(),
        }
    )


def _material(file: _File, name: str, pictures: Mapping[str, bytes]) -> dict[str, Any]:
    """A material (section 3.9) with the pictures that there are."""
    rough: dict[str, Any] = dict(DULL)
    material: dict[str, Any] = {"name": name, "pbrMetallicRoughness": rough}
    if "colour" in pictures:
        rough["baseColorTexture"] = {"index": file.add_picture(pictures["colour"])}
    if "surface" in pictures:
        number = file.add_picture(pictures["surface"])
        rough |= {"metallicFactor": 1.0, "roughnessFactor": 1.0, "metallicRoughnessTexture": {"index": number}}
        material["occlusionTexture"] = {"index": number}
    if "normal" in pictures:
        material["normalTexture"] = {"index": file.add_picture(pictures["normal"])}
    return material


class _File:
    """The arrays of a file, one behind the other."""

    def __init__(self) -> None:
        self.data: list[bytes] = []
        self.length = 0
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self.images: dict[bytes, int] = {}

    def add(self, array: np.ndarray, target: int, bounded: bool = False) -> int:
        """Adds an array (items, components) and returns the number of its accessor."""
        whole = array.dtype == np.uint32
        array = np.ascontiguousarray(array, "<u4" if whole else "<f4")
        data = array.tobytes()
        self.views.append({"buffer": 0, "byteOffset": self.length, "byteLength": len(data), "target": target})
        self.data.append(data)
        self.length += len(data)
        accessor: dict[str, Any] = {
            "bufferView": len(self.views) - 1,
            "componentType": UNSIGNED if whole else FLOAT,
            "count": len(array),
            "type": {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[array.shape[1]],
        }
        if bounded:
            accessor |= {"min": array.min(axis=0).tolist(), "max": array.max(axis=0).tolist()}
        self.accessors.append(accessor)
        return len(self.accessors) - 1

    def add_picture(self, data: bytes) -> int:
        """Adds a PNG, once however often it is used, and returns the number of its texture."""
        if data not in self.images:
            self.images[data] = len(self.images)
            self.views.append({"buffer": 0, "byteOffset": self.length, "byteLength": len(data)})
            padding = b"\0" * (-len(data) % 4)
            self.data += [data, padding]
            self.length += len(data) + len(padding)
        return self.images[data]

    def textures_and_images(self) -> dict[str, Any]:
        """The parts of the content that name the pictures; nothing where there is none."""
        if not self.images:
            return {}
        first = len(self.views) - len(self.images)  # they are the last that were added
        return {
            "samplers": [{"magFilter": LINEAR, "minFilter": LINEAR_MIPMAPS, "wrapS": REPEAT, "wrapT": REPEAT}],
            "textures": [{"sampler": 0, "source": number} for number in range(len(self.images))],
            "images": [{"bufferView": first + number, "mimeType": "image/png"} for number in range(len(self.images))],
        }

    def pack(self, content: dict[str, Any]) -> bytes:
        """The file: a header, the content as JSON, and the arrays."""
        content |= {
            "accessors": self.accessors,
            "bufferViews": self.views,
            "buffers": [{"byteLength": self.length}],
        }
        text = json.dumps(content, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        body = b"".join(self.data)
        total = 12 + 8 + len(text) + 8 + len(body)
        head = struct.pack("<4sII", b"glTF", 2, total)
        return head + struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(body), b"BIN\0") + body


FORMAT = MeshFormat(
    name="GLB",
    title="glTF 2.0 binary, lengths in metres, y up, facing z",
    about="GLB is in metres, with tangents and maps.",
    write=write,
    unit="m",
    has_regions=True,
    has_pictures=True,
)

"""The formats that hold triangles alone, read by trimesh: STL and binary glTF."""

from __future__ import annotations

import io
from typing import Any

import numpy as np

from relief.errors import MeshError
from relief.sources.mesh.polygons import Polygons, plain_polygons


def read(data: bytes, name: str, kind: str) -> Polygons:
    """The triangles of a file.

    Args:
        data: its bytes.
        name: what it is called, for messages.
        kind: `stl` or `glb`.

    Raises:
        MeshError: it cannot be read.
    """
    import trimesh

    try:
        scene = trimesh.load_scene(io.BytesIO(data), file_type=kind, process=False)
        meshes = [item for item in scene.dump() if isinstance(item, trimesh.Trimesh) and len(item.faces)]
    except Exception as problem:  # whatever the reader trips over, the file is at fault
        raise MeshError(f"{name} cannot be read as {kind.upper()}. It may be cut off.") from problem
    if not meshes:
        raise MeshError(f"{name} has no faces, so there is no surface in it.")
    names: dict[str, int] = {}
    positions, faces, materials, count = [], [], [], 0
    places: list[Any] = []
    for mesh in meshes:
        material = getattr(mesh.visual, "material", None)
        called = str(getattr(material, "name", None) or mesh.metadata.get("name") or "all")[:60]
        materials.append(np.full(len(mesh.faces), names.setdefault(called, len(names))))
        uv = getattr(mesh.visual, "uv", None)
        places.append(uv)
        positions.append(np.asarray(mesh.vertices, np.float64))
        faces.append(np.asarray(mesh.faces) + count)
        count += len(mesh.vertices)
    remarks: tuple[str, ...] = ()
    uv = None
    if all(item is not None for item in places):
        uv = np.concatenate(places)
    elif any(item is not None for item in places):
        remarks = ("Only some of it has places on maps, so they were left out.",)
    return plain_polygons(
        np.concatenate(positions), np.concatenate(faces), uv, np.concatenate(materials), tuple(names), remarks
    )

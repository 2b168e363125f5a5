"""Mesh files, by what their name ends with."""

from __future__ import annotations

from relief.errors import MeshError
from relief.sources.mesh import obj, ply, triangles
from relief.sources.mesh.polygons import Polygons, check_polygons

ENDINGS = ("obj", "ply", "stl", "glb")
"""What the names of mesh files end with."""


def is_mesh(filename: str) -> bool:
    """Whether a file is read as a mesh."""
    return filename.rpartition(".")[2].lower() in ENDINGS


def read_mesh(data: bytes, filename: str) -> Polygons:
    """The polygons of a file: OBJ, PLY, STL or GLB.

    Raises:
        MeshError: it cannot be read; the message is a sentence.
    """
    kind = filename.rpartition(".")[2].lower()
    if not data:
        raise MeshError(f"{filename} is empty.")
    match kind:
        case "obj":
            return check_polygons(obj.read(data, filename), filename)
        case "ply":
            return check_polygons(ply.read(data, filename), filename)
        case "stl" | "glb":
            return check_polygons(triangles.read(data, filename, kind), filename)
    raise MeshError(f"{filename} is no mesh that is read here. OBJ, PLY, STL and GLB are.")

"""STL, as text or binary: triangles alone, read by trimesh."""

from __future__ import annotations

import io

import numpy as np

from relief.errors import MeshError
from relief.sources.mesh.polygons import Polygons, plain_polygons


def read(data: bytes, name: str) -> Polygons:
    """The triangles of a file; no two share a vertex yet.

    Raises:
        MeshError: it cannot be read.
    """
    import trimesh

    try:
        mesh = trimesh.load_mesh(io.BytesIO(data), file_type="stl", process=False)
        positions, faces = np.asarray(mesh.vertices, np.float64), np.asarray(mesh.faces)
    except Exception as problem:  # whatever the reader trips over, the file is at fault
        raise MeshError(f"{name} cannot be read as STL. It may be cut off.") from problem
    if not len(faces):
        raise MeshError(f"{name} has no faces, so there is no surface in it.")
    return plain_polygons(positions, faces)

"""STL, binary: triangles alone, lengths in mm."""

from __future__ import annotations

from relief.deliver.meshes._triangles import triangles_of
from relief.surface.mesh import Mesh


def write(mesh: Mesh) -> bytes:
    """Triangles with the normal of each face."""
    written: bytes = triangles_of(mesh).export(file_type="stl")
    return written

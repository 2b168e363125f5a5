"""STL, binary: triangles alone. It holds no word on its unit."""

from __future__ import annotations

from relief.deliver.meshes._triangles import triangles_of
from relief.surface.mesh import Mesh

SAYS_UNIT = False


def write(mesh: Mesh) -> bytes:
    """Triangles with the normal of each face."""
    written: bytes = triangles_of(mesh).export(file_type="stl")
    return written

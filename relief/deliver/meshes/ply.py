"""Stanford PLY, binary: triangles with normals and texture coordinates. It holds no word on its unit."""

from __future__ import annotations

from relief.deliver.meshes._triangles import triangles_of
from relief.surface.mesh import Mesh

SAYS_UNIT = False


def write(mesh: Mesh) -> bytes:
    """Triangles with the normal and the place on the maps of each vertex."""
    written: bytes = triangles_of(mesh).export(file_type="ply", vertex_normal=True)
    return written

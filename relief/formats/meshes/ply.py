"""Stanford PLY, binary: triangles with normals and texture coordinates. It holds no word on its unit."""

from __future__ import annotations

from relief.formats.meshes._format import ALONE, AroundMesh, MeshFormat
from relief.formats.meshes._triangles import triangles_of
from relief.surface.mesh import Mesh


def write(mesh: Mesh, around: AroundMesh = ALONE) -> bytes:
    """Triangles with the normal and the place on the maps of each vertex."""
    written: bytes = triangles_of(mesh).export(file_type="ply", vertex_normal=True)
    return written


FORMAT = MeshFormat(
    name="PLY",
    title="Stanford PLY, y up, facing z",
    about="PLY is the smallest and quickest with normals and UVs.",
    write=write,
)

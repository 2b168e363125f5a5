"""STL, binary: triangles alone. It holds no word on its unit."""

from __future__ import annotations

from relief.formats.meshes._format import ALONE, AroundMesh, MeshFormat
from relief.formats.meshes._triangles import triangles_of
from relief.surface.mesh import Mesh


def write(mesh: Mesh, around: AroundMesh = ALONE) -> bytes:
    """Triangles with the normal of each face."""
    written: bytes = triangles_of(mesh).export(file_type="stl")
    return written


FORMAT = MeshFormat(
    name="STL",
    title="STL, y up, facing z",
    about="STL holds only triangles, for machines.",
    write=write,
)

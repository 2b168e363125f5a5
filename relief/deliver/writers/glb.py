"""glTF 2.0, binary: triangles in metres, y up; a relief stands upright in it, facing +z."""

from __future__ import annotations

from relief.deliver.writers._triangles import triangles_of
from relief.surface.mesh import Mesh


def write(mesh: Mesh) -> bytes:
    """Triangles with the normal and the place on the maps of each vertex, in a scene of one node."""
    import trimesh

    metres = 1 / 1000
    written: bytes = trimesh.Scene({"relief": triangles_of(mesh, metres)}).export(file_type="glb", include_normals=True)
    return written

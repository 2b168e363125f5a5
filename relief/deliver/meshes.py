"""Meshes as files. OBJ keeps the polygons; PLY, STL and GLB are written as triangles by trimesh.

Lengths are mm, except in GLB, which is metres with y up (glTF 2.0). A relief stands upright in it, facing +z.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np

from relief.errors import ReliefError
from relief.surface.mesh import Mesh

ROWS_AT_ONCE = 65_536
TRIANGLE_FORMATS = ("ply", "stl", "glb")
FORMATS = ("obj", *TRIANGLE_FORMATS)


def mesh_file(mesh: Mesh, kind: str) -> bytes:
    """The mesh as the bytes of a file.

    Raises:
        ReliefError: `kind` is none of `FORMATS`.
    """
    if kind == "obj":
        return obj(mesh)
    if kind not in FORMATS:
        raise ReliefError(f"A mesh is written as {', '.join(FORMATS)}; “{kind}” is none of them.")
    import trimesh  # takes longer to load than all else, and only these formats need it

    scale = 1 / 1000 if kind == "glb" else 1
    cut = mesh.cut_at_seams()
    triangles: Any = trimesh.Trimesh(
        (cut.positions + np.array(cut.middle, np.float32)) * scale,
        cut.corners[cut.triangles()],
        vertex_normals=cut.normals,
        visual=trimesh.visual.TextureVisuals(uv=cut.uv),
        process=False,
        validate=False,
    )
    if kind == "glb":
        scene: Any = trimesh.Scene({"relief": triangles})
        return scene.export(file_type="glb", include_normals=True)
    if kind == "ply":
        return triangles.export(file_type="ply", vertex_normal=True)
    return triangles.export(file_type=kind)


def obj(mesh: Mesh) -> bytes:
    """Wavefront OBJ: polygons with texture coordinates and normals, lengths in mm."""
    parts = [b"# Zealous Gravel. Lengths in mm, y up, facing z.\no relief\n"]
    middle = np.array(mesh.middle)
    parts += _lines("v %.7g %.7g %.7g\n", mesh.positions + middle if middle.any() else mesh.positions)
    parts += _lines("vt %.7g %.7g\n", mesh.uv)
    parts += _lines("vn %.6g %.6g %.6g\n", mesh.normals)
    named = np.stack([mesh.corners, mesh.uv_corners, mesh.corners], axis=1) + 1
    sides = np.diff(mesh.offsets)
    # runs of faces with as many corners, in their order
    ends = [*np.flatnonzero(np.diff(sides)) + 1, mesh.faces]
    for first, last in pairwise([0, *ends]):
        form = "f" + " %d/%d/%d" * sides[first] + "\n"
        parts += _lines(form, named[mesh.offsets[first] : mesh.offsets[last]].reshape(last - first, -1))
    return b"".join(parts)


def _lines(form: str, rows: np.ndarray) -> list[bytes]:
    """One line a row; many rows are formatted by one call, which is ten times as quick as a loop."""
    blocks = (rows[first : first + ROWS_AT_ONCE] for first in range(0, len(rows), ROWS_AT_ONCE))
    return [((form * len(block)) % tuple(block.ravel().tolist())).encode() for block in blocks]

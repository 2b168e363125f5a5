"""Wavefront OBJ: polygons as they are, in the unit that its first line names."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from relief.formats.meshes._format import ALONE, AroundMesh, MeshFormat
from relief.surface.mesh import Mesh

UNIT_WORDS = {"mm": "mm", "cm": "cm", "m": "m", "in": "inches"}

ROWS_AT_ONCE = 65_536


def write(mesh: Mesh, around: AroundMesh = ALONE) -> bytes:
    """Polygons with texture coordinates and normals, y up, facing z; a group and a material for each region."""
    library = [f"mtllib {around.library}\n".encode()] if around.library else []
    parts = [*library, f"# Zealous Gravel. Lengths in {UNIT_WORDS[around.unit]}, y up, facing z.\no relief\n".encode()]
    middle = np.array(mesh.middle)
    parts += _lines("v %.7g %.7g %.7g\n", mesh.positions + middle if middle.any() else mesh.positions)
    parts += _lines("vt %.7g %.7g\n", mesh.uv)
    parts += _lines("vn %.6g %.6g %.6g\n", mesh.normals)
    named = np.stack([mesh.corners, mesh.uv_corners, mesh.normal_corners], axis=1) + 1
    sides = np.diff(mesh.offsets)
    # runs of faces of one region with as many corners, in their order
    ends = [*np.flatnonzero(np.diff(sides) | np.diff(mesh.parts.astype(np.int32))) + 1, mesh.faces]
    several = len(mesh.part_list) > 1
    for first, last in pairwise([0, *ends]):
        if several and (first == 0 or mesh.parts[first] != mesh.parts[first - 1]):
            name = mesh.part_list[mesh.parts[first]].name.replace(" ", "_")
            parts.append(f"g {name}\nusemtl {name}\n".encode())
        form = "f" + " %d/%d/%d" * sides[first] + "\n"
        parts += _lines(form, named[mesh.offsets[first] : mesh.offsets[last]].reshape(last - first, -1))
    return b"".join(parts)


def _lines(form: str, rows: np.ndarray) -> list[bytes]:
    """One line a row; many rows are formatted by one call, which is ten times as quick as a loop."""
    blocks = (rows[first : first + ROWS_AT_ONCE] for first in range(0, len(rows), ROWS_AT_ONCE))
    return [((form * len(block)) % tuple(block.ravel().tolist())).encode() for block in blocks]


FORMAT = MeshFormat(
    name="OBJ",
    title="Wavefront OBJ, y up, facing z",
    about="OBJ keeps polygons and is read everywhere.",
    write=write,
    has_regions=True,
    has_library=True,
)

"""What is known of a mesh: counts, size, the guess of its unit, and what will go wrong with it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from relief.figures import UNITS, say_number
from relief.sources.mesh.polygons import Polygons
from relief.surface.edges import find_edges
from relief.surface.mend import find_doubled
from relief.surface.normals import face_areas, to_unit_length
from relief.surface.orient import find_reversed

HARD = 40
"""Degrees: edges where faces turn by more are counted as hard."""


@dataclass(frozen=True)
class MeshFacts:
    """Counted and measured; lengths are in mm by the guessed unit.

    Attributes:
        format: what it was read as.
        faces, vertices: how many.
        triangles, quads, larger: faces by their corners.
        size: extent along x, y and z.
        unit, reason: the guess of its unit, and why.
        uv_sets: how many UV sets it has.
        groups, materials: their names.
        open_edges: edges with one face.
        non_manifold: edges with more than two faces.
        doubled: vertices that lie where another one does.
        mixed: edges whose two faces look opposite ways.
        reversed: faces that look inward.
        hard_edges: edges where the surface turns by more than 40 degrees.
        remarks: what was left out when it was read.
    """

    format: str
    faces: int
    vertices: int
    triangles: int
    quads: int
    larger: int
    size: tuple[float, float, float]
    unit: str
    reason: str
    uv_sets: int
    groups: tuple[str, ...]
    materials: tuple[str, ...]
    open_edges: int
    non_manifold: int
    doubled: int
    mixed: int
    reversed: int
    hard_edges: int
    remarks: tuple[str, ...]


def mesh_facts(mesh: Polygons, filename: str) -> MeshFacts:
    """The facts of a mesh. Where vertices are doubled, edges are counted as if they were merged."""
    kind = filename.rpartition(".")[2].lower()
    same, doubled = find_doubled(mesh.positions)
    corners = same[mesh.corners]
    edges = find_edges(corners, mesh.offsets)
    counts = edges.counts[edges.vertices[:, 0] != edges.vertices[:, 1]]  # what merging made a point of is none
    areas = to_unit_length(face_areas(mesh.positions.astype(np.float32), mesh.offsets, mesh.corners))
    faces = np.repeat(np.arange(mesh.faces), np.diff(mesh.offsets))
    one, other = faces[edges.pairs[:, 0]], faces[edges.pairs[:, 1]]
    cosine = np.einsum("ij,ij->i", areas[one], areas[other])
    wrong = find_reversed(mesh.positions, corners, mesh.offsets, edges)
    sides = np.diff(mesh.offsets)
    used = mesh.positions[np.unique(mesh.corners)]
    extent = np.ptp(used, axis=0)
    unit, reason = guess_unit(float(extent.max()), kind)
    return MeshFacts(
        format=kind.upper(),
        faces=mesh.faces,
        vertices=len(mesh.positions),
        triangles=int((sides == 3).sum()),
        quads=int((sides == 4).sum()),
        larger=int((sides > 4).sum()),
        size=(float(extent[0] * UNITS[unit]), float(extent[1] * UNITS[unit]), float(extent[2] * UNITS[unit])),
        unit=unit,
        reason=reason,
        uv_sets=len(mesh.uv_sets),
        groups=mesh.group_names,
        materials=mesh.material_names,
        open_edges=int((counts == 1).sum()),
        non_manifold=int((counts > 2).sum()),
        doubled=doubled if kind != "stl" else 0,
        mixed=int(edges.turned.sum()),
        reversed=int(wrong.sum()),
        hard_edges=int(((np.where(edges.turned, -cosine, cosine)) < np.cos(np.radians(HARD))).sum()),
        remarks=mesh.remarks,
    )


def guess_unit(extent: float, kind: str) -> tuple[str, str]:
    """The unit that a file is in, and why: its format says it, or its size does (common practice, no source).

    Args:
        extent: its longest side in its own unit.
        kind: what its name ends with.
    """
    if kind == "glb":
        return "m", "glTF is in metres."
    if kind == "stl":
        return "mm", "STL is in millimetres as a rule."
    if extent < 20:
        return "m", f"Its longest side is {say_number(extent)}, which would be implausibly small in mm."
    if extent < 250:
        return "cm", f"Its longest side is {say_number(extent)}, which is plausible in cm."
    return "mm", f"Its longest side is {say_number(extent, 4)}, which is plausible in mm."

"""The polygons of a mesh file as it came in, in the file's own units."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from relief.errors import MeshError

MOST_FACES_READ = 1_000_000
MOST_CORNERS = 1000
FARTHEST = 1e12
"""Units of a file from its origin; beyond, sizes and areas are no numbers any more."""


@dataclass(frozen=True)
class Polygons:
    """Faces of any number of corners.

    Attributes:
        positions: float64 (vertices, 3).
        corners: int32 (corners,), the vertex of each corner.
        offsets: int32 (faces + 1,), where the corners of each face begin.
        uv_sets: the UVs that came along: pairs of float64 (places, 2) and int32 (corners,).
        groups, materials: int32 (faces,), numbers of names.
        group_names, material_names: the names.
        remarks: sentences about what was left out.
    """

    positions: np.ndarray
    corners: np.ndarray
    offsets: np.ndarray
    uv_sets: tuple[tuple[np.ndarray, np.ndarray], ...]
    groups: np.ndarray
    materials: np.ndarray
    group_names: tuple[str, ...]
    material_names: tuple[str, ...]
    remarks: tuple[str, ...] = ()

    @property
    def faces(self) -> int:
        """How many faces there are."""
        return len(self.offsets) - 1


def too_many_faces(name: str, faces: int) -> MeshError:
    """The error that says how many faces are read at most."""
    return MeshError(f"{name} has {faces} faces; at most {MOST_FACES_READ} are read.")


def as_indices(numbers: np.ndarray, name: str) -> np.ndarray:
    """Numbers of vertices as int32.

    Raises:
        MeshError: one of them is beyond what any mesh has; cut to 32 bits it would name another vertex.
    """
    if len(numbers) and not (numbers.min() >= 0 and numbers.max() < 2**31):
        raise MeshError(f"{name} has faces that name vertices which are not in it. It may be cut off.")
    return numbers.astype(np.int32)


def check_polygons(mesh: Polygons, name: str) -> Polygons:
    """The polygons without faces that are none.

    Raises:
        MeshError: no face is left, too many, corners that lead nowhere, or positions that are no numbers.
    """
    if mesh.faces > MOST_FACES_READ:
        raise too_many_faces(name, mesh.faces)
    sides = np.diff(mesh.offsets)
    if sides.min(initial=0) < 0:
        raise MeshError(f"{name} has a face with a negative number of corners. It may be damaged.")
    if len(mesh.corners) and (mesh.corners.min() < 0 or mesh.corners.max() >= len(mesh.positions)):
        raise MeshError(f"{name} has faces that name vertices which are not in it. It may be cut off.")
    used = mesh.positions[np.unique(mesh.corners)]
    if not np.isfinite(used).all():
        raise MeshError(f"{name} has positions that are not numbers.")
    if np.abs(used).max(initial=0) > FARTHEST:
        raise MeshError(f"{name} reaches farther than 1 000 billion units from its origin. It may be damaged.")
    mesh = _without_odd_places(mesh)
    if sides.max(initial=0) > MOST_CORNERS:
        raise MeshError(f"{name} has a face of {sides.max()} corners; at most {MOST_CORNERS} are read.")
    mesh = _without_doubled_corners(mesh)
    sides = np.diff(mesh.offsets)
    whole = sides >= 3
    if not whole.any():
        raise MeshError(f"{name} has no faces, so there is no surface in it.")
    if not whole.all():
        lost = int((~whole).sum())
        mesh = keep_faces(mesh, whole, f"{lost} faces had fewer than three corners and were left out.")
    size = np.ptp(mesh.positions[mesh.corners], axis=0)
    if not size.any():
        raise MeshError(f"All vertices of {name} coincide.")
    return mesh


def keep_faces(mesh: Polygons, kept: np.ndarray, remark: str = "") -> Polygons:
    """Some of the faces, bool (faces,)."""
    sides = np.diff(mesh.offsets)
    of_corners = np.repeat(kept, sides)
    return Polygons(
        mesh.positions,
        mesh.corners[of_corners],
        np.concatenate([[0], np.cumsum(sides[kept])]).astype(np.int32),
        tuple((uv, numbers[of_corners]) for uv, numbers in mesh.uv_sets),
        mesh.groups[kept],
        mesh.materials[kept],
        mesh.group_names,
        mesh.material_names,
        mesh.remarks + ((remark,) if remark else ()),
    )


def _without_odd_places(mesh: Polygons) -> Polygons:
    """Without the UV sets that hold values that are not numbers."""
    sound = tuple((uv, numbers) for uv, numbers in mesh.uv_sets if np.isfinite(uv).all())
    if len(sound) == len(mesh.uv_sets):
        return mesh
    remark = "Some UVs are not numbers, so that set was left out."
    return replace(mesh, uv_sets=sound, remarks=(*mesh.remarks, remark))


def _without_doubled_corners(mesh: Polygons) -> Polygons:
    """Corners that name the same vertex as the next one of their face are left out."""
    sides = np.diff(mesh.offsets)
    following = np.arange(1, len(mesh.corners) + 1)
    following[mesh.offsets[1:][sides > 0] - 1] = mesh.offsets[:-1][sides > 0]
    kept = mesh.corners != mesh.corners[following]
    if kept.all():
        return mesh
    faces = np.repeat(np.arange(len(sides)), sides)
    left = np.bincount(faces[kept], minlength=len(sides))
    return Polygons(
        mesh.positions,
        mesh.corners[kept],
        np.concatenate([[0], np.cumsum(left)]).astype(np.int32),
        tuple((uv, numbers[kept]) for uv, numbers in mesh.uv_sets),
        mesh.groups,
        mesh.materials,
        mesh.group_names,
        mesh.material_names,
        mesh.remarks,
    )


def plain_polygons(
    positions: np.ndarray,
    faces: np.ndarray,
    uv: np.ndarray | None = None,
    materials: np.ndarray | None = None,
    material_names: tuple[str, ...] = ("all",),
    remarks: tuple[str, ...] = (),
) -> Polygons:
    """Polygons from faces that all have as many corners, int (faces, sides); `uv` are places of the vertices."""
    count, sides = faces.shape
    corners = as_indices(np.ascontiguousarray(faces).reshape(-1), "The mesh")
    nothing = np.zeros(count, np.int32)
    return Polygons(
        np.asarray(positions, np.float64),
        corners,
        (np.arange(count + 1) * sides).astype(np.int32),
        () if uv is None else ((np.asarray(uv, np.float64), corners),),
        nothing,
        nothing if materials is None else materials.astype(np.int32),
        ("all",),
        material_names,
        remarks,
    )

"""Normals of meshes: of faces, of corners by a smoothing angle, and the directions that vertices move along."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import scipy

from relief.kernels import kernel, serial_kernel
from relief.surface.edges import Edges, corners_across, find_edges
from relief.surface.mesh import Mesh, join_numbers


def face_areas(positions: np.ndarray, offsets: np.ndarray, corners: np.ndarray) -> np.ndarray:
    """Of each face the vector along its normal whose length is its area: float32 (faces, 3).

    The sum of the cross products along a polygon's edges is twice its area along its normal (M. E. Newell; from
    memory).
    """
    areas = np.empty((len(offsets) - 1, 3), np.float32)
    _measure_areas(positions, offsets, corners, areas)
    return areas


def renew_normals(mesh: Mesh, joined: tuple[np.ndarray, np.ndarray] | None = None) -> Mesh:
    """The mesh with normals from its positions: each the mean of the faces that share it, weighted by area.

    Args:
        mesh: which corners share a normal stays as it is.
        joined: numbers of normals, and for each the number of the group that has one in common.
    """
    normals = np.zeros_like(mesh.normals)
    areas = face_areas(mesh.positions, mesh.offsets, mesh.corners)
    _add_to_corners(areas, mesh.offsets, mesh.normal_corners, normals)
    if joined is not None and len(joined[0]):
        numbers, groups = joined
        together = np.zeros((groups.max() + 1, 3), np.float32)
        np.add.at(together, groups, normals[numbers])
        normals[numbers] = together[groups]
    return replace(mesh, normals=to_unit_length(normals))


def smooth_by_angle(mesh: Mesh, angle: float) -> Mesh:
    """The mesh with edges hard where its faces turn by more than an angle (degrees), and all others smooth."""
    edges = find_edges(mesh.corners, mesh.offsets)
    one, end_of_one, other, end_of_other = corners_across(edges, mesh.offsets)
    soft = _cosines_across(mesh, edges) >= np.cos(np.radians(angle)) - 1e-6
    rows, columns = np.concatenate([one[soft], end_of_one[soft]]), np.concatenate([other[soft], end_of_other[soft]])
    count = len(mesh.corners)
    links = scipy.sparse.coo_array((np.ones(len(rows), bool), (rows, columns)), shape=(count, count))
    _, groups = scipy.sparse.csgraph.connected_components(links, directed=False)
    _, normal_corners = join_numbers(mesh.corners, groups.astype(np.int32))
    one_each = np.array_equal(normal_corners, mesh.corners)
    total = len(mesh.positions) if one_each else int(normal_corners.max(initial=-1)) + 1
    numbers = mesh.corners if one_each else normal_corners
    return renew_normals(replace(mesh, normals=np.zeros((total, 3), np.float32), normal_corners=numbers))


def find_hard_edges(mesh: Mesh, angle: float) -> np.ndarray:
    """The vertices of edges whose faces turn by more than an angle (degrees): int32 (edges, 2)."""
    if angle >= 180:
        return np.zeros((0, 2), np.int32)
    edges = find_edges(mesh.corners, mesh.offsets)
    one, end_of_one, _, _ = corners_across(edges, mesh.offsets)
    hard = _cosines_across(mesh, edges) < np.cos(np.radians(angle)) - 1e-6
    return np.stack([mesh.corners[one[hard]], mesh.corners[end_of_one[hard]]], axis=1)


def open_hard_edges(mesh: Mesh) -> Mesh:
    """The mesh with a vertex for each normal that meets at one: at a hard edge every face then moves its own way."""
    if mesh.normal_corners is mesh.corners:
        return mesh
    chosen, corners = join_numbers(mesh.corners, mesh.normal_corners)
    return replace(
        mesh,
        positions=mesh.positions[mesh.corners[chosen]],
        normals=mesh.normals[mesh.normal_corners[chosen]],
        corners=corners,
        normal_corners=corners,
    )


def _cosines_across(mesh: Mesh, edges: Edges) -> np.ndarray:
    """Of each edge with two faces the cosine of the angle that these turn by: float32 (inner,)."""
    areas = to_unit_length(face_areas(mesh.positions, mesh.offsets, mesh.corners))
    faces = mesh.face_of_corners[edges.pairs]
    cosines: np.ndarray = np.einsum("ij,ij->i", areas[faces[:, 0]], areas[faces[:, 1]])
    return cosines


def directions(mesh: Mesh) -> np.ndarray:
    """The direction that each vertex is displaced along: float32 (vertices, 3), unit length.

    At a hard edge it is the mean of the normals that meet there, each counted once, so that the faces move together and
    the edge stays closed.
    """
    if mesh.normal_corners is mesh.corners:
        return mesh.normals
    chosen, _ = join_numbers(mesh.corners, mesh.normal_corners)
    total = np.zeros((len(mesh.positions), 3), np.float32)
    np.add.at(total, mesh.corners[chosen], mesh.normals[mesh.normal_corners[chosen]])
    return to_unit_length(total)


def to_unit_length(vectors: np.ndarray) -> np.ndarray:
    """The vectors, float32 (count, 3), changed in place; those without a length point along z."""
    _to_unit_length(vectors)
    return vectors


@kernel(rows_of="areas")
def _measure_areas(begin, end, positions, offsets, corners, areas):
    for face in range(begin, end):
        first, last = offsets[face], offsets[face + 1]
        x = y = z = np.float32(0)
        start = corners[first]  # edges are taken from here, so that places far away lose nothing
        for corner in range(first + 1, last - 1):
            one, other = corners[corner], corners[corner + 1]
            ax, bx = positions[one, 0] - positions[start, 0], positions[other, 0] - positions[start, 0]
            ay, by = positions[one, 1] - positions[start, 1], positions[other, 1] - positions[start, 1]
            az, bz = positions[one, 2] - positions[start, 2], positions[other, 2] - positions[start, 2]
            x += ay * bz - az * by
            y += az * bx - ax * bz
            z += ax * by - ay * bx
        areas[face, 0], areas[face, 1], areas[face, 2] = x / 2, y / 2, z / 2


@serial_kernel
def _add_to_corners(areas, offsets, numbers, totals):
    for face in range(len(offsets) - 1):
        for corner in range(offsets[face], offsets[face + 1]):
            for axis in range(3):
                totals[numbers[corner], axis] += areas[face, axis]


@kernel(rows_of="vectors")
def _to_unit_length(begin, end, vectors):
    for number in range(begin, end):
        x, y, z = vectors[number, 0], vectors[number, 1], vectors[number, 2]
        length = np.sqrt(x * x + y * y + z * z)
        if length > 0:
            vectors[number, 0], vectors[number, 1], vectors[number, 2] = x / length, y / length, z / length
        else:
            vectors[number, 2] = 1

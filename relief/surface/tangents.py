"""Tangents of a mesh after MikkTSpace, the space that glTF 2.0 asks of normal maps.

M. S. Mikkelsen 2008, *Simulation of Wrinkled Surfaces Revisited*, master's thesis, University of Copenhagen.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.surface.mesh import Mesh, join_numbers


def with_tangents(mesh: Mesh) -> tuple[Mesh, np.ndarray]:
    """The mesh cut at its seams and where its places are mirrored, and a tangent for each of its vertices.

    A triangle's tangent points where u grows. A vertex has the mean of its triangles' tangents, each laid into the
    plane of the normal and weighted by the triangle's angle there. A triangle whose places have no area counts for
    nothing.

    Returns:
        A mesh with one place and one normal for each vertex, and float32 (vertices, 4): the unit tangent, and the sign
        w of the bitangent w (n x t), 1 where u and v are as on a map and -1 where they are mirrored.
    """
    cut = mesh.cut_at_seams()
    triangles = cut.triangles()
    vertices = cut.corners[triangles]
    points = cut.positions[vertices].astype(np.float64)
    uv = cut.uv[vertices].astype(np.float64)
    edge, other = points[:, 1] - points[:, 0], points[:, 2] - points[:, 0]
    (du, dv), (du2, dv2) = (uv[:, 1] - uv[:, 0]).T, (uv[:, 2] - uv[:, 0]).T
    area = du * dv2 - dv * du2
    sign = np.where(area < 0, -1.0, 1.0)
    towards = _unit(sign[:, None] * (edge * dv2[:, None] - other * dv[:, None]))
    towards[area == 0] = 0

    # where triangles of both signs meet, the vertex becomes two; one without area goes with the others of its face
    of_corners = np.zeros(len(cut.corners), np.int8)
    faces = cut.face_of_triangles()
    lowest = np.ones(cut.faces)
    np.minimum.at(lowest, faces, sign)
    of_corners = (lowest < 0).astype(np.int32)[cut.face_of_corners]
    chosen, corners = join_numbers(cut.corners, of_corners)
    kept = cut.corners[chosen]
    split = replace(
        cut, positions=cut.positions[kept], normals=cut.normals[kept], uv=cut.uv[kept],
        corners=corners, uv_corners=corners, normal_corners=corners,
    )  # fmt: skip

    normals = split.normals.astype(np.float64)
    total = np.zeros((len(normals), 3))
    numbers = corners[triangles]
    for place in range(3):
        here = numbers[:, place]
        normal = normals[here]
        laid = _unit(_flatten(towards, normal))
        one = _unit(_flatten(points[:, (place + 1) % 3] - points[:, place], normal))
        two = _unit(_flatten(points[:, (place + 2) % 3] - points[:, place], normal))
        angle = np.arccos(np.clip(np.einsum("ij,ij->i", one, two), -1, 1))
        for axis in range(3):
            total[:, axis] += np.bincount(here, laid[:, axis] * angle, len(normals))
    found = _unit(total)
    lost = ~found.any(axis=1)
    if lost.any():
        found[lost] = _any_across(normals[lost])
    signs = np.where(of_corners[chosen] > 0, -1.0, 1.0)
    return split, np.column_stack([found, signs]).astype(np.float32)


def _flatten(vectors: np.ndarray, normals: np.ndarray) -> np.ndarray:
    """Vectors laid into the planes of normals."""
    flat: np.ndarray = vectors - normals * np.einsum("ij,ij->i", vectors, normals)[:, None]
    return flat


def _unit(vectors: np.ndarray) -> np.ndarray:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    unit: np.ndarray = np.where(lengths > 1e-20, vectors / np.maximum(lengths, 1e-20), 0)
    return unit


def _any_across(normals: np.ndarray) -> np.ndarray:
    """A direction at right angles to each normal, for vertices without one of their own."""
    least = np.eye(3)[np.abs(normals).argmin(axis=1)]
    return _unit(_flatten(least, normals))

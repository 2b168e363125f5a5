"""Which way the faces of a mesh look, and turning them around."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from relief.surface.mesh import Mesh


def turn_faces(mesh: Mesh) -> Mesh:
    """The mesh with all faces looking the other way."""
    order = order_backwards(mesh.offsets, np.ones(mesh.faces, bool))
    corners = mesh.corners[order]
    same = {id(mesh.corners): corners}
    return replace(
        mesh,
        normals=-mesh.normals,
        corners=corners,
        uv_corners=same.get(id(mesh.uv_corners), mesh.uv_corners[order]),
        normal_corners=same.get(id(mesh.normal_corners), mesh.normal_corners[order]),
    )


def order_backwards(offsets: np.ndarray, turned: np.ndarray) -> np.ndarray:
    """The order of corners in which some faces, bool (faces,), run the other way around, from the same first corner."""
    sides = np.diff(offsets)
    faces = np.repeat(np.arange(len(sides)), sides)
    local = np.arange(offsets[-1]) - offsets[faces]
    back = offsets[faces] + (sides[faces] - local) % sides[faces]
    order: np.ndarray = np.where(turned[faces], back, np.arange(offsets[-1]))
    return order

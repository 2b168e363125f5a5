"""Small drawings of meshes, lit, as they lie on the shelf and as a shape is chosen by."""

from __future__ import annotations

import cv2
import numpy as np

from relief.surface.mesh import Mesh
from relief.surface.normals import face_areas

TOWARDS = {True: (0.5, 0.42, 1.0), False: (-0.42, -0.8, 0.9)}
"""The direction that is looked from, of what stands and of what lies."""
UP = {True: (0.0, 1.0, 0.0), False: (0.0, 0.0, 1.0)}
LIGHT = (-0.45, 0.55, 0.7)
"""Towards the light, of what is seen: right, up, out."""
FILLED = 0.86
STAGE = (111, 118, 120)
FINE = 16
"""Parts of a pixel that corners are placed by, in powers of two: 4 bits."""


def draw_mesh(mesh: Mesh, size: int, upright: bool = True, inward: bool = False) -> np.ndarray:
    """The mesh lit from the upper left, far faces first: uint8 (size, size, 3), grey on the stage's grey.

    Args:
        mesh: what to draw.
        size: pixels of a side.
        upright: whether y is up; otherwise z is.
        inward: whether its faces are seen from inside, so that those in front are left out.
    """
    seen, normals, visible = _look(mesh, upright, inward)
    scale = 2.0
    side = int(size * scale)
    low, high = seen[:, :2].min(axis=0), seen[:, :2].max(axis=0)
    fit = FILLED * side / max(float((high - low).max()), 1e-9)
    flat = (seen[:, :2] - (low + high) / 2) * (fit, -fit) + side / 2
    shade = np.clip(normals @ (np.array(LIGHT) / np.linalg.norm(LIGHT)), 0, 1) * 0.78 + 0.18
    levels = np.rint(shade**0.8 * 240).astype(int)
    depth = np.add.reduceat(seen[mesh.corners, 2], mesh.offsets[:-1]) / np.diff(mesh.offsets)
    picture = np.full((side, side, 3), STAGE, np.uint8)
    points = np.rint(flat[mesh.corners] * FINE).astype(np.int32)
    for face in np.flatnonzero(visible)[np.argsort(depth[visible], kind="stable")]:
        polygon = points[mesh.offsets[face] : mesh.offsets[face + 1]]
        level = int(levels[face])
        cv2.fillPoly(picture, [polygon], (level, level, max(0, level - 8)), cv2.LINE_8, 4)
    return cv2.resize(picture, (size, size), interpolation=cv2.INTER_AREA)


def _look(mesh: Mesh, upright: bool, inward: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The vertices as they are seen (right, up, towards), the normals of the faces so, and which face the eye."""
    towards = np.array(TOWARDS[upright]) / np.linalg.norm(TOWARDS[upright])
    right = np.cross(UP[upright], towards)
    right /= np.linalg.norm(right)
    turn = np.stack([right, np.cross(towards, right), towards])
    areas = face_areas(mesh.positions, mesh.offsets, mesh.corners).astype(np.float64)
    normals = areas / np.maximum(np.linalg.norm(areas, axis=1, keepdims=True), 1e-20) @ turn.T
    visible = normals[:, 2] > 0
    if not inward:
        # a face that looks away is seen from behind where nothing lies before it
        normals[~visible] *= -1
        visible[:] = True
    return mesh.positions.astype(np.float64) @ turn.T, normals, visible

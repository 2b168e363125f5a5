"""The section of a mesh: where an upright plane cuts it."""

from __future__ import annotations

import numpy as np

from relief.inspect.section import Point
from relief.surface.mesh import Mesh


def cut_mesh(mesh: Mesh, start: Point, end: Point) -> np.ndarray:
    """The lines along which a plane cuts a mesh. It stands on a line across the front, and goes straight back.

    Args:
        mesh: the mesh.
        start: where the line begins, as parts of the front: (0, 0) the upper left corner, (1, 1) the lower right.
        end: where it ends, elsewhere.

    Returns:
        float32 (segments, 2, 2), of each segment both ends: mm along the line from where it enters the front, and mm
        out from the middle.
    """
    low, high = mesh.bounds()
    size = high - low
    first = np.array([low[0] + start[0] * size[0], high[1] - start[1] * size[1]])
    last = np.array([low[0] + end[0] * size[0], high[1] - end[1] * size[1]])
    along = last - first
    length = np.hypot(*along)
    if length == 0:
        return np.zeros((0, 2, 2), np.float32)
    along = along / length
    points = mesh.positions.astype(np.float64)
    flat = points[:, :2] - first
    # a vertex that lies on the plane counts as before it, so that an edge is cut once or not at all
    side = flat @ np.array([-along[1], along[0]])
    before = side > 0
    triangles = mesh.corners[mesh.triangles()]
    cut = before[triangles].any(axis=1) & ~before[triangles].all(axis=1)
    triangles = triangles[cut]
    ends = []
    for one, other in ((0, 1), (1, 2), (2, 0)):
        a, b = triangles[:, one], triangles[:, other]
        crosses = before[a] != before[b]
        share = np.where(crosses, side[a] / np.where(crosses, side[a] - side[b], 1), 0)[:, None]
        place = points[a] + share * (points[b] - points[a])
        ends.append((crosses, np.stack([(place[:, :2] - first) @ along, place[:, 2]], axis=1)))
    crosses = np.stack([item[0] for item in ends], axis=1)
    places = np.stack([item[1] for item in ends], axis=1)
    # two of the three edges of each triangle are cut
    return places[crosses].reshape(-1, 2, 2).astype(np.float32)

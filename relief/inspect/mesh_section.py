"""The section of a mesh: where an upright plane cuts it."""

from __future__ import annotations

from typing import NamedTuple, Self

import numpy as np

from relief.inspect.section import Point
from relief.surface.mesh import Mesh


class Front(NamedTuple):
    """What of a surface is seen straight from before it: its upper left corner and its size, mm."""

    left: float
    top: float
    width: float
    height: float

    @classmethod
    def of(cls, mesh: Mesh) -> Self:
        """The front of a mesh."""
        low, high = (side.tolist() for side in mesh.bounds())
        return cls(low[0], high[1], high[0] - low[0], high[1] - low[1])

    def place(self, point: Point) -> np.ndarray:
        """mm to the right and up (2,) of a part of the front: (0, 0) its upper left corner, (1, 1) its lower right."""
        return np.array([self.left + point[0] * self.width, self.top - point[1] * self.height])


def cut_mesh(mesh: Mesh, first: np.ndarray, last: np.ndarray) -> np.ndarray:
    """The lines along which a plane cuts a mesh. It stands on a line across the front, and goes straight back.

    Args:
        mesh: the mesh.
        first: a place on the line, mm to the right and up (2,).
        last: another one, towards which lengths along it are counted.

    Returns:
        float32 (segments, 2, 2), of each segment both ends: mm along the line from its first place, and mm out from
        the middle. None where the two places are one.
    """
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


def place_cut(cut: np.ndarray, first: np.ndarray, last: np.ndarray) -> np.ndarray:
    """Where on the mesh what was cut along a line lies: float32 (segments, 2, 3), mm."""
    length = max(float(np.hypot(*(last - first))), 1e-12)
    flat = first + cut[..., :1] * ((last - first) / length)
    return np.concatenate([flat, cut[..., 1:]], axis=-1).astype(np.float32)


def find_end(cut: np.ndarray, along: float) -> tuple[float, float]:
    """What was cut nearest to a place on the line: mm along it, and mm out, the foremost where there are several."""
    points = cut.reshape(-1, 2)
    if not len(points):
        return along, 0.0
    far = np.abs(points[:, 0] - along)
    near = points[far <= far.min() + 1e-3 * np.ptp(points[:, 0])]
    found = near[np.argmax(near[:, 1])]
    return float(found[0]), float(found[1])

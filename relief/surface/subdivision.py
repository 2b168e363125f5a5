"""How the faces of a base mesh are cut."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from relief.parameters import Parameters, Surroundings, choice, number, switch
from relief.surface.edges import corners_across, find_edges
from relief.surface.mesh import Mesh
from relief.surface.refine import ALWAYS

MOST_PICKED = 10_000


class Subdivision(Parameters):
    """What becomes of faces that are cut in four."""

    kind: Literal["shape", "flat", "smooth"] = choice(
        "shape", {"shape": "As the shape", "flat": "Flat", "smooth": "Smooth"}, label="Subdivide",
        help="“As the shape” keeps a sphere round at every level; an own mesh stays flat. “Flat” leaves all faces "
            "where they are. “Smooth” rounds them: Catmull-Clark, or Loop for triangles.",
    )  # fmt: skip
    crease: float = number(
        180, 0, 180, label="Sharp above", unit="°", step=1, zero="all edges",
        help="Edges whose faces turn by more than this stay sharp when the surface is smoothed. At 180 none do.",
    )  # fmt: skip
    sharpness: float = number(
        0, 0, 10, label="Sharp for", unit="levels", step=0.5, zero="always",
        help="Sharp edges stay sharp for this many levels and are then smoothed like others, which gives a narrow "
            "bevel.",
    )  # fmt: skip
    at_regions: bool = switch(
        False, label="Sharp between regions", help="Edges where two regions meet stay sharp when it is smoothed.",
    )  # fmt: skip
    picked: tuple[tuple[int, int], ...] = Field((), max_length=MOST_PICKED)
    """Edges of the base mesh that were picked to stay sharp, by the numbers of their vertices."""

    def unused(self, around: Surroundings) -> set[str]:
        return set() if self.kind == "smooth" else {"crease", "sharpness", "at_regions"}

    @property
    def weight(self) -> np.float32:
        """For how many levels sharp edges stay sharp."""
        return np.float32(self.sharpness) if self.sharpness else ALWAYS


def sharp_edges(mesh: Mesh, subdivision: Subdivision, assigned: np.ndarray) -> np.ndarray:
    """The edges of a base mesh that stay sharp apart from those by angle: int32 (edges, 2).

    Args:
        mesh: the base mesh.
        subdivision: which ones.
        assigned: uint16 (faces,), the region of each face.
    """
    count = len(mesh.positions)
    picked = np.array([pair for pair in subdivision.picked if max(pair) < count], np.int32).reshape(-1, 2)
    if not subdivision.at_regions:
        return picked
    edges = find_edges(mesh.corners, mesh.offsets)
    one, end, other, _ = corners_across(edges, mesh.offsets)
    faces = mesh.face_of_corners
    differ = assigned[faces[one]] != assigned[faces[other]]
    return np.concatenate([picked, np.stack([mesh.corners[one[differ]], mesh.corners[end[differ]]], axis=1)])


def nearest_edge(mesh: Mesh, place: tuple[float, float, float]) -> tuple[int, int]:
    """The edge of a base mesh that passes a place (mm) at the least distance: the numbers of its vertices, rising."""
    ends = find_edges(mesh.corners, mesh.offsets).vertices
    first, last = mesh.positions[ends[:, 0]].astype(np.float64), mesh.positions[ends[:, 1]].astype(np.float64)
    along = last - first
    share = np.einsum("ij,ij->i", np.array(place) - first, along) / np.maximum((along**2).sum(axis=1), 1e-30)
    away = np.linalg.norm(first + np.clip(share, 0, 1)[:, None] * along - place, axis=1)
    one, other = ends[int(away.argmin())]
    return min(int(one), int(other)), max(int(one), int(other))

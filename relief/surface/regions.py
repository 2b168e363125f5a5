"""Regions: named parts of a surface, each with a relief of its own or none."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy
from pydantic import Field

from relief.parameters import Parameters, number, switch
from relief.surface.mapping import AnyMapping
from relief.surface.mesh import Mesh

MOST_REGIONS = 64
MOST_PARTS = 1000


class Region(Parameters):
    """Faces that carry something else than the rest of the surface.

    Attributes:
        name: what it is called.
        parts: the names of the parts of the shape that it is made of.
        relief: the key of the relief that it carries; empty for none.
        mapping: how that lies on it; none where it goes on as on the rest of the surface.
    """

    name: str = Field("Region", max_length=60)
    parts: tuple[str, ...] = Field((), max_length=MOST_PARTS)
    relief: str = "main"
    grow: int = number(
        0, -50, 50, label="Grow", step=1, slider=(-8, 8), unit="rings",
        help="Adds this many rings of base faces around the region; below 0 it removes some.",
    )  # fmt: skip
    factor: float = number(
        1, -10, 10, label="Amplitude factor", step=0.05, slider=(0, 3),
        help="Factor on the amplitude here. Below 0 the relief is inverted.",
    )  # fmt: skip
    midlevel_shift: float = number(
        0, -10, 10, label="Midlevel shift", step=0.01, slider=(-0.5, 0.5),
        help="Added to the midlevel here: above 0 the surface sinks, below it rises.",
    )  # fmt: skip
    pinned: bool = switch(
        True, label="Pinned edges", help="Its border stays on the base surface, so that neighbours meet there.",
    )  # fmt: skip
    fade: float = number(
        5, 0, 10_000_000, label="Fade", unit="mm", step=1, slider=(0, 200),
        help="How far from a pinned border the relief has its whole amplitude.",
    )  # fmt: skip
    mapping: AnyMapping | None = None

    @property
    def heading(self) -> str:
        return self.name


def assign_regions(base: Mesh, regions: Sequence[Region]) -> np.ndarray:
    """The region of each face of a base mesh: uint16 (faces,), 0 for the rest, otherwise its number counted from 1.

    Where several take the same face, it belongs to the last.
    """
    assigned = np.zeros(base.faces, np.uint16)
    names = np.array([part.name for part in base.part_list])
    for place, region in enumerate(regions, start=1):
        chosen = np.isin(names, region.parts)[base.parts]
        assigned[grow_faces(base, chosen, region.grow)] = place
    return assigned


def grow_faces(mesh: Mesh, chosen: np.ndarray, rings: int) -> np.ndarray:
    """Faces with those around them that share a vertex, so many times; below 0 without those at their border.

    Args:
        mesh: the faces.
        chosen: bool (faces,).
        rings: how many rings more, or less.
    """
    if rings < 0:
        return ~grow_faces(mesh, ~chosen, -rings)
    faces = mesh.face_of_corners
    for _ in range(rings):
        touched = np.zeros(len(mesh.positions), bool)
        touched[mesh.corners[chosen[faces]]] = True
        chosen = np.logical_or.reduceat(touched[mesh.corners], mesh.offsets[:-1])
    return chosen


def fade_at_borders(mesh: Mesh, assigned: np.ndarray, regions: Sequence[Region]) -> np.ndarray:
    """How much of the relief is left at each vertex, as its distance to the pinned borders of its region asks.

    Args:
        mesh: the subdivided mesh.
        assigned: uint16 (faces,), the region of each face.
        regions: the regions.

    Returns:
        float32 (vertices,), 0 at a pinned border and 1 at least a fade away from it, by a smooth step between.
    """
    left = np.ones(len(mesh.positions), np.float32)
    if not any(region.pinned for region in regions):
        return left
    of_corners = assigned[mesh.face_of_corners]
    lowest = np.full(len(left), 2**16, np.int64)
    highest = np.full(len(left), -1, np.int64)
    np.minimum.at(lowest, mesh.corners, of_corners)
    np.maximum.at(highest, mesh.corners, of_corners)
    at_border = (lowest != highest) & (highest >= 0)
    # how wide the fade is at each vertex of a border: that of the pinned regions which meet there
    fades = np.full(len(left), -1.0)
    for place, region in enumerate(regions, start=1):
        if region.pinned:
            here = at_border & _touches(mesh, of_corners == place)
            fades[here] = np.maximum(fades[here], region.fade)
    for place in range(len(regions) + 1):
        own = _touches(mesh, of_corners == place)
        border = np.flatnonzero(own & (fades >= 0))
        if not len(border):
            continue
        vertices = np.flatnonzero(own)
        far, nearest = scipy.spatial.cKDTree(mesh.positions[border]).query(
            mesh.positions[vertices], distance_upper_bound=fades.max() + 1e-6
        )
        width = fades[border[np.minimum(nearest, len(border) - 1)]]
        part = np.clip(np.where(np.isinf(far), 1, far / np.maximum(width, 1e-9)), 0, 1)
        left[vertices] = np.minimum(left[vertices], part * part * (3 - 2 * part))
    return left


def _touches(mesh: Mesh, corners: np.ndarray) -> np.ndarray:
    """Which vertices belong to some corners."""
    touched = np.zeros(len(mesh.positions), bool)
    touched[mesh.corners[corners]] = True
    return touched

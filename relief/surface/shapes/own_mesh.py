"""An own mesh: polygons that came as a file, mended where it is asked for."""

from __future__ import annotations

from collections.abc import Iterator
from typing import ClassVar, Literal

import numpy as np
import scipy
from pydantic import Field

from relief.figures import UNITS
from relief.height import Footprint
from relief.parameters import choice, number, switch
from relief.sources.mesh.polygons import Polygons
from relief.surface.edges import find_edges
from relief.surface.mend import merge_doubled, turn_outward, unwrap
from relief.surface.mesh import Mesh, Part
from relief.surface.normals import face_areas, smooth_by_angle, to_unit_length
from relief.surface.shapes.shape import LONGEST, Shape

MOST_PARTS = 200
"""Parts at most; beyond, the last one holds what is left."""


class OwnMesh(Shape):
    """The mesh of a source. Its parts are its groups, its materials, or what its hard edges part."""

    title: ClassVar[str] = "Own mesh"
    about: ClassVar[str] = "A file from the shelf"
    kind: Literal["mesh"] = "mesh"
    source: str = Field("mesh", max_length=60)
    """The key of the source."""
    longest: float = number(
        0, 0, LONGEST, label="Longest side", unit="mm", step=1, slider=(0, 10_000), zero="as the file",
        help="Length of its longest side; taken from the file and its unit unless set.",
    )  # fmt: skip
    unit: Literal["mm", "cm", "m", "in"] = choice(
        "mm", {"mm": "mm", "cm": "cm", "m": "m", "in": "inches"}, label="Unit of the file",
        help="What one unit of the file stands for.",
    )  # fmt: skip
    uv_set: int = number(
        0, 0, 7, label="UV set", step=1, slider=(0, 7), help="Which UV set to use, where the mesh has several.",
    )  # fmt: skip
    merge: bool = switch(
        False, label="Merge doubled vertices", help="Merges vertices at the same position, so that faces join.",
    )  # fmt: skip
    outward: bool = switch(
        False, label="Turn faces outward", help="Flips faces that point inward, so that their relief comes out.",
    )  # fmt: skip
    unwrapped: bool = switch(
        False, label="Make new UVs", help="Unwraps the mesh into UVs without overlaps, which replace its own.",
    )  # fmt: skip
    split: Literal["groups", "materials", "angle"] = choice(
        "groups", {"groups": "Groups", "materials": "Materials", "angle": "Hard edges"}, label="Parts from",
        help="What divides the mesh into parts, of which regions are made.",
    )  # fmt: skip
    split_angle: float = number(
        40, 1, 180, label="Split above", unit="°", step=1,
        help="Faces that meet at a larger angle belong to different parts.",
    )  # fmt: skip

    @property
    def source_key(self) -> str:
        return self.source

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        return (self.longest,) * 3

    def base(self, own: Polygons) -> Mesh:
        """The base mesh, mended, about its own middle.

        Raises:
            MeshError: a mend is not possible.
        """
        if self.merge or own_is_loose(own):
            own = merge_doubled(own)
        if self.outward:
            own = turn_outward(own)
        if self.unwrapped:
            own = unwrap(own)
        return self._as_mesh(own)

    def _as_mesh(self, own: Polygons) -> Mesh:
        used, corners = np.unique(own.corners, return_inverse=True)
        corners = corners.reshape(-1).astype(np.int32)
        points = own.positions[used]
        low, high = points.min(axis=0), points.max(axis=0)
        scale = self.longest / float((high - low).max()) if self.longest else UNITS[self.unit]
        positions = ((points - (low + high) / 2) * scale).astype(np.float32)
        areas = face_areas(positions, own.offsets, corners)
        uv, uv_corners, unit = self._places(own, positions, corners, float(np.linalg.norm(areas, axis=1).sum()))
        parts, names = self._parts(own, corners, areas)
        bare = Mesh(
            positions=positions,
            normals=np.zeros((0, 3), np.float32),
            uv=uv.astype(np.float32),
            corners=corners,
            uv_corners=uv_corners,
            normal_corners=corners,
            offsets=own.offsets,
            parts=parts,
            base_faces=np.arange(own.faces, dtype=np.int32),
            part_list=tuple(_list_parts(names, parts, unit, positions, corners, own.offsets)),
        )
        return smooth_by_angle(bare, self.smoothing)

    def _places(
        self, own: Polygons, positions: np.ndarray, corners: np.ndarray, area: float
    ) -> tuple[np.ndarray, np.ndarray, float]:
        """Places on maps, their corners, and mm that 0 to 1 stands for, so that all of it has its real area."""
        if not own.uv_sets:  # seen from the front, so that there is something; a mapping of ours is the better way
            low, size = positions.min(axis=0), float(np.ptp(positions, axis=0).max())
            return (positions - low)[:, :2] / size, corners, size
        uv, uv_corners = own.uv_sets[min(self.uv_set, len(own.uv_sets) - 1)]
        flat = np.column_stack([uv, np.zeros(len(uv))]).astype(np.float32)
        on_map = float(np.abs(face_areas(flat, own.offsets, uv_corners)[:, 2]).sum())
        return uv, uv_corners, float(np.sqrt(area / on_map)) if on_map > 0 else float(np.ptp(positions, axis=0).max())

    def _parts(self, own: Polygons, corners: np.ndarray, areas: np.ndarray) -> tuple[np.ndarray, tuple[str, ...]]:
        """The part of each face, and the names of the parts."""
        if self.split != "angle":
            named = self.split == "groups"
            numbers = own.groups if named else own.materials
            names = own.group_names if named else own.material_names
            return np.minimum(numbers, MOST_PARTS - 1).astype(np.uint16), names[:MOST_PARTS]
        edges = find_edges(corners, own.offsets)
        faces = np.repeat(np.arange(own.faces), np.diff(own.offsets))
        one, other = faces[edges.pairs[:, 0]], faces[edges.pairs[:, 1]]
        normals = to_unit_length(areas.copy())
        cosine = np.einsum("ij,ij->i", normals[one], normals[other]) * np.where(edges.turned, -1, 1)
        soft = cosine >= np.cos(np.radians(self.split_angle)) - 1e-6
        links = scipy.sparse.coo_array(
            (np.ones(soft.sum(), bool), (one[soft], other[soft])), shape=(own.faces, own.faces)
        )
        count, part_of = scipy.sparse.csgraph.connected_components(links, directed=False)
        # the largest come first; beyond what can be named the small ones are one
        size = np.bincount(part_of, np.linalg.norm(areas, axis=1), count)
        rank = np.empty(count, np.int64)
        rank[np.argsort(-size, kind="stable")] = np.arange(count)
        of_faces = np.minimum(rank, MOST_PARTS - 1)[part_of].astype(np.uint16)
        return of_faces, tuple(f"part {number + 1}" for number in range(min(count, MOST_PARTS)))


def _list_parts(
    names: tuple[str, ...],
    parts: np.ndarray,
    unit: float,
    positions: np.ndarray,
    corners: np.ndarray,
    offsets: np.ndarray,
) -> Iterator[Part]:
    """The parts with the boxes around them."""
    of_corners = np.repeat(parts, np.diff(offsets))
    order = np.argsort(of_corners, kind="stable")
    points, firsts = positions[corners[order]], np.searchsorted(of_corners[order], np.arange(len(names)))
    low, high = np.minimum.reduceat(points, firsts), np.maximum.reduceat(points, firsts)
    for name, lowest, highest in zip(names, low.tolist(), high.tolist(), strict=True):
        yield Part(name, unit, unit, tuple(lowest), tuple(highest))


def own_is_loose(own: Polygons) -> bool:
    """Whether no two faces share a vertex, as in STL: without merging there would be no surface at all."""
    return own.faces > 1 and len(np.unique(own.corners)) == len(own.corners)

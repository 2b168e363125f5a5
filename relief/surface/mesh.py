"""A mesh as plain arrays: polygons of any number of corners."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np


@dataclass(frozen=True)
class Mesh:
    """Faces, each a run of corners; a corner names a vertex and a place on the maps.

    So two faces that meet at a vertex may have different places there, as at a seam.

    Attributes:
        positions: float32 (vertices, 3), mm from the middle; x right, y up, z out.
        normals: float32 (vertices, 3), unit length.
        uv: float32 (places, 2); (0, 0) is the lower left corner of the footprint, (1, 1) the upper right.
        corners: int32 (corners,), the vertex of each corner; those of a face run counter-clockwise seen from outside.
        uv_corners: int32 (corners,), the place of each corner among `uv`; the same array as `corners` where each vertex
            has one place.
        offsets: int32 (faces + 1,), where the corners of each face begin, and the count of all.
        regions: uint16 (faces,), the region each face belongs to.
        crease_edges: int32 (creases, 2), the vertices of edges that stay sharp when the mesh is subdivided.
        crease_weights: float32 (creases,), how many subdivisions each stays sharp for; infinity for all.
        middle: where the middle lies, mm: positions far from the origin stay exact in float32 about it.
    """

    positions: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    corners: np.ndarray
    uv_corners: np.ndarray
    offsets: np.ndarray
    regions: np.ndarray
    crease_edges: np.ndarray = field(default_factory=lambda: np.zeros((0, 2), np.int32))
    crease_weights: np.ndarray = field(default_factory=lambda: np.zeros(0, np.float32))
    middle: tuple[float, float, float] = (0.0, 0.0, 0.0)

    @property
    def faces(self) -> int:
        """How many faces there are."""
        return len(self.offsets) - 1

    @property
    def nbytes(self) -> int:
        """Bytes of all arrays, one that stands for two counted once."""
        arrays = {id(item): item.nbytes for item in vars(self).values() if isinstance(item, np.ndarray)}
        return sum(arrays.values())

    @property
    def is_seamless(self) -> bool:
        """Whether each vertex has one place on the maps, under its own number."""
        return self.uv_corners is self.corners

    def polygons(self, sides: int) -> np.ndarray:
        """The faces with so many corners: int32 (faces, sides), vertex numbers."""
        firsts = self.offsets[:-1][np.diff(self.offsets) == sides]
        if len(firsts) == self.faces:
            return self.corners.reshape(-1, sides)
        return self.corners[firsts[:, None] + np.arange(sides)]

    def triangles(self) -> np.ndarray:
        """The corners of triangles that make up the faces: int32 (triangles, 3), each face a fan from its first."""
        counts = np.diff(self.offsets) - 2
        ends = np.cumsum(counts)
        second = np.arange(ends[-1] if len(ends) else 0) - np.repeat(ends - counts, counts) + 1
        first = np.repeat(self.offsets[:-1], counts)
        return np.stack([first, first + second, first + second + 1], axis=1).astype(np.int32)

    def cut_at_seams(self) -> Mesh:
        """The same surface with a vertex for each vertex and place that meet, as graphics cards and glTF want it."""
        if self.is_seamless:
            return self
        pairs = self.corners.astype(np.int64) * len(self.uv) + self.uv_corners
        met, corners = np.unique(pairs, return_inverse=True)
        vertices, places = met // len(self.uv), met % len(self.uv)
        corners = corners.reshape(-1).astype(np.int32)
        return replace(
            self, positions=self.positions[vertices], normals=self.normals[vertices], uv=self.uv[places],
            corners=corners, uv_corners=corners,
        )  # fmt: skip

    def uv_of_vertices(self) -> np.ndarray:
        """For each vertex its place on the maps, at a seam that of one of its corners: float32 (vertices, 2)."""
        if self.is_seamless:
            return self.uv
        found = np.zeros((len(self.positions), 2), np.float32)
        found[self.corners[::-1]] = self.uv[self.uv_corners[::-1]]
        return found


def mesh_of_faces(positions: np.ndarray, normals: np.ndarray, uv: np.ndarray, faces: np.ndarray) -> Mesh:
    """A seamless mesh of one region whose faces, int32 (faces, sides), all have as many corners."""
    count, sides = faces.shape
    corners = np.ascontiguousarray(faces, np.int32).reshape(-1)
    offsets = np.arange(count + 1, dtype=np.int32) * np.int32(sides)
    return Mesh(positions, normals, uv, corners, corners, offsets, np.zeros(count, np.uint16))

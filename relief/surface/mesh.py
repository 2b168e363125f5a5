"""A mesh as plain arrays: polygons of any number of corners."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import dataclass, field, replace
from typing import NamedTuple

import numpy as np

from relief.kernels import serial_kernel
from relief.surface.edges import fan_out


class Part(NamedTuple):
    """A named part of a mesh that comes with its shape: a side, a cap, a group of an own mesh.

    Attributes:
        name: what it is called.
        width, height: the real lengths that the part's own u and v from 0 to 1 stand for, mm.
        low, high: the box around its true surface, mm about the mesh's middle; the same however it is subdivided.
        has_poles: whether its own v of 0 and of 1 is one point each, half a turn apart.
    """

    name: str
    width: float
    height: float
    low: tuple[float, float, float] = (0.0, 0.0, 0.0)
    high: tuple[float, float, float] = (0.0, 0.0, 0.0)
    has_poles: bool = False


@dataclass(frozen=True)
class Mesh:
    """Faces, each a run of corners; a corner names a vertex, a normal and a place on the maps.

    So two faces that meet at a vertex may have different places there, as at a seam, or different normals, as at a hard
    edge.

    Attributes:
        positions: float32 (vertices, 3), mm from the middle; x right, y up, z out.
        normals: float32 (normals, 3), unit length.
        uv: float32 (places, 2); (0, 0) is the lower left corner of the footprint, (1, 1) the upper right.
        corners: int32 (corners,), the vertex of each corner; those of a face run counter-clockwise seen from outside.
        uv_corners: int32 (corners,), the place of each corner among `uv`; the same array as `corners` where each vertex
            has one place.
        normal_corners: int32 (corners,), the normal of each corner; the same array as `corners` where each vertex has
            one normal.
        offsets: int32 (faces + 1,), where the corners of each face begin, and the count of all.
        parts: uint16 (faces,), the part of its shape that each face belongs to, a number of `part_list`.
        base_faces: int32 (faces,), the face of the base mesh that each was cut from.
        part_list: the parts.
        crease_edges: int32 (creases, 2), the vertices of edges that stay sharp when the mesh is subdivided.
        crease_weights: float32 (creases,), how many subdivisions each stays sharp for; infinity for all.
        middle: where the middle lies, mm: positions far from the origin stay exact in float32 about it.
    """

    positions: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    corners: np.ndarray
    uv_corners: np.ndarray
    normal_corners: np.ndarray
    offsets: np.ndarray
    parts: np.ndarray
    base_faces: np.ndarray
    part_list: tuple[Part, ...]
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
        """Whether each vertex has one place on the maps and one normal, under its own number."""
        return self.uv_corners is self.corners and self.normal_corners is self.corners

    @property
    def face_of_corners(self) -> np.ndarray:
        """The face that each corner belongs to: int32 (corners,)."""
        return np.repeat(np.arange(self.faces, dtype=np.int32), np.diff(self.offsets))

    def bounds(self, names: Container[str] | None = None) -> tuple[np.ndarray, np.ndarray]:
        """The box around some of its parts, or all, about the middle: the lowest and highest x, y, z, float64 (3,)."""
        parts = [part for part in self.part_list if names is None or part.name in names] or self.part_list
        return np.min([part.low for part in parts], axis=0), np.max([part.high for part in parts], axis=0)

    def polygons(self, sides: int) -> np.ndarray:
        """The faces with so many corners: int32 (faces, sides), vertex numbers."""
        firsts = self.offsets[:-1][np.diff(self.offsets) == sides]
        if len(firsts) == self.faces:
            return self.corners.reshape(-1, sides)
        return self.corners[firsts[:, None] + np.arange(sides)]

    def triangles(self) -> np.ndarray:
        """The corners of triangles that make up the faces: int32 (triangles, 3), each face a fan from its first."""
        return fan_out(self.offsets)[0]

    def face_of_triangles(self) -> np.ndarray:
        """The face that each of `triangles` is part of: int32 (triangles,)."""
        return fan_out(self.offsets)[1]

    def with_corners(self, chosen: np.ndarray, sides: np.ndarray, faces: np.ndarray) -> Mesh:
        """Faces made of some of its corners; vertices, places and normals keep their numbers.

        Args:
            chosen: the corners, face by face, as integers.
            sides: how many of them each new face has.
            faces: which of the old faces each is part of: their numbers, or bool for each.
        """
        made: dict[int, np.ndarray] = {}
        for numbers in (self.corners, self.uv_corners, self.normal_corners):
            if id(numbers) not in made:  # what was one array stays one
                made[id(numbers)] = numbers[chosen]
        return replace(
            self,
            corners=made[id(self.corners)],
            uv_corners=made[id(self.uv_corners)],
            normal_corners=made[id(self.normal_corners)],
            offsets=np.concatenate([[0], np.cumsum(sides)]).astype(np.int32),
            parts=self.parts[faces],
            base_faces=self.base_faces[faces],
        )

    def cut_at_seams(self) -> Mesh:
        """The same surface with a vertex for each vertex, normal and place that meet, as graphics cards want it."""
        if self.is_seamless:
            return self
        chosen, corners = join_numbers(self.corners, self.uv_corners, self.normal_corners)
        return replace(
            self,
            positions=self.positions[self.corners[chosen]],
            normals=self.normals[self.normal_corners[chosen]],
            uv=self.uv[self.uv_corners[chosen]],
            corners=corners,
            uv_corners=corners,
            normal_corners=corners,
        )

    def uv_of_vertices(self) -> np.ndarray:
        """For each vertex its place on the maps, at a seam that of one of its corners: float32 (vertices, 2)."""
        if self.uv_corners is self.corners:
            return self.uv
        found = np.zeros((len(self.positions), 2), np.float32)
        found[self.corners[::-1]] = self.uv[self.uv_corners[::-1]]
        return found


def mean_at_vertices(numbers: np.ndarray, values: np.ndarray, count: int) -> np.ndarray:
    """The mean of values that meet at vertices: float32 (count,), 0 where none do.

    Args:
        numbers: the vertex of each value, int32 of any shape.
        values: as many numbers, of the same shape.
        count: how many vertices there are.
    """
    means = np.empty(count, np.float32)
    _take_means(np.ascontiguousarray(numbers).reshape(-1), np.ascontiguousarray(values).reshape(-1), means)
    return means


@serial_kernel
def _take_means(numbers, values, means):
    totals, counts = np.zeros(len(means)), np.zeros(len(means), np.int32)
    for place in range(len(numbers)):
        totals[numbers[place]] += values[place]
        counts[numbers[place]] += 1
    for vertex in range(len(means)):
        means[vertex] = totals[vertex] / max(counts[vertex], 1)


def join_numbers(*numbers: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """What differs among corners that several lists number.

    Args:
        numbers: int32 (corners,) each.

    Returns:
        A corner of each kind, and for each corner the number of its kind: int32 (kinds,) and (corners,).
    """
    joined = numbers[0].astype(np.int64)
    for other in numbers[1:]:
        if other is numbers[0]:
            continue
        joined = joined * (int(other.max(initial=0)) + 1) + other
        if joined.max(initial=0) > 2**31:  # counted anew, so that the next one fits too
            joined = np.unique(joined, return_inverse=True)[1].reshape(-1).astype(np.int64)
    _, chosen, kinds = np.unique(joined, return_index=True, return_inverse=True)
    return chosen.astype(np.int32), kinds.reshape(-1).astype(np.int32)

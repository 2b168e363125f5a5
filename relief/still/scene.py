"""What rays meet: the triangles of a mesh and the ground below it, in the tree of Embree (through embreex)."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from relief.errors import ReliefError
from relief.still.material import dot, unit
from relief.surface.mesh import Mesh

GROUND_SIZE = 40.0
"""Half the side of the ground, in radii of what stands on it."""

CLAY = (0.716, 0.701, 0.672)
"""Albedo of what has no colours of its own, linear."""

GROUND_ALBEDO = (0.35, 0.34, 0.33)

MISSING = "Stills need embreex, which is not installed. Install it with: pip install 'zealous-gravel[stills]'"


class Maps(NamedTuple):
    """What a region looks like, each map float32 (rows, columns[, channels]), row 0 at the top; none where it is even.

    Attributes:
        colour: albedo in linear light.
        roughness, metalness: as glTF 2.0 defines them.
        normal: unit vectors in tangent space, x right, y up.
    """

    colour: np.ndarray | None = None
    roughness: np.ndarray | None = None
    metalness: np.ndarray | None = None
    normal: np.ndarray | None = None


class Hits(NamedTuple):
    """What rays met, one row a hit; `ray` is the number of each among those that were sent."""

    ray: np.ndarray
    distance: np.ndarray
    place: np.ndarray
    normal: np.ndarray
    side: np.ndarray
    """The side that was met: the normal of the triangle itself, towards where the ray came from."""
    round: np.ndarray
    """Where the place would lie if the triangle were as round as its normals say. Shadows are looked for from there, so
    that triangles do not show in them (Hanika 2021, Hacking the shadow terminator, Ray Tracing Gems II).
    """
    albedo: np.ndarray
    roughness: np.ndarray
    metalness: np.ndarray


@dataclass(frozen=True)
class Scene:
    """A mesh that rays can meet.

    Attributes:
        mesh: positions in mm.
        maps: those of each part of the mesh, in its order.
        up: the axis that points up, 1 (y) or 2 (z).
        ground: whether there is ground below it.
        albedo, roughness: where a part has no map.
    """

    mesh: Mesh
    maps: tuple[Maps, ...]
    up: int = 1
    ground: bool = False
    albedo: tuple[float, float, float] = CLAY
    roughness: float = 0.8
    _corners: np.ndarray = field(init=False, repr=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "_corners", self.mesh.triangles())

    @cached_property
    def middle(self) -> np.ndarray:
        """Of the box around it, float32 (3,)."""
        return np.asarray((self.mesh.positions.min(axis=0) + self.mesh.positions.max(axis=0)) / 2, np.float32)

    @cached_property
    def radius(self) -> float:
        """Half the diagonal of that box, mm."""
        return max(float(np.linalg.norm(np.ptp(self.mesh.positions, axis=0))) / 2, 1e-6)

    @cached_property
    def _parts(self) -> np.ndarray:
        """The part that each triangle belongs to."""
        return np.asarray(self.mesh.parts[self.mesh.face_of_triangles()])

    @cached_property
    def _tree(self) -> Any:
        try:
            from embreex import rtcore_scene
            from embreex.mesh_construction import TriangleMesh
        except ImportError:
            raise ReliefError(MISSING) from None
        tree = rtcore_scene.EmbreeScene(robust=True)
        triangles = np.ascontiguousarray(self.mesh.corners[self._corners], np.int32)
        TriangleMesh(tree, np.ascontiguousarray(self.mesh.positions, np.float32), triangles)
        if self.ground:
            TriangleMesh(tree, *self._ground())
        return tree

    def _ground(self) -> tuple[np.ndarray, np.ndarray]:
        across, out = [axis for axis in range(3) if axis != self.up]
        corners = np.zeros((4, 3), np.float32)
        far = GROUND_SIZE * self.radius
        corners[:, across] = self.middle[across] + np.array([-far, far, far, -far])
        corners[:, out] = self.middle[out] + np.array([-far, -far, far, far])
        corners[:, self.up] = self.mesh.positions[:, self.up].min() - 1e-4 * self.radius
        return corners, np.array([[0, 1, 2], [0, 2, 3]], np.int32)

    def prepare(self) -> None:
        """Builds the tree, which takes about two seconds for a million triangles."""
        place = np.zeros((1, 3), np.float32)
        self._tree.run(place, place + np.float32(1))

    def meet(self, origins: np.ndarray, directions: np.ndarray) -> Hits:
        """What rays meet first. Origins and directions float32 (rays, 3), directions of unit length."""
        told = self._tree.run(origins, directions, query="INTERSECT", output=1)
        ray = np.flatnonzero(told["primID"] >= 0)
        on_mesh = told["geomID"][ray] == 0
        triangle, distance = told["primID"][ray], told["tfar"][ray]
        place = origins[ray] + directions[ray] * distance[:, None]
        side = unit(told["Ng"][ray])
        side = np.where(dot(side, directions[ray])[:, None] > 0, -side, side)
        normal = side.copy()
        rounded = place.copy()
        albedo = np.tile(np.asarray(GROUND_ALBEDO, np.float32), (len(ray), 1))
        roughness, metalness = np.full(len(ray), np.float32(1)), np.zeros(len(ray), np.float32)
        here = np.flatnonzero(on_mesh)
        if len(here):
            shares = np.stack([told["u"][ray[here]], told["v"][ray[here]]], axis=1)
            rounded[here] = self._dress(here, triangle[here], shares, place, side, normal, albedo, roughness, metalness)
        return Hits(ray, distance, place, normal, side, rounded, albedo, roughness, metalness)

    def hides(self, origins: np.ndarray, directions: np.ndarray, distances: np.ndarray | None = None) -> np.ndarray:
        """Whether something lies on each ray, no farther than a distance, bool (rays,)."""
        until = None if distances is None else np.asarray(distances, np.float32)
        return np.asarray(self._tree.run(origins, directions, until, query="OCCLUDED") >= 0)

    def _dress(self, here, triangle, shares, place, side, normal, albedo, roughness, metalness):  # type: ignore[no-untyped-def]
        """Says what hits on the mesh look like; gives where they would lie on a round surface."""
        mesh, corners = self.mesh, self._corners[triangle]
        weights = np.concatenate([1 - shares.sum(1, keepdims=True), shares], axis=1).astype(np.float32)
        turned = mesh.normals[mesh.normal_corners[corners]]
        smooth = unit(_mix(turned, weights))
        # seen from behind, the surface is shaded from behind
        smooth = np.where(dot(smooth, side[here])[:, None] < 0, -smooth, smooth)
        places = _mix(mesh.uv[mesh.uv_corners[corners]], weights)
        parts = self._parts[triangle] if len(self.maps) > 1 else np.zeros(len(here), int)
        albedo[here], roughness[here] = self.albedo, self.roughness
        for number, maps in enumerate(self.maps):
            mine = np.flatnonzero(parts == number)
            if not len(mine):
                continue
            if maps.colour is not None:
                albedo[here[mine]] = _sample(maps.colour, places[mine])
            if maps.roughness is not None:
                roughness[here[mine]] = _sample(maps.roughness, places[mine])
            if maps.metalness is not None:
                metalness[here[mine]] = _sample(maps.metalness, places[mine])
            if maps.normal is not None:
                smooth[mine] = self._turn(corners[mine], smooth[mine], _sample(maps.normal, places[mine]))
        normal[here] = smooth
        turned = np.where(np.einsum("ijk,ik->ij", turned, side[here])[..., None] < 0, -turned, turned)
        below = np.einsum("ijk,ijk->ij", place[here][:, None] - mesh.positions[mesh.corners[corners]], turned)
        return place[here] - _mix(turned, weights * np.minimum(below, 0))

    def _turn(self, corners: np.ndarray, normal: np.ndarray, told: np.ndarray) -> np.ndarray:
        """Normals turned by those of a normal map, along the places of their triangles on it."""
        mesh = self.mesh
        points, places = mesh.positions[mesh.corners[corners]], mesh.uv[mesh.uv_corners[corners]]
        edges, steps = points[:, 1:] - points[:, :1], places[:, 1:] - places[:, :1]
        area = steps[:, 0, 0] * steps[:, 1, 1] - steps[:, 0, 1] * steps[:, 1, 0]
        right = edges[:, 0] * steps[:, 1, 1:] - edges[:, 1] * steps[:, 0, 1:]
        right = unit(right * np.sign(area)[:, None])
        right = unit(right - normal * dot(right, normal)[:, None])
        above = np.cross(normal, right) * np.where(area < 0, -1, 1)[:, None]
        return unit(right * told[:, :1] + above * told[:, 1:2] + normal * told[:, 2:])


def _mix(corners: np.ndarray, weights: np.ndarray) -> np.ndarray:
    """What three corners hold (n, 3, values), by weights (n, 3): (n, values)."""
    return np.asarray(np.einsum("ijk,ij->ik", corners, weights))


def _sample(field: np.ndarray, places: np.ndarray) -> np.ndarray:
    """A map at places (0, 0) lower left to (1, 1) upper right, by straight lines between texels, repeated beyond."""
    rows, columns = field.shape[:2]
    across, down = places[:, 0] * columns - 0.5, (1 - places[:, 1]) * rows - 0.5
    left, above = np.floor(across).astype(np.int64), np.floor(down).astype(np.int64)
    right_share, below_share = (across - left).astype(np.float32), (down - above).astype(np.float32)
    if field.ndim == 3:
        right_share, below_share = right_share[:, None], below_share[:, None]
    one = (
        field[above % rows, left % columns] * (1 - right_share)
        + field[above % rows, (left + 1) % columns] * right_share
    )
    two = field[(above + 1) % rows, left % columns] * (1 - right_share)
    two = two + field[(above + 1) % rows, (left + 1) % columns] * right_share
    return np.asarray(one * (1 - below_share) + two * below_share, np.float32)

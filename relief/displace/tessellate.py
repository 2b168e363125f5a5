"""A surface's triangles, cut where its tessellation asks for it until that is content."""

from __future__ import annotations

from collections.abc import Mapping as Dictionary
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from relief.displace.deviation import CHECKED_FROM, CLOSELY, ROUGHLY, add_sags, deviations_of_triangles, find_sags
from relief.displace.distances import find_distances
from relief.errors import TooManyFacesError
from relief.figures import say_count
from relief.height import Footprint, HeightField
from relief.progress import Progress
from relief.surface.base_form import raise_softly
from relief.surface.bisect import (
    after_cut,
    as_triangles,
    close_marks,
    count_after,
    cut_triangles,
    edges_of,
    find_longest,
)
from relief.surface.cover import CoveredMesh, cover
from relief.surface.edges import Edges
from relief.surface.mesh import Mesh
from relief.surface.normals import directions, face_areas, to_unit_length
from relief.surface.patches import Patch, find_parameters
from relief.surface.surface import Surface
from relief.surface.tessellation.tessellation import Measured, Tessellation

MOST_PASSES = 200
TRIAL = 20_000
"""Triangles that are enough to tell how many there will be."""
SAMPLE = 400
"""Of these, those that are finished to tell it."""
CERTAIN = 3
"""Times as many faces as are built: what is told of triangles that are still large is too much by less than this."""
CLOSE = 200
"""Parts of those that are to be cut that are told apart when not all of them can be."""


@dataclass(frozen=True)
class Carried:
    """What lies on the surface that is tessellated.

    Attributes:
        regions: uint16 (base faces,), the region of each.
        footprints, heights, depths: of each relief its real size, its field, and its amplitude in mm and midlevel.
    """

    regions: np.ndarray
    footprints: Dictionary[str, Footprint]
    heights: Dictionary[str, HeightField]
    depths: Dictionary[str, tuple[float, float]]

    def lay_on(self, mesh: Mesh, surface: Surface) -> tuple[CoveredMesh, np.ndarray]:
        """The mesh with what lies on it, and how far each of its vertices moves, mm."""
        covered = cover(mesh, surface, self.regions[mesh.base_faces], self.footprints)
        return covered, find_distances(covered, self.heights, self.depths)


def tessellate(
    surface: Surface, base: Mesh, patches: Sequence[Patch] | None, carried: Carried, most: int, progress: Progress
) -> Mesh:
    """The triangles of a surface before they are displaced.

    Args:
        surface: its shape, mapping, regions, base form, and tessellation.
        base: its base mesh, not raised by the base form.
        patches: what new vertices are placed on; without them they lie halfway between those of the base mesh.
        carried: what lies on it.
        most: how many triangles are built at most.
        progress: told how many there are; may cancel between two passes.

    Raises:
        TooManyFacesError: it asks for more.
    """
    way = surface.tessellation
    if way.most_faces and way.most_faces > most:
        raise too_many_triangles(way, way.most_faces, most)
    state = _State.of(base, patches, surface)
    for _ in range(MOST_PASSES):
        if way.is_content(state.mesh.faces):
            break
        progress.step(min(0.95, state.mesh.faces / (way.most_faces or most)), "Cutting triangles")
        state, look = _look_at(state, surface, carried)
        marked = look.mark(way)
        if not marked.any() and way.allowed:
            state, look = look.again(state, way.allowed, carried)
            marked = look.mark(way)
        if not marked.any():
            break
        closed = look.close(marked, way.most_faces)
        if closed is None:
            break
        asked = look.predict(way) if way.most_faces is None else 0
        if asked > CERTAIN * most or count_after(closed, look.edges) > most:
            raise too_many_triangles(way, asked, most)
        state = state.cut(look.edges, look.longest, closed)
    return raise_softly(state.mesh, surface.form)


def predict_faces(surface: Surface, base: Mesh, patches: Sequence[Patch] | None, carried: Carried) -> int:
    """About how many triangles a tessellation will have.

    It is begun, and then finished in a few triangles that lie all over it: of rough relief large triangles tell little.
    """
    way = surface.tessellation
    if way.most_faces:
        return way.most_faces
    state, look = _cut_until(_State.of(base, patches, surface), TRIAL, surface, carried)
    if look is None:
        return state.mesh.faces
    chosen = np.arange(0, state.mesh.faces, max(1, state.mesh.faces // SAMPLE))
    share = state.mesh.faces / len(chosen)
    state, look = _cut_until(state.only(chosen), TRIAL, surface, carried)
    return int(share * (state.mesh.faces if look is None else look.predict(way)))


def _cut_until(state: _State, most: int, surface: Surface, carried: Carried) -> tuple[_State, _Look | None]:
    """The state with more than so many triangles, and what is seen of them; or when it is content, and none."""
    way = surface.tessellation
    for _ in range(MOST_PASSES):
        state, look = _look_at(state, surface, carried)
        marked = look.mark(way)
        closed = look.close(marked, None) if marked.any() else None
        if closed is None:
            return state, None
        if state.mesh.faces > most:
            return state, look
        state = state.cut(look.edges, look.longest, closed)
    return state, None


@dataclass(frozen=True)
class _Look:
    """What is seen of triangles before the next cut."""

    edges: Edges
    longest: np.ndarray
    measured: Measured
    halved: np.ndarray
    covered: CoveredMesh

    def again(self, state: _State, allowed: float, carried: Carried) -> tuple[_State, _Look]:
        """The same, once more at other places where the error comes near to what is allowed, mm."""
        near = ~state.checked & (state.worst > CHECKED_FROM * allowed)
        worst, square = state.find_deviations(self.covered, carried, near, rows=2)
        worst = np.where(near, np.maximum(worst, state.worst), state.worst)
        square = np.where(near, square, state.square)
        state = replace(state, worst=worst, square=square, checked=np.ones_like(state.checked))
        return state, replace(self, measured=replace(self.measured, worst=worst, square=square))

    def mark(self, way: Tessellation) -> np.ndarray:
        """The edges that are asked to be cut; what has been cut as often as it may be asks for no more."""
        free = np.zeros(len(self.edges.counts), bool)
        free[self.measured.edges[self.halved < 2 * way.most_level]] = True
        return way.edges_to_cut(self.measured) & free

    def predict(self, way: Tessellation) -> int:
        """How many triangles there will be, as far as can be told."""
        most = 2.0 ** (2 * way.most_level - self.halved)
        return int(np.minimum(np.maximum(way.pieces(self.measured), 1), most).sum())

    def close(self, marked: np.ndarray, most: int | None) -> np.ndarray | None:
        """The marks, closed; if that is too many, those of the triangles farthest off; none if no cut fits."""
        closed = close_marks(marked, self.edges, self.longest)
        if most is None or count_after(closed, self.edges) <= most:
            return closed
        share = self.measured.square.astype(np.float64) * self.measured.areas
        touched = marked[self.measured.edges].any(axis=1)
        order = np.flatnonzero(touched)[np.argsort(-share[touched], kind="stable")]
        low, high = 0, len(order)
        best = None
        while high - low > len(order) // CLOSE and low < high:  # about as many as fit
            middle = (low + high + 1) // 2
            some = np.zeros(len(marked), bool)
            chosen = order[:middle]
            some[self.measured.edges[chosen, self.longest[chosen]]] = True
            tried = close_marks(some, self.edges, self.longest)
            if count_after(tried, self.edges) <= most:
                low, best = middle, tried
            else:
                high = middle - 1
        return best


def _look_at(state: _State, surface: Surface, carried: Carried) -> tuple[_State, _Look]:
    """The state, weighed where its tessellation asks for that, and what is seen of it."""
    edges = edges_of(state.mesh)
    longest = find_longest(state.mesh.positions, edges)
    raised = raise_softly(state.mesh, surface.form)
    covered, distances = carried.lay_on(raised, surface)
    if surface.tessellation.weighs:
        state = state.weigh(covered, carried, CLOSELY if surface.tessellation.closely else ROUGHLY)
    moved = raised.positions + directions(raised) * distances[:, None]
    areas = np.linalg.norm(face_areas(raised.positions, raised.offsets, raised.corners), axis=1)
    of_corners = edges.of_corners.reshape(-1, 3)
    measured = Measured(of_corners, edges.vertices, moved, raised.positions, longest, state.worst, state.square, areas)
    return state, _Look(edges, longest, measured, state.halved, covered)


def too_many_triangles(way: Tessellation, asked: float, most: int) -> TooManyFacesError:
    """The error that says how many triangles a tessellation asks for, and what fits."""
    times = max(asked / most, 1.5)
    rounded = say_count(int(float(f"{times * most:.2g}")))
    return TooManyFacesError(
        f"This would make about {rounded} faces; the limit is {say_count(most)}. About {way.say_coarser(times)} "
        "would fit."
    )


@dataclass(frozen=True)
class _State:
    """Triangles on their way, without a base form.

    Attributes:
        mesh: the triangles.
        halved: int16 (triangles,), how often each was halved.
        known, checked: bool (triangles,), those that were weighed, and those that were looked at again or need not be.
        worst, square: float32 (triangles,), as `deviations_of_triangles` gives them, with what a round base adds.
        patches: what it is made of, if it is.
        places: float64 (uv, 2), the parameters of each place on its patch.
        poles: bool (uv,), those where all values of the first parameter are one point.
        turned: whether its faces were turned around.
        round: whether it is curved between its vertices.
    """

    mesh: Mesh
    halved: np.ndarray
    known: np.ndarray
    checked: np.ndarray
    worst: np.ndarray
    square: np.ndarray
    patches: Sequence[Patch] | None
    places: np.ndarray
    poles: np.ndarray
    turned: bool
    round: bool

    @classmethod
    def of(cls, base: Mesh, patches: Sequence[Patch] | None, surface: Surface) -> _State:
        mesh = as_triangles(base)
        places, poles = find_parameters(patches) if patches else (np.zeros((0, 2)), np.zeros(0, bool))
        none = np.zeros(mesh.faces, np.float32)
        halved, fresh = np.zeros(mesh.faces, np.int16), np.zeros(mesh.faces, bool)
        return cls(
            mesh, halved, fresh, fresh, none, none, patches, places, poles, surface.turned, surface.shape.is_round
        )

    def only(self, chosen: np.ndarray) -> _State:
        """Some of the triangles alone, by their numbers."""
        corners = (3 * chosen[:, None] + np.arange(3)).reshape(-1)
        return replace(
            self,
            mesh=self.mesh.with_corners(corners, np.full(len(chosen), 3), chosen),
            halved=self.halved[chosen],
            known=self.known[chosen],
            checked=self.checked[chosen],
            worst=self.worst[chosen],
            square=self.square[chosen],
        )

    def weigh(self, covered: CoveredMesh, carried: Carried, fewest: int) -> _State:
        """The state with the deviations of the triangles that are new."""
        worst, square = self.find_deviations(covered, carried, ~self.known, fewest)
        return replace(
            self,
            worst=np.where(self.known, self.worst, worst),
            square=np.where(self.known, self.square, square),
            known=np.ones_like(self.known),
        )

    def find_deviations(
        self, covered: CoveredMesh, carried: Carried, chosen: np.ndarray, fewest: int = CLOSELY, rows: int = 1
    ) -> tuple[np.ndarray, np.ndarray]:
        """`worst` and `square` of the chosen triangles, with what a round base adds."""
        worst, square, _ = deviations_of_triangles(covered, carried.heights, carried.depths, chosen, fewest, rows)
        return add_sags(worst, square, find_sags(self.mesh)) if self.patches and self.round else (worst, square)

    def cut(self, edges: Edges, longest: np.ndarray, marked: np.ndarray) -> _State:
        """The state with triangles cut at edges whose marks are closed."""
        mesh = self.mesh
        done = cut_triangles(mesh, edges, longest, marked)
        values, places, poles = self._place_new(done.added) if self.patches else self._halve(done.added)
        old = done.halved == 0
        return replace(
            self,
            mesh=after_cut(mesh, done, values),
            halved=(self.halved[done.parents] + done.halved).astype(np.int16),
            known=old & self.known[done.parents],
            checked=old & self.checked[done.parents],
            worst=self.worst[done.parents],
            square=self.square[done.parents],
            places=places,
            poles=poles,
        )

    def _halve(self, added: dict) -> tuple[dict[str, np.ndarray], np.ndarray, np.ndarray]:
        """The values of the mesh with those halfway between old ones."""
        mesh = self.mesh
        values = {}
        for name, numbers in (("positions", mesh.corners), ("uv", mesh.uv_corners), ("normals", mesh.normal_corners)):
            own = getattr(mesh, name)
            between, _ = added[id(numbers)]
            new = own[between].mean(axis=1, dtype=np.float64).astype(np.float32)
            values[name] = np.concatenate([own, to_unit_length(new) if name == "normals" else new])
        return values, self.places, self.poles

    def _place_new(self, added: dict) -> tuple[dict[str, np.ndarray], np.ndarray, np.ndarray]:
        """The values of the mesh with those of new places on its patches."""
        mesh = self.mesh
        between, corner = added[id(mesh.uv_corners)]
        ends = self.places[between]
        at_pole = self.poles[between]
        # a pole has any first parameter; so the new place has that of the other end
        for one, other in ((0, 1), (1, 0)):
            pole = at_pole[:, one]
            ends[pole, one, 0] = ends[pole, other, 0]
        new = ends.mean(axis=1)
        positions, normals, uv = np.empty((len(new), 3)), np.empty((len(new), 3)), np.empty((len(new), 2))
        of_patch = mesh.parts[corner // 3]
        for number, patch in enumerate(self.patches or ()):
            here = np.flatnonzero(of_patch == number)
            if len(here):
                found = patch.place(*(side[None] for side in new[here].T))
                positions[here], normals[here], uv[here] = (part[0] for part in found)
        if self.turned:
            normals = -normals
        of_numbers = {id(mesh.uv_corners): np.arange(len(new))}
        for numbers in (mesh.corners, mesh.normal_corners):
            if id(numbers) not in of_numbers:
                # the place that is new at the same corner
                _, corners = added[id(numbers)]
                of_numbers[id(numbers)] = self._new_place_at(mesh.uv_corners, corners, between)
        values = {
            "positions": np.concatenate([mesh.positions, positions[of_numbers[id(mesh.corners)]].astype(np.float32)]),
            "normals": np.concatenate([mesh.normals, normals[of_numbers[id(mesh.normal_corners)]].astype(np.float32)]),
            "uv": np.concatenate([mesh.uv, uv.astype(np.float32)]),
        }
        return values, np.concatenate([self.places, new]), np.concatenate([self.poles, np.zeros(len(new), bool)])

    @staticmethod
    def _new_place_at(numbers: np.ndarray, corners: np.ndarray, between: np.ndarray) -> np.ndarray:
        """Which new place lies halfway along the edge from each corner; `between` is in the order of its pairs."""
        triangle, side = corners // 3, corners % 3
        one, other = numbers[corners].astype(np.int64), numbers[3 * triangle + (side + 1) % 3].astype(np.int64)
        keys = (np.minimum(one, other) << 32) | np.maximum(one, other)
        known = (between[:, 0].astype(np.int64) << 32) | between[:, 1]
        return np.searchsorted(known, keys)

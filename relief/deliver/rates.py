"""How quick this machine is: with meshes, measured once on small ones, and with stills."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, partial
from typing import NamedTuple

import numpy as np

from relief.displace.deviation import measure_deviation
from relief.displace.displace import displace_mesh
from relief.displace.distances import find_distances
from relief.displace.tessellate import Carried, tessellate
from relief.errors import ReliefError
from relief.formats.meshes import MESHES
from relief.formats.writing import mesh_file
from relief.height import Edges, Footprint, HeightField
from relief.progress import Progress
from relief.still.forecast import time_usual_path
from relief.surface.bisect import as_triangles
from relief.surface.cover import cover
from relief.surface.mesh import Mesh
from relief.surface.shapes.plane import Plane
from relief.surface.surface import Surface
from relief.surface.tessellation.face_budget import FaceBudget

SEGMENTS, BUDGET = 160, 20_000


STARTED = 1.5
"""Seconds until a build is under way: the process, and the height."""


@dataclass(frozen=True)
class Rate:
    """What each face of a mesh costs.

    Attributes:
        building: seconds until it is displaced and measured.
        writing: seconds until it is written, by format.
        files: bytes in the file, by format.
    """

    building: float
    writing: dict[str, float]
    files: dict[str, float]

    @classmethod
    def of(cls, build: Callable[[], Mesh]) -> Rate:
        """Measured on a small mesh: the shorter of two runs, after one that warms up."""
        mesh = build()
        building = min(_time(build) for _ in range(2)) / mesh.faces
        writing, files = {}, {}
        for ending in MESHES:
            files[ending] = len(mesh_file(mesh, ending)) / mesh.faces
            writing[ending] = _time(partial(mesh_file, mesh, ending)) / mesh.faces
        return cls(building, writing, files)

    def seconds_of(self, faces: int, ending: str) -> float:
        """How long a build takes until its file is written."""
        return STARTED + faces * (self.building + self.writing[ending])

    def size_of(self, faces: int, ending: str) -> int:
        """Bytes of its file."""
        return int(faces * self.files[ending])


def _time(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


@dataclass(frozen=True)
class Rates:
    """Those of levels, and of a tessellation."""

    levels: Rate
    triangles: Rate

    def of_surface(self, surface: Surface) -> Rate:
        """What a face costs of a surface, by how it is divided."""
        return self.levels if surface.tessellation.even else self.triangles


class MachineRates(NamedTuple):
    """What a face of a mesh costs, and the seconds that a path of a still takes: None where none can be drawn."""

    meshes: Rates
    path: float | None


def measure_machine(_progress: Progress | None = None) -> MachineRates:
    """Measures both now, which takes seconds. It is called with a progress where it runs in a process of its own."""
    try:
        path = time_usual_path()
    except ReliefError:
        path = None
    return MachineRates(measure_rates(), path)


@cache
def measure_rates() -> Rates:
    """Builds a plane of noise both ways, and writes it in every format."""
    samples = np.random.default_rng(1).random((256, 256), dtype=np.float32)
    field = HeightField(samples, Footprint(width=300, height=300), Edges(across="wrap", down="wrap"))
    footprints, heights, depths = {"main": field.footprint}, {"main": field}, {"main": (5.0, 0.5)}

    def finish(mesh: Mesh, surface: Surface) -> Mesh:
        """Displaced, and measured."""
        covered = cover(mesh, surface, np.zeros(mesh.faces, np.uint16), footprints)
        moved = displace_mesh(covered.mesh, find_distances(covered, heights, depths))
        triangles = as_triangles(mesh)
        measure_deviation(cover(triangles, surface, np.zeros(triangles.faces, np.uint16), footprints), heights, depths)
        return moved

    def by_levels() -> Mesh:
        surface = Surface(shape=Plane(segments=SEGMENTS))
        return finish(surface.shape.mesh(field.footprint, 0), surface)

    def by_budget() -> Mesh:
        surface = Surface(shape=Plane(segments=8), tessellation=FaceBudget(faces=BUDGET))
        base = surface.shape.mesh(field.footprint, 0)
        carried = Carried(np.zeros(base.faces, np.uint16), footprints, heights, depths)
        patches = surface.shape.patches(field.footprint)
        return finish(tessellate(surface, base, patches, carried, BUDGET, Progress()), surface)

    return Rates(Rate.of(by_levels), Rate.of(by_budget))

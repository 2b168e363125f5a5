"""How quick this machine is with meshes, measured once on small ones."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np

from relief.deliver.meshes import FORMATS, mesh_file
from relief.displace.deviation import measure_deviation
from relief.displace.displace import displace_mesh
from relief.displace.distances import find_distances
from relief.displace.tessellate import Carried, tessellate
from relief.height import Edges, Footprint, HeightField
from relief.progress import Progress
from relief.surface.bisect import as_triangles
from relief.surface.cover import cover
from relief.surface.mesh import Mesh
from relief.surface.shapes.plane import Plane
from relief.surface.surface import Surface
from relief.surface.tessellation.face_budget import FaceBudget

SEGMENTS, BUDGET = 300, 60_000


@dataclass(frozen=True)
class Rate:
    """What each face of a mesh costs: seconds until it is written, and bytes in files of each format."""

    seconds: float
    files: dict[str, float]

    @classmethod
    def of(cls, build: Callable[[], Mesh]) -> Rate:
        """Measured on a small mesh: the shorter of two runs, after one that warms up."""
        mesh = build()
        spent = []
        for _ in range(2):
            begun = time.perf_counter()
            build()
            spent.append(time.perf_counter() - begun)
        return cls(min(spent) / mesh.faces, {ending: len(mesh_file(mesh, ending)) / mesh.faces for ending in FORMATS})


@dataclass(frozen=True)
class Rates:
    """Those of levels, and of a tessellation."""

    levels: Rate
    triangles: Rate


@cache
def measure_rates() -> Rates:
    """Builds a plane of noise both ways, and writes it in every format."""
    samples = np.random.default_rng(1).random((256, 256), dtype=np.float32)
    field = HeightField(samples, Footprint(width=300, height=300), Edges(across="wrap", down="wrap"))
    footprints, heights, depths = {"main": field.footprint}, {"main": field}, {"main": (5.0, 0.5)}

    def finish(mesh: Mesh, surface: Surface) -> Mesh:
        """Displaced, measured, and written."""
        covered = cover(mesh, surface, np.zeros(mesh.faces, np.uint16), footprints)
        moved = displace_mesh(covered.mesh, find_distances(covered, heights, depths))
        triangles = as_triangles(mesh)
        measure_deviation(cover(triangles, surface, np.zeros(triangles.faces, np.uint16), footprints), heights, depths)
        mesh_file(moved, "ply")
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

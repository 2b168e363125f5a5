"""What a mesh will cost, said before any memory is taken for it."""

from __future__ import annotations

import os
from dataclasses import dataclass

from relief.errors import TooManyFacesError
from relief.figures import say_bytes, say_count
from relief.height import Footprint
from relief.surface.mesh import Mesh
from relief.surface.subdivide import count_flat, count_smooth
from relief.surface.surface import HIGHEST_LEVEL, Surface

BYTES_OF_A_VERTEX = 3 * 4 + 3 * 4 + 2 * 4  # position, normal, uv
BYTES_OF_A_CORNER = 4
BYTES_OF_A_FACE = 4 + 2 + 4  # where its corners begin, the part, the face of the base mesh

BEFORE = 260_000_000
"""Bytes that a process holds before it builds: the program, the kernels, a relief; found by trial."""


@dataclass(frozen=True)
class Peak:
    """Bytes for each face that are held at once while a mesh is built, measured and written; found by trial.

    Attributes:
        level: of a mesh of levels.
        triangle: of a tessellation.
    """

    level: int
    triangle: int


WHOLE, SPLIT = Peak(600, 330), Peak(1150, 620)
"""That of a displaced mesh, and of one that is split in geometry and a residual normal map."""

SHARE_OF_MEMORY = "GRAVEL_MEMORY_SHARE"
"""The variable of the environment that says which share of the machine's memory a build may take; a half otherwise."""


@dataclass(frozen=True)
class Limit:
    """What is built at most: faces, and bytes that are held while they are built."""

    faces: int
    memory: int


PREVIEW = Limit(2_000_000, 2 << 30)
"""Of what is looked at."""


def final_limit() -> Limit:
    """Of what is delivered: 50 million faces, where a share of the machine's memory holds them."""
    try:
        share = min(max(float(os.environ.get(SHARE_OF_MEMORY, "")), 0.01), 1)
    except ValueError:
        share = 0.5
    return Limit(50_000_000, int(share * os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE")))


@dataclass(frozen=True)
class Forecast:
    """The size of a mesh; of a tessellation about.

    Attributes:
        level: of subdivision.
        faces, vertices: how many; vertices are at most so many.
        memory: bytes of the mesh, at most.
        peak: bytes that are held while it is built.
    """

    level: int
    faces: int
    vertices: int
    memory: int
    peak: int

    def fits(self, limit: Limit) -> bool:
        """Whether a mesh of this size is built."""
        return self.faces <= limit.faces and self.peak <= limit.memory

    @property
    def fits_final(self) -> bool:
        """Whether it can be delivered, from this machine's memory."""
        return self.fits(final_limit())

    @property
    def fits_preview(self) -> bool:
        """Whether it can be looked at."""
        return self.fits(PREVIEW)


def forecast_levels(surface: Surface, footprint: Footprint, base: Mesh | None = None) -> list[Forecast]:
    """The cost at every level there is, coarsest first; from the base mesh, where it is not as the shape is."""
    shape = surface.shape
    if base:
        count = count_smooth if surface.subdivision.kind == "smooth" else count_flat
        counts = count(base, HIGHEST_LEVEL)
    else:
        counts = [shape.count(footprint, level) for level in range(HIGHEST_LEVEL + 1)]
    return [
        Forecast(level, faces, vertices, _bytes_of(faces, vertices, 4), BEFORE + faces * peak_of(surface).level)
        for level, (faces, vertices) in enumerate(counts)
    ]


def forecast_triangles(surface: Surface, faces: int) -> Forecast:
    """The cost of a tessellation of so many triangles; of a closed one half as many are its vertices."""
    vertices = faces * 52 // 100 + 3
    return Forecast(0, faces, vertices, _bytes_of(faces, vertices, 3), BEFORE + faces * peak_of(surface).triangle)


def peak_of(surface: Surface) -> Peak:
    """What each face of a surface takes while it is built."""
    return SPLIT if surface.residual else WHOLE


def _bytes_of(faces: int, vertices: int, sides: int) -> int:
    return vertices * BYTES_OF_A_VERTEX + faces * (sides * BYTES_OF_A_CORNER + BYTES_OF_A_FACE) + 4


def refuse_level(costs: list[Forecast], level: int, limit: Limit) -> None:
    """Raises TooManyFacesError, with the largest level that fits, when one is over the limit."""
    wanted = costs[level]
    if wanted.fits(limit):
        return
    fitting = [cost.level for cost in costs if cost.fits(limit)]
    offer = f"The largest level that fits is {fitting[-1]}." if fitting else "Take fewer base segments."
    raise TooManyFacesError(
        f"Level {level} would make {say_count(wanted.faces)} faces{_beyond(wanted, limit)}. {offer}"
    )


def _beyond(wanted: Forecast, limit: Limit) -> str:
    if wanted.faces > limit.faces:
        return f"; the limit is {say_count(limit.faces)}"
    return f" and take {say_bytes(wanted.peak)} of memory; the limit is {say_bytes(limit.memory)}"


def most_triangles(surface: Surface, limit: Limit) -> int:
    """How many triangles of a tessellation fit into a limit."""
    return max(0, min(limit.faces, (limit.memory - BEFORE) // peak_of(surface).triangle))

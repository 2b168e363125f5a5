"""What a mesh will cost, said before any memory is taken for it."""

from __future__ import annotations

import os
from dataclasses import dataclass

from relief.errors import TooManyFacesError
from relief.height import Footprint
from relief.surface.mesh import Mesh
from relief.surface.subdivide import count_flat, count_smooth
from relief.surface.surface import HIGHEST_LEVEL, Surface

BYTES_OF_A_VERTEX = 3 * 4 + 3 * 4 + 2 * 4  # position, normal, uv
BYTES_OF_A_CORNER = 4
BYTES_OF_A_FACE = 4 + 2 + 4  # where its corners begin, the part, the face of the base mesh

PEAK_OF_LEVELS = 560
"""Bytes for each face that are held at once while a mesh of levels is built, measured and written; found by trial."""

PEAK_OF_TRIANGLES = 520
"""The same of a tessellation."""

SHARE_OF_MEMORY = 0.5
"""Of the machine's memory: what a build may take, where nothing else is said."""


@dataclass(frozen=True)
class Limit:
    """What is built at most: faces, and bytes that are held while they are built."""

    faces: int
    memory: int


PREVIEW = Limit(2_000_000, 2 << 30)
"""Of what is looked at."""


def final_limit(share: float = SHARE_OF_MEMORY) -> Limit:
    """Of what is delivered: 50 million faces, where a share of the machine's memory holds them."""
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
        Forecast(level, faces, vertices, _bytes_of(faces, vertices, 4), faces * PEAK_OF_LEVELS)
        for level, (faces, vertices) in enumerate(counts)
    ]


def forecast_triangles(faces: int) -> Forecast:
    """The cost of a tessellation of so many triangles; of a closed one half as many are its vertices."""
    vertices = faces * 52 // 100 + 3
    return Forecast(0, faces, vertices, _bytes_of(faces, vertices, 3), faces * PEAK_OF_TRIANGLES)


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
        f"Level {level} would make {space_digits(wanted.faces)} faces{_beyond(wanted, limit)}. {offer}"
    )


def _beyond(wanted: Forecast, limit: Limit) -> str:
    if wanted.faces > limit.faces:
        return f"; at most {space_digits(limit.faces)} are built"
    return f" and take {wanted.peak / 1e9:.2g} GB; {limit.memory / 1e9:.2g} GB may be taken"


def most_triangles(limit: Limit) -> int:
    """How many triangles of a tessellation fit into a limit."""
    return min(limit.faces, limit.memory // PEAK_OF_TRIANGLES)


def space_digits(count: int) -> str:
    """A whole number with its thousands set apart."""
    return f"{count:,}".replace(",", "\N{NO-BREAK SPACE}")

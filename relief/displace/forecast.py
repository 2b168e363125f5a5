"""What a mesh will cost, said before any memory is taken for it."""

from __future__ import annotations

from dataclasses import dataclass

from relief.errors import TooManyFacesError
from relief.height import Footprint
from relief.surface.mesh import Mesh
from relief.surface.subdivide import count_flat, count_smooth
from relief.surface.surface import HIGHEST_LEVEL, Surface

MOST_FACES = 2_000_000
BYTES_OF_A_VERTEX = 3 * 4 + 3 * 4 + 2 * 4  # position, normal, uv
BYTES_OF_A_FACE = 4 * 4 + 4 + 2 + 4  # four corners, where they begin, the part, the face of the base mesh


@dataclass(frozen=True)
class Forecast:
    """The size of a mesh: faces, vertices, and bytes in memory; vertices and bytes are at most so many."""

    level: int
    faces: int
    vertices: int
    memory: int

    @property
    def fits(self) -> bool:
        """Whether a mesh of this size is built."""
        return self.faces <= MOST_FACES


def forecast(surface: Surface, footprint: Footprint, base: Mesh | None = None) -> Forecast:
    """The cost of a surface at its level; from its base mesh, where it is not as the shape is."""
    return by_level(surface, footprint, base)[surface.level]


def by_level(surface: Surface, footprint: Footprint, base: Mesh | None = None) -> list[Forecast]:
    """The cost at every level there is, coarsest first."""
    shape = surface.shape
    if base:
        count = count_smooth if surface.subdivision.kind == "smooth" else count_flat
        counts = count(base, HIGHEST_LEVEL)
    else:
        counts = [shape.count(footprint, level) for level in range(HIGHEST_LEVEL + 1)]
    return [
        Forecast(level, faces, vertices, vertices * BYTES_OF_A_VERTEX + faces * BYTES_OF_A_FACE + 4)
        for level, (faces, vertices) in enumerate(counts)
    ]


def refuse_if_too_large(surface: Surface, footprint: Footprint, base: Mesh | None = None) -> None:
    """Raises TooManyFacesError, with the largest level that fits, when the surface is over the limit."""
    costs = by_level(surface, footprint, base)
    wanted = costs[surface.level]
    if wanted.fits:
        return
    fitting = [cost.level for cost in costs if cost.fits]
    offer = f"The largest level that fits is {fitting[-1]}." if fitting else "Take fewer base segments."
    faces, most = space_digits(wanted.faces), space_digits(MOST_FACES)
    raise TooManyFacesError(f"Level {surface.level} would make {faces} faces; at most {most} are built. {offer}")


def space_digits(count: int) -> str:
    """A whole number with its thousands set apart."""
    return f"{count:,}".replace(",", "\N{NO-BREAK SPACE}")

"""What a mesh will cost, said before any memory is taken for it."""

from __future__ import annotations

from dataclasses import dataclass

from relief.errors import TooManyFacesError
from relief.height import Footprint
from relief.surface.shape import HIGHEST_LEVEL, Shape

MOST_FACES = 2_000_000
BYTES_OF_A_VERTEX = 3 * 4 + 3 * 4 + 2 * 4  # position, normal, uv
BYTES_OF_A_FACE = 4 * 4 + 4 + 2  # four corners, where they begin, the region


@dataclass(frozen=True)
class Forecast:
    """The size of a mesh: faces, vertices, and bytes in memory."""

    level: int
    faces: int
    vertices: int
    memory: int

    @property
    def fits(self) -> bool:
        """Whether a mesh of this size is built."""
        return self.faces <= MOST_FACES


def forecast(shape: Shape, footprint: Footprint, level: int | None = None) -> Forecast:
    """The cost of a shape at a level (its own when none is given)."""
    level = shape.level if level is None else level
    faces, vertices = shape.model_copy(update={"level": level}).count(footprint)
    return Forecast(level, faces, vertices, vertices * BYTES_OF_A_VERTEX + faces * BYTES_OF_A_FACE + 4)


def by_level(shape: Shape, footprint: Footprint) -> list[Forecast]:
    """The cost at every level there is, coarsest first."""
    return [forecast(shape, footprint, level) for level in range(HIGHEST_LEVEL + 1)]


def refuse_if_too_large(shape: Shape, footprint: Footprint) -> None:
    """Raises TooManyFacesError, with the largest level that fits, when the shape is over the limit."""
    wanted = forecast(shape, footprint)
    if wanted.fits:
        return
    fitting = [cost.level for cost in by_level(shape, footprint) if cost.fits]
    offer = f"The largest level that fits is {fitting[-1]}." if fitting else "Take fewer base segments."
    faces, most = _space_digits(wanted.faces), _space_digits(MOST_FACES)
    raise TooManyFacesError(f"Level {shape.level} would make {faces} faces; at most {most} are built. {offer}")


def _space_digits(count: int) -> str:
    return f"{count:,}".replace(",", "\N{NO-BREAK SPACE}")

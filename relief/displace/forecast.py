"""What a mesh will cost, said before any memory is taken for it."""

from __future__ import annotations

from dataclasses import dataclass

from relief.errors import TooManyFacesError
from relief.height import Footprint
from relief.surface.plane import HIGHEST_LEVEL, Plane

MOST_FACES = 2_000_000
BYTES_OF_A_VERTEX = 3 * 4 + 3 * 4 + 2 * 4  # position, normal, uv
BYTES_OF_A_FACE = 4 * 4 + 4 + 2  # four corners, where they begin, the region


@dataclass(frozen=True)
class Forecast:
    """The size of a mesh: quads, vertices, and bytes in memory."""

    level: int
    faces: int
    vertices: int
    memory: int

    @property
    def fits(self) -> bool:
        return self.faces <= MOST_FACES


def forecast(plane: Plane, footprint: Footprint, level: int | None = None) -> Forecast:
    """The cost of a plane at a level (its own when none is given)."""
    level = plane.level if level is None else level
    across, down = plane.model_copy(update={"level": level}).cells(footprint)
    vertices = (across + 1) * (down + 1)
    faces = across * down
    return Forecast(level, faces, vertices, vertices * BYTES_OF_A_VERTEX + faces * BYTES_OF_A_FACE + 4)


def by_level(plane: Plane, footprint: Footprint) -> list[Forecast]:
    """The cost at every level there is, coarsest first."""
    return [forecast(plane, footprint, level) for level in range(HIGHEST_LEVEL + 1)]


def refuse_if_too_large(plane: Plane, footprint: Footprint) -> None:
    """Raises TooManyFacesError, with the largest level that fits, when the plane is over the limit."""
    wanted = forecast(plane, footprint)
    if wanted.fits:
        return
    fitting = [cost.level for cost in by_level(plane, footprint) if cost.fits]
    offer = f"The largest level that fits is {fitting[-1]}." if fitting else "Take fewer base segments."
    faces, most = _spaced(wanted.faces), _spaced(MOST_FACES)
    raise TooManyFacesError(f"Level {plane.level} would make {faces} faces; at most {most} are built. {offer}")


def _spaced(count: int) -> str:
    return f"{count:,}".replace(",", "\N{NO-BREAK SPACE}")

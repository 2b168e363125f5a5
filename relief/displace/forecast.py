"""What a mesh will cost, said before any memory is taken for it."""

from __future__ import annotations

from dataclasses import dataclass

from relief.errors import TooManyFacesError
from relief.height import Footprint
from relief.surface.plane import Plane

MOST_FACES = 2_000_000
BYTES_OF_A_VERTEX = 3 * 4 + 3 * 4 + 2 * 4  # position, normal, uv
BYTES_OF_A_FACE = 4 * 4


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
    return Forecast(level, faces, vertices, vertices * BYTES_OF_A_VERTEX + faces * BYTES_OF_A_FACE)


def largest_level(plane: Plane, footprint: Footprint) -> int | None:
    """The highest level that fits, or none when even the base segments are too many."""
    top = plane.model_fields["level"].metadata[1].le
    return next((level for level in range(top, -1, -1) if forecast(plane, footprint, level).fits), None)


def refuse_if_too_large(plane: Plane, footprint: Footprint) -> None:
    """Raises TooManyFacesError, with the largest level that fits, when the plane is over the limit."""
    wanted = forecast(plane, footprint)
    if wanted.fits:
        return
    fitting = largest_level(plane, footprint)
    offer = "Take fewer base segments." if fitting is None else f"The largest level that fits is {fitting}."
    raise TooManyFacesError(
        f"Level {plane.level} would make {wanted.faces:,} faces; at most {MOST_FACES:,} are built. {offer}".replace(
            ",", "\N{NARROW NO-BREAK SPACE}"
        )
    )

"""What all shapes share."""

from __future__ import annotations

from typing import Any, ClassVar

from relief.height import Footprint
from relief.parameters import Parameters, controls, number
from relief.sources.mesh.polygons import Polygons
from relief.surface.mesh import Mesh
from relief.surface.patches import Patch, join_patches

LONGEST = 100_000_000
"""mm that a shape measures at most: 100 km."""


def length(default: float, *, label: str, help: str, **more: Any) -> Any:
    """A side of a shape in mm."""
    return number(
        default, 0.1, LONGEST, label=label, help=help, unit="mm", step=1, slider=(10, 10_000), logarithmic=True, **more
    )


class Shape(Parameters):
    """Base of the shapes that carry a relief.

    A subclass has a `kind`, a title, its parameters, `size` and `patches`. One that is made of a source says its key,
    and has `base` instead of `patches`. Its middle is at the origin; y is up.
    """

    title: ClassVar[str]
    about: ClassVar[str] = ""
    upright: ClassVar[bool] = True
    """Whether it stands, y up; otherwise it lies like a floor, z up."""
    closes: ClassVar[tuple[bool, bool]] = (False, False)
    """Whether the first of its parts meets itself, around and along."""
    inward: ClassVar[bool] = False
    """Whether it is seen from inside."""
    is_round: ClassVar[bool] = False
    has_poles: ClassVar[bool] = False
    """Whether its own UV has poles, where a whole line is one point."""
    """Whether its true surface is curved between the vertices of its mesh."""
    kind: str
    smoothing: float = number(
        40, 0, 180, label="Smoothing angle", unit="°", step=1,
        help="Edges where faces meet at a larger angle stay hard; the others are shaded as if they were round.",
    )  # fmt: skip

    @property
    def heading(self) -> str:
        return self.title

    def size(self, footprint: Footprint) -> tuple[float, float, float]:
        """Its real extent along x, y and z, mm, when it carries a relief of this footprint."""
        raise NotImplementedError

    def with_size(self, *sides: float) -> Shape:
        """The shape with other lengths, in the order that its model has them; those not given follow the first.

        Raises:
            RecipeError: a length is out of bounds.
        """
        names = self.lengths()
        given = dict(zip(names, (*sides, *[sides[0]] * len(names)), strict=False))
        return type(self).create(**self.model_dump() | given)

    @classmethod
    def lengths(cls) -> tuple[str, ...]:
        """The names of the parameters that are its sides."""
        return tuple(known.name for known in controls(cls) if known.unit == "mm")

    def patches(self, footprint: Footprint) -> list[Patch]:
        """The grids that it is made of."""
        raise NotImplementedError

    @property
    def source_key(self) -> str:
        """The key of the source that it is made of; empty for a shape of ours."""
        return ""

    def count(self, footprint: Footprint, level: int) -> tuple[int, int]:
        """Faces and vertices of its mesh at a level, known before any memory is taken for it.

        The vertices are at most so many: points where patches meet are counted by each.
        """
        patches = self.patches(footprint)
        return (
            sum(patch.across * patch.down << 2 * level for patch in patches),
            sum(((patch.across << level) + 1) * ((patch.down << level) + 1) for patch in patches),
        )

    def mesh(self, footprint: Footprint, level: int) -> Mesh:
        """The mesh that carries a relief of this footprint, not displaced, each base quad cut in four `level` times."""
        return join_patches(self.patches(footprint), level, self.smoothing)

    def base(self, own: Polygons) -> Mesh:
        """The base mesh of one that is made of a source."""
        raise NotImplementedError

    def edge_length(self, footprint: Footprint) -> float:
        """About how long an edge of a base face is, mm."""
        patch = self.patches(footprint)[0]
        return float(patch.part.width / patch.across)


def near_squares(length: float, edge: float) -> int:
    """How many segments of about an edge's length make up a length, at least one."""
    return max(1, round(length / edge))

"""What all shapes share."""

from __future__ import annotations

from typing import ClassVar

from relief.height import Footprint
from relief.parameters import Parameters, number
from relief.surface.mesh import Mesh

HIGHEST_LEVEL = 10


class Shape(Parameters):
    """Base of the shapes that carry a relief. A subclass has a `kind`, a title, its parameters, `count` and `mesh`."""

    title: ClassVar[str]
    kind: str
    level: int = number(
        4, 0, HIGHEST_LEVEL, label="Subdivision level", step=1,
        help="Each level cuts every face into four. Too few look blocky, one more costs four times as much.",
    )  # fmt: skip

    @property
    def heading(self) -> str:
        return self.title

    def count(self, footprint: Footprint) -> tuple[int, int]:
        """Faces and vertices of its mesh, known before any memory is taken for it."""
        raise NotImplementedError

    def mesh(self, footprint: Footprint) -> Mesh:
        """The subdivided mesh that carries a relief of this footprint, not displaced."""
        raise NotImplementedError

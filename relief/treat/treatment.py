"""What all treatments share."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

import numpy as np

from relief.cost import Cost
from relief.height import Edges, Footprint, HeightField
from relief.parameters import Parameters, switch
from relief.progress import Progress

Family = Literal["tone", "detail", "place", "edges"]
FAMILY_NAMES = {"tone": "Tone", "detail": "Detail", "place": "Place", "edges": "Edges and faults"}


class Treatment(Parameters):
    """Base of the treatments. A subclass has a `kind`, a title, a family, its parameters and `treat`.

    Its docstring is what the bench says of it.
    """

    title: ClassVar[str]
    family: ClassVar[Family]
    wants_amplitude: ClassVar[bool] = False
    """Whether `treat` reads the field's amplitude; it is then done anew when the amplitude changes."""
    slow: ClassVar[bool] = False
    """Whether it takes seconds at full size."""
    takes_out_light: ClassVar[bool] = False
    """Whether it takes the light out of a photo; it then says which by `light(field)`."""

    @classmethod
    def about(cls) -> str:
        """What it does, in a sentence."""
        return (cls.__doc__ or "").strip()

    kind: str
    on: bool = switch(True, label="On", help="Switch off to see the relief without this treatment.")

    @property
    def heading(self) -> str:
        return self.title

    def cost(self, field: HeightField) -> Cost | None:
        """What it costs, where that is more than the texels of the field."""
        return None

    def treat(self, field: HeightField) -> HeightField:
        """The field after this treatment; one that wraps keeps wrapping."""
        return self.treat_slowly(field, Progress())

    def treat_slowly(self, field: HeightField, progress: Progress) -> HeightField:
        """The same, of a treatment that is `slow`: it tells how far it is, and can be cancelled meanwhile."""
        raise NotImplementedError

    def follow(self, companion: np.ndarray, field: HeightField) -> np.ndarray:
        """A companion of the field (rows, columns[, channels]), such as its colours, taken where the samples go.

        `field` is the field before this treatment.
        """
        return companion

    def turn_vectors(self, vectors: np.ndarray) -> np.ndarray:
        """The normals of a normal map (rows, columns, 3) that followed, turned as the picture was turned."""
        return vectors

    def carries(self, role: str) -> bool:
        """Whether a companion in this role changes when the height goes through this treatment."""
        moves = type(self).follow is not Treatment.follow
        return moves or (role == "normal" and type(self).turn_vectors is not Treatment.turn_vectors)

    def footprint_after(self, footprint: Footprint, edges: Edges) -> Footprint:
        """The footprint that is left of one."""
        return footprint

    def edges_after(self, edges: Edges) -> Edges:
        """How the edges meet afterwards."""
        return edges


class Placement(Treatment):
    """A treatment that moves samples about and leaves their values alone, so that companions can follow."""

    def move(self, samples: np.ndarray, footprint: Footprint, edges: Edges) -> np.ndarray:
        """Samples (rows, columns[, channels]) over a footprint, after the move."""
        raise NotImplementedError

    def follow(self, companion: np.ndarray, field: HeightField) -> np.ndarray:
        return self.move(companion, field.footprint, field.edges)

    def treat(self, field: HeightField) -> HeightField:
        samples = self.move(field.samples, field.footprint, field.edges)
        alpha = None if field.alpha is None else self.move(field.alpha, field.footprint, field.edges)
        return replace(
            field,
            samples=np.ascontiguousarray(samples, np.float32),
            alpha=alpha,
            footprint=self.footprint_after(field.footprint, field.edges),
            edges=self.edges_after(field.edges),
        )

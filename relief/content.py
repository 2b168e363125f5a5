"""What a layer is made of: the base of pictures, noises and patterns, imprints, and strokes by hand."""

from __future__ import annotations

from typing import ClassVar

from relief.height import Footprint
from relief.parameters import Parameters


class Content(Parameters):
    """Base of all contents. A subclass has a `kind`, a title and its parameters."""

    title: ClassVar[str]
    rest: ClassVar[float] = 0.0
    """The height that adds nothing when it is added to other relief."""
    needs_ground: ClassVar[bool] = False
    """Whether it has to lie on something."""
    works_below: ClassVar[bool] = False
    """Whether it changes what lies below, and has no heights of its own that could be moved or masked by its alpha."""

    kind: str

    @property
    def called(self) -> str:
        """What it is called in the list of layers."""
        return self.title.lower()

    @property
    def kept(self) -> tuple[str, ...]:
        """The hashes of what it holds that is kept beside the sources."""
        return ()

    def nudges(self, footprint: Footprint) -> list[str]:
        """In words, which sizes were changed so that a whole number fits."""
        return []

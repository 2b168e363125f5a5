"""What a writer says of itself: which files it has, what the notes say of them, and how they are made."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from relief.deliver.bundle import Bundle
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.recipe.recipe import Recipe

Make = Callable[[], bytes]


class Writer(NamedTuple):
    """A kind of file of a delivery that is not a map.

    Attributes:
        place: where its files stand; those of a lower one come first, those of one place in the order of their names.
        plan: which files it has for a recipe, under names that begin with a stem, where stills of some names are
            ready; perhaps none.
        describe: what the notes say of one of them.
        make: what makes the bytes of one of them. Heavy computing is done before it returns.
    """

    place: int
    plan: Callable[[Recipe, str, Sequence[str]], list[Planned]]
    describe: Callable[[Bundle, Planned], Entry]
    make: Callable[[Bundle, Planned], Make]

    @property
    def before_maps(self) -> bool:
        """Whether its files stand before the maps."""
        return self.place < 0

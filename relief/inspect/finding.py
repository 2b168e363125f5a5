"""What a finding is, and the change that mends it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Generic, Literal, TypeVar

from relief.recipe.recipe import Recipe
from relief.treat.treatment import Treatment


@dataclass(frozen=True)
class Mend:
    """A change that sets a finding right.

    Attributes:
        label: what its button says.
        changes: new values by path, those in the relief by a short one.
        first: a treatment that is put before all others.
        last: a treatment that is put behind all others.
    """

    label: str
    changes: dict[str, Any] = field(default_factory=dict)
    first: Treatment | None = None
    last: Treatment | None = None

    def apply(self, recipe: Recipe) -> Recipe:
        """The recipe after the mend of the relief that is worked on."""
        relief = recipe.shown
        if self.first or self.last:
            kept = range(len(relief.layers[0].treatments))
            order = [self.first, *kept, self.last]
            recipe = recipe.with_relief(relief.with_treatments([item for item in order if item is not None]))
        return recipe.with_changes(self.changes)


@dataclass(frozen=True)
class SetMend:
    """A change of how a picture of a texture set is read that sets a finding right.

    Attributes:
        label: what its button says.
        role: the picture.
        does: reverses its green, inverts its heights, or takes a display curve off.
    """

    label: str
    role: str
    does: Literal["green", "invert", "gamma"]


AnyMend = TypeVar("AnyMend", Mend, SetMend)


@dataclass(frozen=True)
class Found(Generic[AnyMend]):
    """Something that will look wrong."""

    kind: str
    title: str
    reason: str
    mend: AnyMend | None = field(default=None)


class Finding(Found[Mend]):
    """Of a piece."""


class SetFinding(Found[SetMend]):
    """Of a texture set."""

    def without_mend(self) -> Finding:
        """The same where there is no piece that could be mended."""
        return Finding(self.kind, self.title, self.reason)

"""A piece as data: everything needed to make its results again from the sources.

A recipe is frozen. A change is a set of paths with new values, such as `reliefs.main.layers.0.treatments.1.radius`; it
gives a new recipe, checked as a whole. Paths of one relief are short where it is clear which one is meant.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping
from typing import Any, Literal, Self

from pydantic import Field, PrivateAttr, model_validator

from relief.compose.strokes import Stroke
from relief.errors import RecipeError
from relief.figures import unit_by_size
from relief.parameters import Parameters
from relief.recipe.delivery import Delivery
from relief.recipe.document import Document
from relief.recipe.layer import SourceReference
from relief.recipe.migrations import VERSION, migrate
from relief.recipe.relief import Relief
from relief.surface.surface import Surface

MAIN = "main"
"""The key of the relief that every piece has."""


def _keep_stroke(digest: str, stroke: Any) -> tuple[str, bytes]:
    """The bytes of a stroke that a recipe's file holds."""
    data = Stroke.read(json.dumps(stroke).encode()).as_bytes()
    if hashlib.sha256(data).hexdigest() != digest:
        raise RecipeError("A stroke of this recipe was altered.")
    return digest, data


class Recipe(Document):
    """The whole piece."""

    version: Literal[6] = VERSION
    sources: dict[str, SourceReference]
    reliefs: dict[str, Relief] = Field(min_length=1)
    surface: Surface = Surface()
    delivery: Delivery = Delivery()
    _shown: str = PrivateAttr(MAIN)

    @model_validator(mode="after")
    def _has_its_sources(self) -> Self:
        if MAIN not in self.reliefs:
            raise ValueError("The recipe has no main relief.")
        if not self.surface.relief_keys() <= self.reliefs.keys():
            raise ValueError("A region carries a relief that the piece does not have.")
        key = self.surface.shape.source_key
        if key and key not in self.sources:
            raise ValueError("The surface is made of a mesh that the piece does not have.")
        if not self._used(self.reliefs) <= self.sources.keys():
            raise ValueError("A layer is made of a picture that the piece does not have.")
        return self

    @classmethod
    def of(cls, relief: Relief, sources: Mapping[str, SourceReference] | None = None) -> Self:
        """A recipe of one relief."""
        return cls(sources=dict(sources or {}), reliefs={MAIN: relief})

    @classmethod
    def read(cls, data: Any) -> Self:
        """A recipe from JSON data of this or an earlier version.

        Raises:
            RecipeError: it is not a recipe, or of a later version.
        """
        return cls.read_whole(data)[0]

    @classmethod
    def read_whole(cls, data: Any) -> tuple[Self, dict[str, bytes]]:
        """A recipe from JSON data, and by its hash what was written along with it: strokes.

        Raises:
            RecipeError: it is not a recipe, of a later version, or a stroke is not the one that its hash says.
        """
        data = migrate(data)
        strokes = data.pop("strokes", {})
        recipe = cls.from_data(data)
        return recipe, dict(_keep_stroke(digest, stroke) for digest, stroke in strokes.items())

    @property
    def main(self) -> Relief:
        """The relief that every piece has."""
        return self.reliefs[MAIN]

    @property
    def shown_key(self) -> str:
        """The key of the relief that is worked on; short paths are those of it. It is no part of the recipe's data."""
        return self._shown

    @property
    def shown(self) -> Relief:
        """The relief that is worked on."""
        return self.reliefs[self._shown]

    @property
    def unit(self) -> str:
        """The unit that all lengths of the piece are shown in."""
        return self.surface.unit or unit_by_size(max(self.main.final_footprint.sides))

    def showing(self, key: str) -> Self:
        """The recipe with another relief being worked on; the main one where there is none of that key."""
        changed = self.model_copy()
        changed._shown = key if key in self.reliefs else MAIN
        return changed

    def with_values(self, values: Mapping[str, Any]) -> Self:
        return super().with_values(values).showing(self._shown)

    def with_sources(self, sources: Mapping[str, SourceReference]) -> Self:
        """The recipe with other files in the place of some of its sources, by their keys."""
        return self.model_copy(update={"sources": {**self.sources, **sources}})

    def as_data(self) -> dict[str, Any]:
        """The recipe as JSON data."""
        return self.model_dump(mode="json")

    def as_text(self, read: Callable[[str], bytes] | None = None) -> str:
        """The recipe as it is written to a file.

        Args:
            read: gives the bytes of a hash; the strokes are then written along, so that the file is enough with the
                sources to make everything again.
        """
        data, kept = self.as_data(), {digest for relief in self.reliefs.values() for digest in relief.kept()}
        if kept and read:
            data["strokes"] = {digest: json.loads(read(digest)) for digest in sorted(kept)}
        return json.dumps(data, indent=2, ensure_ascii=False) + "\n"

    def full_path(self, path: str, key: str | None = None) -> str:
        """A path of the recipe from one that may be short: of what stands in a relief, the one that is worked on."""
        return path if path.partition(".")[0] in type(self).model_fields else f"reliefs.{key or self._shown}.{path}"

    def _way(self, path: str) -> list[tuple[Parameters, str]]:
        return super()._way(self.full_path(path))

    def with_changes(self, changes: Mapping[str, Any], key: str | None = None) -> Self:
        """A recipe with new values at some paths; short ones are those of a relief. Values may be text of a form.

        Raises:
            RecipeError: no such parameter, or a value out of its bounds; the message says which.
        """
        of_relief: dict[str, dict[str, Any]] = {}
        others = {}
        for path, value in changes.items():
            whole = self.full_path(path, key)
            head, _, rest = whole.partition(".")
            name, _, inside = rest.partition(".")
            if head == "reliefs" and name in self.reliefs:
                of_relief.setdefault(name, {})[inside] = value
            else:
                others[whole] = value
        changed = self.with_values(others) if others else self
        for name, values in of_relief.items():
            changed = changed.with_relief(changed.reliefs[name].with_changes(values), name)
        return changed

    def with_relief(
        self, relief: Relief, key: str | None = None, sources: Mapping[str, SourceReference] | None = None
    ) -> Self:
        """A recipe with another relief under a key, and perhaps more sources.

        Where it has fewer layers than before, the sources that only these needed are left out.

        Raises:
            RecipeError: the relief is made of a source that the recipe does not have.
        """
        key = key or self._shown
        reliefs = {**self.reliefs, key: relief}
        fewer = key in self.reliefs and len(relief.layers) < len(self.reliefs[key].layers)
        left_out = self._used(self.reliefs) - self._used(reliefs) if fewer else set()
        left_out -= {self.surface.shape.source_key}
        kept = {name: source for name, source in self.sources.items() if name not in left_out} | dict(sources or {})
        if not self._used(reliefs) <= kept.keys():
            raise RecipeError("A layer is made of a picture that the piece does not have.")
        return self.model_copy(update={"reliefs": reliefs, "sources": kept})

    def differences(self, other: Self, apart_from: tuple[str, ...] = ()) -> list[str]:
        """In words, which parameters another recipe has otherwise: those of its reliefs, then the rest."""
        words = []
        for key, relief in self.reliefs.items():
            if key in other.reliefs:
                words += relief.differences(other.reliefs[key], apart_from)
        return words + super().differences(other, ("reliefs", *apart_from))

    def used_sources(self) -> set[str]:
        """The keys of the sources that its reliefs and its surface are made of."""
        return (self._used(self.reliefs) | {self.surface.shape.source_key}) - {""}

    @staticmethod
    def _used(reliefs: Mapping[str, Relief]) -> set[str]:
        """The keys of the sources that some reliefs are made of."""
        return {key for relief in reliefs.values() for key in relief.source_keys()}

"""The recipe: all that is needed to make the delivery again."""

from __future__ import annotations

from collections.abc import Sequence

from relief.deliver.bundle import Bundle
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.recipe.recipe import Recipe


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    return [Planned("recipe", "recipe.json", "Recipe", "JSON")]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    about = "Everything needed to make these files again from the source."
    return Entry(file.filename, file.title, file.format, about)


def _make(bundle: Bundle, file: Planned) -> Make:
    return lambda: bundle.recipe.as_text(bundle.read_source).encode()


WRITER = Writer(5, _plan, _describe, _make)

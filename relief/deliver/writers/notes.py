"""The reading notes, as text and as a page: what comes first in a delivery."""

from __future__ import annotations

from collections.abc import Sequence

from relief.deliver.bundle import Bundle
from relief.deliver.notes import Entry, note, page
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.recipe.recipe import Recipe


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    return [
        Planned("note", "READ-ME.txt", "Reading notes", "text"),
        Planned("page", "READ-ME.html", "The same, to print", "HTML"),
    ]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    about = "These notes as a page." if file.name == "page" else "These notes."
    return Entry(file.filename, file.title, file.format, about)


def _make(bundle: Bundle, file: Planned) -> Make:
    write = page if file.name == "page" else note
    told = [entry for name, entry in bundle.entries.items() if name != bundle.filename_of("note")]
    return lambda: write(bundle.title, bundle.sizes, told, bundle.recipe.delivery.unit).encode()


WRITER = Writer(-1, _plan, _describe, _make)

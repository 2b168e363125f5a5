"""The stills that were drawn of a piece before, each under the name of its view."""

from __future__ import annotations

from collections.abc import Sequence

from relief.deliver.bundle import Bundle
from relief.deliver.files import safe_stem
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.recipe.recipe import Recipe

NAMED = "still: "
"""What the name of such a file begins with; the name of the still follows."""


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    if not recipe.delivery.stills:
        return []
    return [
        Planned(f"{NAMED}{name}", f"{stem}_still_{safe_stem(name)}.png", f"Still: {name}", "PNG", 8, 3)
        for name in stills
    ]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    return Entry(file.filename, file.title, file.format, "A picture to show, drawn before the delivery was made.")


def _make(bundle: Bundle, file: Planned) -> Make:
    return bundle.stills[file.name.removeprefix(NAMED)].read_bytes


WRITER = Writer(4, _plan, _describe, _make)

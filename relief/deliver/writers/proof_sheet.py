"""The proof sheet, as a picture and to print."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from relief.deliver.bundle import Bundle
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.recipe.recipe import Recipe


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    if not recipe.delivery.proof_sheet:
        return []
    return [
        Planned("sheet", f"{stem}_proof_sheet.png", "Proof sheet", "PNG", 8, 3),
        Planned("sheet-pdf", f"{stem}_proof_sheet.pdf", "Proof sheet, to print", "PDF"),
    ]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    return Entry(file.filename, file.title, file.format, "A page to show: the relief, its maps, a section.")


def _make(bundle: Bundle, file: Planned) -> Make:
    from relief.deliver.sheet import draw_sheet, sheet_file  # Pillow is loaded by who draws one only

    if bundle.sheet is None:
        main, still = next(iter(bundle.reliefs.values())), next(iter(bundle.stills.values()), None)
        bundle.sheet = draw_sheet(bundle.title, main, still)
    return partial(sheet_file, bundle.sheet, bundle.title, file.ending)


WRITER = Writer(4, _plan, _describe, _make)

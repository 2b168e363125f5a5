"""What each file of a delivery means, for programs."""

from __future__ import annotations

import json
from collections.abc import Sequence

from relief.deliver.bundle import Bundle
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.recipe.recipe import Recipe

UNTOLD = ("note", "page", "contents", "checksums")
"""Files that say something of the others."""


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    return [Planned("contents", "contents.json", "What each file means", "JSON")]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    return Entry(file.filename, file.title, file.format, "The same as these notes, for programs.")


def _make(bundle: Bundle, file: Planned) -> Make:
    return lambda: _tell(bundle).encode()


def _tell(bundle: Bundle) -> str:
    reliefs = {
        key: {
            "footprint_mm": list(maps.height.footprint.sides),
            "texels": [*maps.height.samples.shape[::-1]],
            "amplitude_mm": maps.pipeline.relief.amplitude,
            "midlevel": maps.pipeline.relief.midlevel,
            "wraps": list(maps.height.edges.wraps),
        }
        for key, maps in bundle.reliefs.items()
    }
    files = [
        {
            "name": file.filename,
            "relief": file.relief,
            "format": file.format,
            "read_as": "colour" if file.is_colour else "data",
            "bits": file.bits,
            **bundle.entries[file.filename].meaning,
        }
        for file in bundle.files
        if file.name not in UNTOLD
    ]
    told = {"title": bundle.title, "reliefs": reliefs, "files": files}
    return json.dumps(told, indent=2, ensure_ascii=False) + "\n"


WRITER = Writer(5, _plan, _describe, _make)

"""The residual normal map: what a split mesh leaves to its normals."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import cast

import numpy as np

from relief.deliver.build import say_residual
from relief.deliver.bundle import Bundle
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.formats.writing import picture_file
from relief.recipe.recipe import Recipe


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    if not recipe.surface.residual or recipe.delivery.mesh != "displaced":
        return []
    return [Planned("residual", f"{stem}_residual.png", "Residual normal map", "PNG", 16, 3)]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    meaning = {"kind": "residual", "green": "up", "red": "right"}
    return Entry(file.filename, file.title, file.depth, say_residual(bundle.built), meaning)


def _make(bundle: Bundle, file: Planned) -> Make:
    return partial(picture_file, cast("np.ndarray", bundle.built.residual), "png")


WRITER = Writer(1, _plan, _describe, _make)

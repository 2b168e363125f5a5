"""What a delivery holds, planned once: the page shows it, the note explains it, the writers make it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from relief.deliver.files import safe_stem
from relief.deliver.plan_maps import apply_delivery, plan_maps, plan_test_card
from relief.deliver.planned import Planned, distinguish_names
from relief.deliver.writers import WRITERS
from relief.recipe.recipe import MAIN, Recipe
from relief.recipe.surface_edits import title_of

CHECKSUMS = Planned("checksums", "SHA256SUMS.txt", "Checksums", "text", writer="checksums")
"""The last file of every delivery, made of all others."""


def refuse_undeliverable(recipe: Recipe, title: str = "") -> None:
    """Raises RecipeError where a recipe cannot be read back as it is written, or its delivery cannot be planned."""
    plan(apply_delivery(Recipe.from_data(recipe.as_data())), title)


def plan(recipe: Recipe, title: str = "", alpha: bool = False, stills: Sequence[str] = ()) -> list[Planned]:
    """The files of a delivery in their order, the notes first.

    Args:
        recipe: as `apply_delivery` gives it.
        title: the piece's name.
        stills: the names of the stills that are ready.
        alpha: whether a mask of what the relief covers is among them; that shows when the pictures are read.
    """
    delivery, stem = recipe.delivery, safe_stem(title)
    maps = []
    for key, relief in recipe.reliefs.items():
        made = plan_maps(relief, stem, delivery, alpha and key == MAIN, key)
        called = "" if key == MAIN else f"{title_of(key)}: "
        maps += [replace(file, title=called + file.title, relief=key) for file in made]
    maps += plan_test_card(recipe.main, stem, delivery) if delivery.test_card else []
    written = [
        (writer.before_maps, replace(file, writer=name))
        for name, writer in WRITERS.items()
        for file in writer.plan(recipe, stem, stills)
    ]
    before = [file for first, file in written if first]
    behind = [file for first, file in written if not first]
    return distinguish_names([*before, *maps, *behind, CHECKSUMS])

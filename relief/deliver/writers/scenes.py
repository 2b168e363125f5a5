"""Descriptions of the material and the scene in open formats."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from relief.deliver.appearance import appearances
from relief.deliver.bundle import Bundle
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.errors import ReliefError
from relief.formats.scenes import SCENES, Scene
from relief.recipe.recipe import Recipe


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    return [
        Planned(name, f"{stem}.{scene.ending}", scene.title, scene.name)
        for name, scene in recipe.delivery.scenes.items()
    ]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    scene = SCENES[file.name]
    return Entry(file.filename, file.title, scene.name, scene.reading.format(unit=bundle.recipe.delivery.unit))


def _make(bundle: Bundle, file: Planned) -> Make:
    scene, delivery, surface = SCENES[file.name], bundle.recipe.delivery, bundle.surface.surface
    base = delivery.mesh == "base"
    held = Scene(
        appearances(bundle, displaced=False if scene.is_flat else None),
        delivery.unit,
        bundle.mesh if scene.has_mesh else None,
        (surface.final_level or surface.level) if base else None,
        base and surface.subdivision.kind == "smooth",
    )
    return partial(_write, scene.write, held, scene.ending)


def _write(write: Callable[[Scene], bytes], scene: Scene, ending: str) -> bytes:
    try:
        return write(scene)
    except ModuleNotFoundError as problem:
        raise ReliefError(
            f"Writing a .{ending} file needs {problem.name}, which is not installed. Install it with: "
            "pip install 'zealous-gravel[scenes]'"
        ) from None


WRITER = Writer(3, _plan, _describe, _make)

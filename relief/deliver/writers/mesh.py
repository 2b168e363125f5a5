"""The mesh, displaced or to be displaced by the receiving program."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from relief.deliver.build import say_deviation
from relief.deliver.bundle import Bundle
from relief.deliver.embedded import embed_pictures
from relief.deliver.notes import Entry
from relief.deliver.planned import Planned
from relief.deliver.writers._writer import Make, Writer
from relief.formats.meshes import AroundMesh
from relief.formats.writing import mesh_file
from relief.recipe.recipe import Recipe
from relief.surface.mesh import Mesh


def _plan(recipe: Recipe, stem: str, stills: Sequence[str]) -> list[Planned]:
    delivery, shape = recipe.delivery, recipe.surface.shape
    if delivery.mesh == "none":
        return []
    kind, ending = shape.title.lower(), delivery.mesh_format
    title = f"Displaced {kind}" if delivery.mesh == "displaced" else f"{kind.capitalize()} before displacement"
    return [Planned("mesh", f"{stem}_{shape.kind}.{ending}", title, ending.upper())]


def _describe(bundle: Bundle, file: Planned) -> Entry:
    delivery, surface, format_ = bundle.recipe.delivery, bundle.surface.surface, bundle.mesh_format
    displaced, faces = delivery.mesh == "displaced", bundle.mesh_in_mm.faces
    unit = format_.unit or delivery.unit
    about = f"{faces} faces. Lengths in {unit}."
    if displaced:
        about += f" {say_deviation(bundle.built.off, surface.tessellation.allowed)}"
    else:
        about += " It is not displaced: the receiving program does that with the maps."
    if surface.regions and format_.has_regions:
        about += " A group and a material for each region."
    tile = surface.is_plain and not surface.residual
    meaning = {"kind": "mesh", "displaced": displaced, "tile": tile, "unit": unit, "faces": faces}
    return Entry(file.filename, file.title, format_.title, about, meaning)


def _make(bundle: Bundle, file: Planned) -> Make:
    return partial(_write, bundle, bundle.mesh_in_mm if bundle.mesh_format.unit else bundle.mesh)


def _write(bundle: Bundle, mesh: Mesh) -> bytes:
    delivery = bundle.recipe.delivery
    pictures = embed_pictures(bundle) if bundle.mesh_format.has_pictures else ()
    return mesh_file(mesh, delivery.mesh_format, AroundMesh(delivery.unit, bundle.filename_of("materials"), pictures))


WRITER = Writer(2, _plan, _describe, _make)

"""Pieces begun from what lies on the shelf, on the suggested start; and begun again from another reading of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from relief.errors import PictureError
from relief.inspect.start import content_of_picture, first_recipe
from relief.recipe.layer import Picture, SourceReference, Unpacked
from relief.recipe.recipe import Recipe
from relief.recipe.relief import TREATMENTS_PATH
from relief.sources.roles import READING_OF, held_by_name
from studio.bench.models import Revision, change_recipe
from studio.shelf.engine import get_engine
from studio.shelf.models import Piece, Source, TextureSet, read_source

HEIGHT_FROM = ("height", "normal", "colour")
"""The members of a set that height is taken from, the best first."""

GOES_ALONG = ("colour", "normal", "roughness", "occlusion", "metalness", "mask")
"""The members of a set that go where its height goes."""


def content_of_set(texture_set: TextureSet) -> tuple[dict[str, SourceReference], Picture]:
    """The members of a set as a recipe names them, and a layer's content of it: its height, else what can be made one.

    Raises:
        PictureError: no member is left.
    """
    members = texture_set.by_role()
    if not members:
        raise PictureError("This set has no pictures left.")
    role = next((role for role in HEIGHT_FROM if role in members), next(iter(members)))
    content = Picture(
        source=role,
        reading=READING_OF[role],
        green=members["normal"].green if "normal" in members else "up",
        companions={name: name for name in GOES_ALONG if name in members and name != role},
        unpacked=_unpack_set(members),
    )
    return {name: member.reference for name, member in members.items()}, content


def _unpack_set(members: Mapping[str, Source]) -> Unpacked:
    """What the set's packed picture holds beside the maps that stand in files of their own, as far as its name says."""
    if "packed" not in members:
        return Unpacked()
    held = held_by_name(members["packed"].filename)
    return Unpacked(source="packed", **{channel: role for channel, role in held.items() if role not in members})


def begin_piece(source: Source, title: str, changes: Mapping[str, Any] | None = None, **piece: Any) -> Piece:
    """A new piece of one source; its first revision is the suggested start, with some changes where wanted."""
    content = content_of_picture(source.filename, source.role, source.green)
    recipe = first_recipe({"picture": source.reference}, content, read_source, get_engine())
    return Revision.objects.keep_first(source.owner, title, recipe.with_changes(changes or {}), **piece)


def begin_piece_of_set(
    texture_set: TextureSet, changes: Mapping[str, Any] | None = None, title: str = "", **piece: Any
) -> Piece:
    """A new piece of a texture set: of its height, else of its normal map, else of its colours.

    Raises:
        PictureError: no member is left, or its file is gone.
    """
    references, content = content_of_set(texture_set)
    recipe = first_recipe(references, content, read_source, get_engine())
    if texture_set.by_role()[content.source].inverted:
        recipe = recipe.with_changes({f"{TREATMENTS_PATH}.2.on": True})
    recipe = recipe.with_changes(changes or {})
    return Revision.objects.keep_first(texture_set.owner, title or texture_set.name, recipe, **piece)


def start_anew(piece: Piece, base: int, changes: Mapping[str, Any]) -> Revision:
    """A new revision that takes its height from elsewhere or otherwise, and starts from what that suggests.

    Footprint, maps, surface and delivery stay as they are. Raises as `Revision.objects.edit` does.
    """

    def anew(recipe: Recipe) -> tuple[Recipe, str]:
        changed, label = change_recipe(recipe, changes)
        content = changed.shown.layers[0].content
        if content.source != recipe.shown.layers[0].content.source:
            # another picture has other channels
            unpacked = content.unpacked if content.unpacked.source else Unpacked()
            content = content.model_copy(update={"channel": "", "unpacked": unpacked})
        footprint = recipe.shown.footprint
        fresh = first_recipe(recipe.sources, content, read_source, get_engine(), footprint=footprint).main
        return recipe.with_relief(fresh.model_copy(update={"maps": recipe.shown.maps})), f"{label}, started over"

    return Revision.objects.edit(piece, base, anew)

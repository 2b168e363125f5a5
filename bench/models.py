"""Revisions: every change to a piece makes one, holding the whole recipe. Undo and redo move between them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from relief.errors import PictureError
from relief.inspect.start import content_of_picture, first_recipe
from relief.recipe.layer import Picture, SourceReference, Unpacked
from relief.recipe.recipe import MAIN, Recipe
from relief.recipe.relief import TREATMENTS_PATH, Relief
from relief.sources.roles import READING_OF, held_by_name
from shelf.engine import ENGINE
from shelf.models import Piece, Source, TextureSet, keep_file, read_source

HEIGHT_FROM = ("height", "normal", "colour")
"""The members of a set that height is taken from, the best first."""

GOES_ALONG = ("colour", "normal", "roughness", "occlusion", "metalness", "mask")
"""The members of a set that go where its height goes."""


class StaleError(Exception):
    """The change was made to an older state of the piece than the one now kept."""


def _changed(recipe: Recipe, changes: Mapping[str, Any]) -> tuple[Recipe, str]:
    """The recipe with some parameters set anew, and the first of the differences in words."""
    changed = recipe.with_changes(changes)
    differences = recipe.differences(changed)
    more = f" and {len(differences) - 1} more" if len(differences) > 1 else ""
    return changed, (differences[0] if differences else "") + more


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
        unpacked=_unpacked(members),
    )
    return {name: member.reference for name, member in members.items()}, content


def _unpacked(members: Mapping[str, Source]) -> Unpacked:
    """What the set's packed picture holds beside the maps that stand in files of their own, as far as its name says."""
    if "packed" not in members:
        return Unpacked()
    held = held_by_name(members["packed"].filename)
    return Unpacked(source="packed", **{channel: role for channel, role in held.items() if role not in members})


class RevisionManager(models.Manager):
    def begin(self, source: Source, title: str, changes: Mapping[str, Any] | None = None, **piece: Any) -> Piece:
        """A new piece of one source; its first revision is the suggested start, with some changes where wanted."""
        content = content_of_picture(source.filename, source.role, source.green)
        recipe = first_recipe({"picture": source.reference}, content, read_source, ENGINE).with_changes(changes or {})
        return self.keep_first(source.owner, title, recipe, **piece)

    def begin_set(
        self, texture_set: TextureSet, changes: Mapping[str, Any] | None = None, title: str = "", **piece: Any
    ) -> Piece:
        """A new piece of a texture set: of its height, else of its normal map, else of its colours.

        Raises:
            PictureError: no member is left, or its file is gone.
        """
        references, content = content_of_set(texture_set)
        recipe = first_recipe(references, content, read_source, ENGINE)
        if texture_set.by_role()[content.source].inverted:
            recipe = recipe.with_changes({f"{TREATMENTS_PATH}.2.on": True})
        return self.keep_first(
            texture_set.owner, title or texture_set.name, recipe.with_changes(changes or {}), **piece
        )

    def keep_first(self, owner: Any, title: str, recipe: Recipe, **piece: Any) -> Piece:
        """A new piece with a recipe as its first revision."""
        with transaction.atomic():
            begun = Piece.objects.create(owner=owner, title=title[:120], **piece)
            digests = [source.digest for source in recipe.sources.values()]
            begun.sources.set(Source.objects.filter(owner=owner, digest__in=digests))
            self._add(begun, 0, recipe, "Suggested start")
        return begun

    def now(self, piece: Piece) -> Revision:
        """The revision the piece stands at."""
        return self.get(piece=piece, number=piece.position)

    def edit(self, piece: Piece, base: int, work: Callable[[Recipe], tuple[Recipe, str]]) -> Revision:
        """A new revision of what `work` makes of the recipe, named as it says; the same one when nothing differs.

        Raises:
            StaleError: the piece no longer stands at `base`.
            RecipeError: the change is not valid.
        """
        before = self.get(piece=piece, number=base)
        recipe = before.read()
        changed, label = work(recipe)
        if changed == recipe:
            return self._move(piece, base, base)
        revision = self._follow(piece, base, changed, label)
        if changed.sources != recipe.sources:
            digests = [source.digest for source in changed.sources.values()]
            piece.sources.add(*Source.objects.filter(owner=piece.owner, digest__in=digests))
        return revision

    def edit_relief(
        self, piece: Piece, base: int, work: Callable[[Relief], tuple[Relief, str]], key: str = MAIN
    ) -> Revision:
        """As `edit`, of one of the recipe's reliefs."""

        def on_recipe(recipe: Recipe) -> tuple[Recipe, str]:
            relief, label = work(recipe.reliefs[key])
            return recipe.with_relief(relief, key), label

        return self.edit(piece, base, on_recipe)

    def change(self, piece: Piece, base: int, changes: Mapping[str, Any]) -> Revision:
        """A new revision with some parameters set anew. Raises as `edit` does."""
        return self.edit(piece, base, lambda recipe: _changed(recipe, changes))

    def read_as(self, piece: Piece, base: int, changes: Mapping[str, Any]) -> Revision:
        """A new revision that takes its height from elsewhere or otherwise, and starts from what that suggests.

        Footprint, maps, surface and delivery stay as they are. Raises as `edit` does.
        """

        def anew(recipe: Recipe) -> tuple[Recipe, str]:
            changed, label = _changed(recipe, changes)
            content = changed.main.layers[0].content
            if content.source != recipe.main.layers[0].content.source:
                # another picture has other channels
                unpacked = content.unpacked if content.unpacked.source else Unpacked()
                content = content.model_copy(update={"channel": "", "unpacked": unpacked})
            fresh = first_recipe(recipe.sources, content, read_source, ENGINE, footprint=recipe.main.footprint).main
            fresh = fresh.model_copy(update={"maps": recipe.main.maps})
            return recipe.with_relief(fresh), f"{label}, started anew"

        return self.edit(piece, base, anew)

    def undo(self, piece: Piece, base: int) -> Revision:
        """Goes back to what the current revision was made from; stays at the first.

        Raises:
            StaleError: the piece no longer stands at `base`.
        """
        now = self.get(piece=piece, number=base)
        return self._move(piece, base, now.parent or now.number)

    def redo(self, piece: Piece, base: int) -> Revision:
        """Goes forward to what was last made from the current revision; stays at the newest.

        Raises:
            StaleError: the piece no longer stands at `base`.
        """
        following = self.get(piece=piece, number=base).following()
        return self._move(piece, base, following.number if following else base)

    def _move(self, piece: Piece, base: int, to: int) -> Revision:
        """Sets the piece's position, if it still is where the change was made."""
        moved = Piece.objects.filter(pk=piece.pk, position=base).update(position=to, touched=timezone.now())
        if not moved:
            raise StaleError
        piece.position = to
        return self.get(piece=piece, number=to)

    def _follow(self, piece: Piece, base: int, recipe: Recipe, label: str) -> Revision:
        with transaction.atomic():
            return self._add(piece, base, recipe, label)

    def _add(self, piece: Piece, base: int, recipe: Recipe, label: str) -> Revision:
        number = (self.filter(piece=piece).aggregate(last=models.Max("number"))["last"] or 0) + 1
        self.create(piece=piece, number=number, parent=base or None, recipe=recipe.as_data(), label=label[:200])
        return self._move(piece, base, number)


class Revision(models.Model):
    """A state of a piece: its whole recipe, and the number of the state it was made from."""

    piece = models.ForeignKey(Piece, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.PositiveIntegerField(null=True)
    recipe = models.JSONField()
    label = models.CharField(max_length=200)
    made = models.DateTimeField(auto_now_add=True)

    objects = RevisionManager()

    class Meta:
        ordering = ["piece", "number"]
        constraints = [models.UniqueConstraint(fields=["piece", "number"], name="revision_number_once_for_each_piece")]

    def __str__(self) -> str:
        return f"{self.piece}, revision {self.number}"

    def read(self) -> Recipe:
        """The recipe, migrated when it is of an earlier version; what that kept in the recipe is kept in files now."""
        recipe, kept = Recipe.read_whole(self.recipe)
        for data in kept.values():
            keep_file(data)
        return recipe

    def before(self) -> Revision | None:
        """The revision this one was made from."""
        return Revision.objects.filter(piece=self.piece, number=self.parent).first() if self.parent else None

    def following(self) -> Revision | None:
        """The revision that was last made from this one."""
        return Revision.objects.filter(piece=self.piece, parent=self.number).order_by("-number").first()


class Proof(models.Model):
    """A kept look: a revision under a name, for comparing. There is one of a revision at most."""

    revision = models.OneToOneField(Revision, on_delete=models.CASCADE, related_name="proof")
    name = models.CharField(max_length=80)
    kept = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-pk"]

    def __str__(self) -> str:
        return self.name

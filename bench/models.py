"""Revisions: every change to a piece makes one, holding the whole recipe. Undo and redo move between them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from bench.engine import ENGINE
from relief.inspect.start import suggested_start
from relief.recipe import Recipe
from relief.sources.roles import Reading
from shelf.models import Piece, Source, read_source


class StaleError(Exception):
    """The change was made to an older state of the piece than the one now kept."""


class RevisionManager(models.Manager):
    def begin(self, source: Source, title: str, changes: Mapping[str, Any] | None = None, **piece: Any) -> Piece:
        """A new piece of one source; its first revision is the suggested start, with some changes where wanted."""
        reading = source.facts.guess.reading
        recipe = suggested_start(source.digest, source.filename, reading, read_source, ENGINE)
        recipe = recipe.with_changes(changes or {})
        with transaction.atomic():
            begun = Piece.objects.create(owner=source.owner, title=title[:120], **piece)
            self._add(begun, 0, recipe, "Suggested start")
        return begun

    def now(self, piece: Piece) -> Revision:
        """The revision the piece stands at."""
        return self.get(piece=piece, number=piece.position)

    def change(self, piece: Piece, base: int, changes: Mapping[str, Any]) -> Revision:
        """A new revision with some parameters set anew; the same one when nothing differs.

        Raises:
            StaleError: the piece no longer stands at `base`.
            RecipeError: a change is not valid.
        """
        before = self.get(piece=piece, number=base)
        recipe = before.read()
        changed = recipe.with_changes(changes)
        differences = recipe.differences(changed)
        if not differences:
            self._move(piece, base, base)
            return before
        more = f" and {len(differences) - 1} more" if len(differences) > 1 else ""
        return self._follow(piece, base, changed, differences[0] + more)

    def read_as(self, piece: Piece, base: int, reading: Reading) -> Revision:
        """A new revision that takes the source for something else and starts from what that suggests.

        Footprint, maps, surface and delivery stay as they are.
        """
        recipe = self.get(piece=piece, number=base).read()
        source = next(iter(recipe.sources.values()))
        fresh = suggested_start(
            source.digest, source.filename, reading, read_source, ENGINE, footprint=recipe.footprint
        )
        kept = {name: getattr(recipe, name) for name in ("maps", "surface", "delivery")}
        return self._follow(piece, base, fresh.model_copy(update=kept), f"Read as {reading}, started anew")

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
        """The recipe, migrated when it is of an earlier version."""
        return Recipe.read(self.recipe)

    def before(self) -> Revision | None:
        """The revision this one was made from."""
        return Revision.objects.filter(piece=self.piece, number=self.parent).first() if self.parent else None

    def following(self) -> Revision | None:
        """The revision that was last made from this one."""
        return Revision.objects.filter(piece=self.piece, parent=self.number).order_by("-number").first()

"""Revisions: every change to a piece makes one, holding the whole recipe. Undo and redo move between them."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from relief.deliver.plan import refuse_undeliverable
from relief.errors import RecipeError
from relief.recipe.recipe import Recipe
from relief.recipe.relief import Relief
from studio.shelf.models import Piece, Source, keep_file


class StaleError(Exception):
    """The change was made to an older state of the piece than the one now kept."""


def change_recipe(recipe: Recipe, changes: Mapping[str, Any]) -> tuple[Recipe, str]:
    """The recipe with some parameters set anew, and the first of the differences in words."""
    changed = recipe.with_changes(changes)
    differences = recipe.differences(changed)
    more = f" and {len(differences) - 1} more" if len(differences) > 1 else ""
    return changed, (differences[0] if differences else "") + more


def what_does_not_fit(recipe: Recipe, title: str) -> str:
    """Why a recipe as a whole cannot be delivered, in a sentence; empty where it can."""
    try:
        refuse_undeliverable(recipe, title)
    except RecipeError as problem:
        return str(problem)
    return ""


class RevisionManager(models.Manager):
    """Keeps revisions; it decides nothing about what they hold."""

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
        return self.of(piece, piece.position)

    def of(self, piece: Piece, number: int) -> Revision:
        """A revision, which shows the relief that the piece shows."""
        found = self.get(piece=piece, number=number)
        found.piece = piece
        return found

    def edit(self, piece: Piece, base: int, work: Callable[[Recipe], tuple[Recipe, str]]) -> Revision:
        """A new revision of what `work` makes of the recipe, named as it says; the same one when nothing differs.

        Raises:
            StaleError: the piece no longer stands at `base`.
            RecipeError: the change is not valid.
        """
        before = self.of(piece, base)
        recipe = before.read()
        changed, label = work(recipe)
        piece.shown = changed.shown_key
        if changed.showing(recipe.shown_key) == recipe:
            return self._move(piece, base, base)
        problem = what_does_not_fit(changed, piece.title)
        if problem and not what_does_not_fit(recipe, piece.title):
            raise RecipeError(problem)
        revision = self._follow(piece, base, changed, label)
        if changed.sources != recipe.sources:
            digests = [source.digest for source in changed.sources.values()]
            piece.sources.add(*Source.objects.filter(owner=piece.owner, digest__in=digests))
        return revision

    def edit_relief(self, piece: Piece, base: int, work: Callable[[Relief], tuple[Relief, str]]) -> Revision:
        """As `edit`, of the relief that the piece shows."""

        def on_recipe(recipe: Recipe) -> tuple[Recipe, str]:
            relief, label = work(recipe.shown)
            return recipe.with_relief(relief), label

        return self.edit(piece, base, on_recipe)

    def change(self, piece: Piece, base: int, changes: Mapping[str, Any]) -> Revision:
        """A new revision with some parameters set anew. Raises as `edit` does."""
        return self.edit(piece, base, lambda recipe: change_recipe(recipe, changes))

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

    def go_to(self, piece: Piece, base: int, to: int) -> Revision:
        """Goes to any state of the piece.

        Raises:
            StaleError: the piece no longer stands at `base`.
            RecipeError: there is no such state.
        """
        if not self.filter(piece=piece, number=to).exists():
            raise RecipeError("There is no such state of this piece.")
        return self._move(piece, base, to)

    def _move(self, piece: Piece, base: int, to: int) -> Revision:
        """Sets the piece's position, if it still is where the change was made."""
        moved = Piece.objects.filter(pk=piece.pk, position=base).update(position=to, touched=timezone.now())
        if not moved:
            raise StaleError
        piece.position = to
        return self.of(piece, to)

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
    _read: Recipe | None = None

    class Meta:
        ordering = ["piece", "number"]
        constraints = [models.UniqueConstraint(fields=["piece", "number"], name="revision_number_once_for_each_piece")]

    def __str__(self) -> str:
        return f"{self.piece}, revision {self.number}"

    def read(self) -> Recipe:
        """The recipe, migrated when it is of an earlier version; what that kept in the recipe is kept in files now."""
        if self._read is None:  # a revision never changes
            self._read, kept = _read_recipe(json.dumps(self.recipe))
            for data in kept.values():
                keep_file(data)
        return self._read.showing(self.piece.shown)

    def fits(self) -> bool:
        """Whether its recipe can be read, and delivered as a whole."""
        try:
            return not what_does_not_fit(self.read(), self.piece.title)
        except RecipeError:
            return False

    def last_fitting(self) -> Revision | None:
        """The newest state before this one that fits: of those it was made from, then of all."""
        earlier = self.before()
        while earlier and not earlier.fits():
            earlier = earlier.before()
        if earlier:
            return earlier
        for other in Revision.objects.filter(piece=self.piece).exclude(number=self.number).order_by("-number"):
            other.piece = self.piece
            if other.fits():
                return other
        return None

    def before(self) -> Revision | None:
        """The revision this one was made from."""
        return Revision.objects.of(self.piece, self.parent) if self.parent else None

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


def the_middle() -> list[float]:
    """The middle of a surface, where a camera looks unless it is told otherwise."""
    return [0.0, 0.0, 0.0]


class KeptView(models.Model):
    """Where the camera and the light of the stage stood, under a name; it is no part of the recipe."""

    piece = models.ForeignKey(Piece, on_delete=models.CASCADE, related_name="kept_views")
    name = models.CharField(max_length=60)
    camera = models.JSONField()
    """Where the camera stands, mm from the surface's middle."""
    look_at = models.JSONField(default=the_middle)
    """Where it looks, mm from there."""
    towards = models.JSONField()
    """The direction of the light, unit length."""
    open_air = models.BooleanField(default=False)
    """Whether it is seen under a sky with a horizon."""

    class Meta:
        ordering = ["pk"]
        constraints = [models.UniqueConstraint(fields=["piece", "name"], name="view_once_for_each_piece")]

    def __str__(self) -> str:
        return self.name

    @property
    def is_whole(self) -> bool:
        """Whether it can be shown: an odd row is left out."""
        return all(
            isinstance(each, list) and len(each) == 3 and all(isinstance(side, int | float) for side in each)
            for each in (self.camera, self.look_at, self.towards)
        )

    @property
    def values(self) -> dict[str, Any]:
        """What a still takes of it, by the names that a still has for that."""
        places = {"camera": tuple(self.camera), "look_at": tuple(self.look_at), "towards": tuple(self.towards)}
        return {**places, "open_air": self.open_air}


@lru_cache(maxsize=200)
def _read_recipe(text: str) -> tuple[Recipe, dict[str, bytes]]:
    """A recipe is read for each picture of a drag, and the same ones again and again."""
    return Recipe.read_whole(json.loads(text))

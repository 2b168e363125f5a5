"""Sources as they came in, the texture sets they belong to, and the pieces made of them; every row has an owner."""

from __future__ import annotations

import hashlib
from dataclasses import fields
from pathlib import Path

from django.conf import settings
from django.db import models
from django.utils import timezone

from relief.deliver.files import write_whole
from relief.inspect.mesh_facts import MeshFacts
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import MAIN
from relief.sources.facts import Facts
from relief.sources.folder import SourceFolder
from relief.sources.roles import ROLE_NAMES, Guess

ROLES = [*ROLE_NAMES.items(), ("mesh", "Mesh")]
GREENS = [("up", "Green up"), ("down", "Green down")]


class Kept(models.Model):
    """Something on the shelf: it has tags, and is taken away in a way that can be undone."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    tags = models.CharField(max_length=300, blank=True)
    removed = models.DateTimeField(null=True, blank=True)

    class Meta:
        abstract = True


class TextureSet(Kept):
    """Pictures that belong together: colour with its data maps, each with its role."""

    name = models.CharField(max_length=120)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-made", "-pk"]

    def __str__(self) -> str:
        return self.name

    def by_role(self) -> dict[str, Source]:
        """The members that are not removed, the first of each role."""
        found: dict[str, Source] = {}
        for member in self.members.filter(removed=None).order_by("pk"):
            found.setdefault(member.role, member)
        return found


class LitSeries(Kept):
    """Photos of one surface from one place, the light moved between them."""

    name = models.CharField(max_length=120)
    made = models.DateTimeField(auto_now_add=True)
    lights = models.JSONField(default=list)
    """Where the light of each photo stood: azimuth and elevation, degrees."""
    ball = models.JSONField(null=True, blank=True)
    """The outline of a mirrored ball that is in all of them: x, y, radius in pixels."""
    width = models.FloatField(default=300)
    """Of what the photos show, mm."""

    class Meta:
        ordering = ["-made", "-pk"]

    def __str__(self) -> str:
        return self.name


class Source(Kept):
    """A picture as it came in, never altered, known by the hash of its bytes; and what the artist says it is."""

    digest = models.CharField(max_length=64)
    filename = models.CharField(max_length=200)
    size = models.BigIntegerField()
    measured = models.JSONField()
    role = models.CharField(max_length=10, choices=ROLES, default="photo")
    green = models.CharField(max_length=4, choices=GREENS, default="up")
    inverted = models.BooleanField(default=False)
    texture_set = models.ForeignKey(
        TextureSet, null=True, blank=True, on_delete=models.SET_NULL, related_name="members"
    )
    lit_series = models.ForeignKey(LitSeries, null=True, blank=True, on_delete=models.SET_NULL, related_name="photos")
    place = models.PositiveSmallIntegerField(default=0)
    """Its number in the lit series."""
    added = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["owner", "digest"], name="source_once_for_each_owner")]
        ordering = ["-added", "-pk"]

    def __str__(self) -> str:
        return self.filename

    @property
    def is_mesh(self) -> bool:
        """Whether it is a mesh and no picture."""
        return self.role == "mesh"

    @property
    def is_measured(self) -> bool:
        """Whether all is known of it that is measured now; an earlier version of the app may have measured less."""
        return self.measured.keys() == {item.name for item in fields(MeshFacts if self.is_mesh else Facts)}

    @property
    def mesh_facts(self) -> MeshFacts:
        """What was measured when the mesh came in."""
        values = {name: tuple(value) if isinstance(value, list) else value for name, value in self.measured.items()}
        return MeshFacts(**values)

    @property
    def facts(self) -> Facts:
        """What was measured when the picture came in."""
        values = self.measured | {"guess": Guess(**self.measured["guess"])}
        return Facts(**{name: tuple(value) if isinstance(value, list) else value for name, value in values.items()})

    @property
    def users(self) -> list[Piece]:
        """The pieces on the shelf that are made of it."""
        return [piece for piece in self.pieces.all() if piece.removed is None]

    @property
    def reference(self) -> SourceReference:
        """How a recipe names this source."""
        return SourceReference(digest=self.digest, filename=self.filename)


def source_folder() -> SourceFolder:
    """The folder that the bytes of all sources lie in."""
    return SourceFolder(Path(settings.MEDIA_ROOT) / "sources")


def source_path(digest: str) -> Path:
    """Where the bytes of a source lie."""
    return source_folder().place(digest)


def keep_file(data: bytes) -> str:
    """Keeps bytes under their hash, which is returned: pictures, and strokes drawn by hand."""
    digest = hashlib.sha256(data).hexdigest()
    place = source_path(digest)
    if not place.exists() or place.stat().st_size != len(data) or place.read_bytes() != data:
        place.parent.mkdir(parents=True, exist_ok=True)
        write_whole(place, data)
    return digest


def read_source(digest: str) -> bytes:
    """The bytes of a source.

    Raises:
        PictureError: its file is gone from the data folder.
    """
    return source_folder()(digest)


class Piece(Kept):
    """One document. What it is made of stands in its revisions; `position` is the number of the one now shown."""

    title = models.CharField(max_length=120)
    remark = models.CharField(max_length=200, blank=True)
    demo = models.SlugField(blank=True)
    guide = models.CharField(max_length=400, blank=True)
    position = models.PositiveIntegerField(default=0)
    set_aside = models.JSONField(default=list, blank=True)
    """Kinds of findings that the artist has seen and means to keep."""
    sources = models.ManyToManyField(Source, related_name="pieces", blank=True)
    touched = models.DateTimeField(default=timezone.now)
    shown: str = MAIN
    """The key of the relief that is worked on, where it has several; it is not kept."""

    class Meta:
        ordering = ["-touched", "-pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "demo"], condition=~models.Q(demo=""), name="demo_piece_once_for_each_owner"
            )
        ]

    def __str__(self) -> str:
        return self.title

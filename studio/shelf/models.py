"""Sources as they came in, the texture sets they belong to, and the pieces made of them; every row has an owner."""

from __future__ import annotations

import hashlib
import uuid
from dataclasses import fields
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.db import models
from django.utils import timezone

from relief.deliver.files import write_whole
from relief.errors import PictureError
from relief.inspect.mesh_facts import MeshFacts
from relief.recipe.layer import SourceReference
from relief.recipe.recipe import MAIN
from relief.sources.facts import Facts
from relief.sources.folder import SourceFolder
from relief.sources.mesh.read import is_mesh
from relief.sources.roles import ROLE_NAMES, Guess
from relief.version import computation_version
from studio.background.models import Work

MESH = "mesh"
"""The role that every mesh has, and no picture."""

ROLES = [*ROLE_NAMES.items(), (MESH, "Mesh")]
GREENS = [("up", "Green up"), ("down", "Green down")]


class UnreadableFactsError(PictureError):
    """What was measured of a source is not what this version of the app measures; a page leaves it out."""

    silent_variable_failure = True  # how Django's templates know that they may go on


class Kept(models.Model):
    """Something on the shelf: it has tags, and is taken away in a way that can be undone."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    tags = models.CharField(max_length=300, blank=True)
    removed = models.DateTimeField(null=True, blank=True)

    class Meta:
        abstract = True


class Gathered(Kept):
    """Base of what sources are gathered into. A source may belong to several."""

    name = models.CharField(max_length=120)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True


class TextureSet(Gathered):
    """Pictures that belong together: colour with its data maps, each with its role."""

    members = models.ManyToManyField("Source", related_name="sets")

    class Meta:
        ordering = ["-made", "-pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def present(self) -> list[Source]:
        """The members that are not removed."""
        return [member for member in self.members.all() if member.removed is None]

    def by_role(self) -> dict[str, Source]:
        """The members that are not removed, the first of each role."""
        found: dict[str, Source] = {}
        for member in sorted(self.present, key=lambda member: member.pk):
            found.setdefault(member.role, member)
        return found


class LitSeries(Gathered):
    """Photos of one surface from one place, the light moved between them."""

    photos = models.ManyToManyField("Source", through="LitPhoto", related_name="series")
    lights = models.JSONField(default=list)
    """Where the light of each photo stood: azimuth and elevation, degrees."""
    ball = models.JSONField(null=True, blank=True)
    """The outline of a mirrored ball that is in all of them: x, y, radius in pixels."""
    lights_at_ball = models.BooleanField(default=False)
    """Whether the lights were read from the ball, so that near lamps are seen from there, not from the middle."""
    width = models.FloatField(default=300)
    """Of what the photos show, mm."""

    class Meta:
        ordering = ["-made", "-pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def present(self) -> list[LitPhoto]:
        """The photos that are not removed, in their order."""
        placed = self.placed.select_related("source").filter(source__removed=None)
        return [photo for photo in placed if photo.number < len(self.lights)]


class LitPhoto(models.Model):
    """A source as a photo of a lit series."""

    series = models.ForeignKey(LitSeries, on_delete=models.CASCADE, related_name="placed")
    source = models.ForeignKey("Source", on_delete=models.CASCADE, related_name="+")
    number = models.PositiveSmallIntegerField()
    """Its place in the series, and that of its light, from 0."""

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["series", "number"], name="one_photo_for_each_light")]

    def __str__(self) -> str:
        return f"{self.series}, photo {self.number + 1}"


class SeriesTask(Work):
    """Something long that is done to a lit series: its lights are read or estimated, or it is measured."""

    heavy: ClassVar[bool] = True

    class Kind(models.TextChoices):
        READ = "read", "Reading the lights from the ball"
        ESTIMATE = "estimate", "Estimating the lights"
        MEASURE = "measure", "Measuring the relief"

    series = models.ForeignKey(LitSeries, on_delete=models.CASCADE, related_name="tasks")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    distance = models.FloatField(null=True)
    """Of the lamps from the middle of the photos where it is measured, mm; 0 for far away, none to find it."""
    measured = models.ForeignKey(TextureSet, null=True, on_delete=models.SET_NULL, related_name="+")
    amplitude = models.FloatField(default=0)
    """Of the measured height, mm."""
    remark = models.TextField(blank=True)
    answers = models.JSONField(default=list)
    """Small pictures of the two answers where lights were estimated, first the one that was kept: PNG, base64."""

    def __str__(self) -> str:
        return f"{self.series}: {self.get_kind_display()}"


class Preparation(Work):
    """What a studio does after it was started for the first time, or anew: demo pieces are made, kernels compiled."""

    with_pieces = models.BooleanField(default=True)

    @classmethod
    def under_way(cls) -> Preparation | None:
        """The one that is not done yet."""
        return cls.objects.filter(state__in=cls.ACTIVE).first()


class Arrival(Work):
    """An upload that takes long to take in, so that it goes on in the background."""

    filename = models.CharField(max_length=200)
    first = models.PositiveIntegerField(default=0)
    """The first of its entries that is not taken in yet."""
    kept = models.JSONField(default=list)
    """The numbers of the sources that were kept."""
    refused = models.JSONField(default=list)
    """Pairs of names and reasons."""

    def __str__(self) -> str:
        return self.filename

    @property
    def path(self) -> Path:
        """Where the upload waits."""
        return Path(settings.MEDIA_ROOT) / "arrivals" / str(self.pk)


class Source(Kept):
    """A picture as it came in, never altered, known by the hash of its bytes; and what the artist says it is."""

    digest = models.CharField(max_length=64)
    filename = models.CharField(max_length=200)
    size = models.BigIntegerField()
    measured = models.JSONField()
    role = models.CharField(max_length=10, choices=ROLES, default="photo")
    green = models.CharField(max_length=4, choices=GREENS, default="up")
    inverted = models.BooleanField(default=False)
    problem = models.CharField(max_length=200, blank=True)
    """Why its file could not be read when the studio started."""
    added = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["owner", "digest"], name="source_once_for_each_owner")]
        ordering = ["-added", "-pk"]

    def __str__(self) -> str:
        return self.filename

    @classmethod
    def bytes_of(cls, artist: Any) -> int:
        """Bytes of an artist's sources."""
        return cls.objects.filter(owner=artist).aggregate(whole=models.Sum("size"))["whole"] or 0

    @property
    def is_mesh(self) -> bool:
        """Whether the file is a mesh, not a picture. What the artist says it is does not change that."""
        return is_mesh(self.filename)

    @property
    def is_measured(self) -> bool:
        """Whether all is known of it that is measured now; an earlier version of the app may have measured less."""
        return self.measured.keys() == {item.name for item in fields(MeshFacts if self.is_mesh else Facts)}

    @property
    def mesh_facts(self) -> MeshFacts:
        """What was measured when the mesh came in.

        Raises:
            UnreadableFactsError: this version of the app measures something else.
        """
        return _read_facts(MeshFacts, self.measured)

    @property
    def facts(self) -> Facts:
        """What was measured when the picture came in. Raises as `mesh_facts` does."""
        return _read_facts(Facts, self.measured)

    @property
    def look(self) -> str:
        """What its swatch depends on; part of the swatch's address, so that a browser never shows an old one."""
        way = "inverted" if self.inverted else "upright"
        return f"{self.digest[:12]}-{self.role}-{self.green}-{way}-{computation_version()[:8]}"

    @property
    def users(self) -> list[Piece]:
        """The pieces on the shelf that are made of it."""
        return [piece for piece in self.pieces.all() if piece.removed is None]

    @property
    def reference(self) -> SourceReference:
        """How a recipe names this source."""
        return SourceReference(digest=self.digest, filename=self.filename)


def _read_facts(kind: type, measured: Any) -> Any:
    try:
        values = {name: tuple(value) if isinstance(value, list) else value for name, value in measured.items()}
        if "guess" in values:
            values["guess"] = Guess(**values["guess"])
        return kind(**values)
    except (AttributeError, KeyError, TypeError) as problem:
        raise UnreadableFactsError("What is known of this file cannot be read. Import the file again.") from problem


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
    token = models.UUIDField(default=uuid.uuid4, editable=False)
    """Tells it from a piece of another database that has the same number."""
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

    @property
    def look(self) -> str:
        """What the swatches of its revisions depend on beside their numbers; part of their addresses."""
        return f"{self.token.hex[:12]}-{computation_version()[:8]}"


class Share(models.Model):
    """A piece that its owner shares with another artist."""

    piece = models.ForeignKey(Piece, on_delete=models.CASCADE, related_name="shares")
    artist = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    may_work = models.BooleanField(default=False)
    """Whether the other artist may change it; otherwise look at it, and copy it."""

    class Meta:
        ordering = ["artist__username"]
        constraints = [models.UniqueConstraint(fields=["piece", "artist"], name="share_once_with_each_artist")]

    def __str__(self) -> str:
        return f"{self.piece} with {self.artist}"
